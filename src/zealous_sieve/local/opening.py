"""Letting the owner's browser in."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from zealous_sieve.admission import address_to_open, private
from zealous_sieve.local.cluster import port_in
from zealous_sieve.local.found import is_running

PORT = "web.port"
"""The file that says where the pages are answered."""
LEADS_ON = """<!doctype html><meta charset="utf-8"><title>Zealous Sieve</title>
<meta http-equiv="refresh" content="0; url={address}"><a href="{address}">Open the desk</a>
"""


def let_browser_in(folder: Path, port: int) -> str:
    """An address that lets one browser in; it is opened where there is a screen. A program is told of a
    private file that leads to it, as other accounts see what programs are told."""
    address = address_to_open(folder, port)
    opener = shutil.which("xdg-open")
    screen = os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
    if opener and screen and sys.stdout.isatty():
        file = folder / "open.html"
        file.unlink(missing_ok=True)
        with private(file) as out:
            out.write(LEADS_ON.format(address=address_to_open(folder, port)))
        nothing = subprocess.DEVNULL
        subprocess.Popen(
            [opener, file.resolve().as_uri()],
            stdin=nothing, stdout=nothing, stderr=nothing, start_new_session=True,
        )  # fmt: skip
    return address


def port_of(folder: Path) -> int:
    """Where the pages of the desk in a folder are answered. Raises SystemExit with the mend where it isn't
    running."""
    port = port_in(folder, PORT)
    if port is None or not is_running(folder):
        raise SystemExit(f"the desk in {folder} is not running: start it with ./start")
    return port
