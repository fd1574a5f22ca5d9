"""Who means harm, or brings it: another account of the machine, and files that would take all there is."""

from __future__ import annotations

import json
import random
import socket
import subprocess
import threading
import urllib.error
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from tests.faults.hands import Installation
from tests.web.test_budget import REFUSED
from zealous_sieve.admission import SECRET

AS_NOBODY = ("setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", "/usr/bin/python3")


def stranger_at(own: Installation, seconds: float) -> Callable[[], tuple[Counter[str], list[str]]]:
    """Let another account try for so many seconds; what is returned waits for it, and tells how often it
    tried what, and what it got. Needs root."""
    program = Path(__file__).with_name("stranger.py").read_text()
    told = subprocess.Popen(
        [*AS_NOBODY, "-c", program, str(own.folder), str(own.port), str(seconds)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    secrets = [own.folder / SECRET, own.folder / "postgres.password"]

    def result() -> tuple[Counter[str], list[str]]:
        said, _ = told.communicate(" ".join(file.read_text() for file in secrets), seconds + 200)
        found = json.loads(said)
        return Counter(found["tried"]), found["got"]

    return result


class Careless(threading.Thread):
    """Brings in files that would take all memory, damaged backups, and requests that are sent by half, one
    after the other; ``taken`` is what should have been refused."""

    HALVES = 20

    def __init__(self, own: Installation, folder: Path) -> None:
        super().__init__(daemon=True)
        self.own, self.folder = own, folder
        self.over = threading.Event()
        self.refused: Counter[str] = Counter()
        self.taken: list[str] = []
        self.chance = random.Random(7)
        self.backup = folder / "backup.zip"
        own.client.save("/backup", self.backup)
        self.files = {}
        for name, (make, _) in REFUSED.items():
            self.files[name] = folder / name
            make(self.files[name])

    def run(self) -> None:
        while not self.over.is_set():
            for name, file in self.files.items():
                self._try(f"file {name}", lambda file=file: self.own.client.bring(file))
                self._try("damaged backup", self._damaged)
                self._half_sent()
                if self.over.is_set():
                    return

    def _try(self, what: str, act: Callable[[], object]) -> None:
        try:
            act()
            self.taken.append(what)
        except urllib.error.HTTPError as error:
            kind = "files" if what.startswith("file") else "backups"
            self.refused[f"{kind} {error.code}"] += 1
        except OSError:
            self.refused["while it was away"] += 1

    def _damaged(self) -> None:
        """The backup, broken off anywhere, or with a byte of what is in it turned round."""
        content = bytearray(self.backup.read_bytes())
        if self.chance.random() < 0.5:
            del content[self.chance.randrange(1, len(content)) :]
        else:
            member = max(zipfile.ZipFile(self.backup).infolist(), key=lambda own: own.file_size)
            begin = member.header_offset + 30 + len(member.filename)
            content[begin + self.chance.randrange(member.compress_size)] ^= 0xFF
        self.own.client._send(
            "POST", "/backup?replace=true", bytes(content), "application/octet-stream", 60
        )

    def _half_sent(self) -> None:
        head = f"POST /api/imports?name=a.csv HTTP/1.1\r\nHost: 127.0.0.1:{self.own.port}\r\n"
        for _ in range(self.HALVES):
            try:
                with socket.create_connection(("127.0.0.1", self.own.port), 5) as own:
                    own.sendall(f"{head}Content-Length: 5000\r\n\r\ncode".encode())
            except OSError:
                continue
            self.refused["half-sent"] += 1
