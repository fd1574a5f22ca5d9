"""Another account of the machine, which tries whatever a desk could answer to: a program that needs nothing
of ours. ``stranger.py FOLDER PORT SECONDS`` prints how often what was tried, and what was got; it is given
secrets that no program may be told in sight of all."""

from __future__ import annotations

import fcntl
import json
import os
import socket
import struct
import sys
import time
import urllib.error
import urllib.request
from collections import Counter
from pathlib import Path

HARMLESS = {"postgres.port"}
"""What anybody may read in the folder of a desk."""
GUESSES = (
    {}, {"Authorization": "Bearer "}, {"Authorization": "Bearer a.9999999999.b"},
    {"Authorization": "Basic cm9vdDo="}, {"Cookie": "zealous_sieve=a.9999999999.b"},
    {"X-Session-Token": "0" * 64, "Origin": "http://127.0.0.1"}, {"X-Forwarded-For": "127.0.0.1"},
)  # fmt: skip
ASKED = (
    ("GET", "thread"), ("GET", "session"), ("GET", "backup"), ("GET", "events?of=run-1"),
    ("GET", "runs/1/hits"), ("GET", "imports/1/refused"), ("GET", "sources"), ("GET", "nothing"),
    ("POST", "backup?replace=true"), ("POST", "imports?name=a.csv"), ("POST", "runs"),
    ("POST", "preview"), ("PUT", "sieves/1"), ("DELETE", "sieves/1"), ("PUT", "demo"),
)  # fmt: skip

tried: Counter[str] = Counter()
got: list[str] = []


def ask(port: int) -> None:
    for n, (method, path) in enumerate(ASKED):
        given = GUESSES[(n + tried["requests"]) % len(GUESSES)]
        body = b"{}" if method in ("POST", "PUT") else None
        address = f"http://127.0.0.1:{port}/api/{path}"
        request = urllib.request.Request(address, body, given, method=method)
        tried["requests"] += 1
        try:
            with urllib.request.urlopen(request, timeout=10) as reply:
                got.append(f"{method} {path}: {reply.status}")
        except urllib.error.HTTPError as refused:
            if refused.code not in (401, 403, 503):
                got.append(f"{method} {path}: {refused.code}")
        except OSError:
            tried["while it was away"] += 1


def read(folder: Path) -> None:
    for place, _, names in os.walk(folder):
        for file in (Path(place) / name for name in names):
            tried["files"] += 1
            try:
                with file.open("rb") as content:
                    fcntl.flock(content, fcntl.LOCK_SH | fcntl.LOCK_NB)
                    content.read(1)
            except OSError:
                continue
            if file.name not in HARMLESS:
                got.append(f"reads {file}")


def compute() -> None:
    """The names of ours that programs of this machine listen at, and what they say to a stranger."""
    for line in Path("/proc/net/unix").read_text().splitlines():
        name = line.rpartition(" ")[2]
        if not name.startswith("@zealous-sieve"):
            continue
        tried["computing"] += 1
        with socket.socket(socket.AF_UNIX) as own:
            own.settimeout(5)
            try:
                own.connect("\0" + name[1:])
                own.sendall(struct.pack("!i", 4) + b"\x80\x04N.")
                if own.recv(64):
                    got.append(f"computing at {name}")
            except OSError:
                continue


def database(folder: Path) -> None:
    try:
        port = int((folder / "postgres.port").read_text())
    except (OSError, ValueError):
        return
    for user in ("postgres", "desk", "zealous_sieve", "nobody", "root"):
        tried["database"] += 1
        told = f"user\0{user}\0database\0postgres\0\0".encode()
        try:
            with socket.create_connection(("127.0.0.1", port), timeout=5) as own:
                own.sendall(struct.pack("!ii", len(told) + 8, 196_608) + told)
                said = own.recv(64)
        except OSError:
            continue
        if said[:1] == b"R" and struct.unpack("!i", said[5:9])[0] == 0:
            got.append(f"the database as {user}")


def overhear(secrets: list[str]) -> None:
    for place in Path("/proc").glob("[0-9]*/cmdline"):
        tried["programs"] += 1
        try:
            said = place.read_text()
        except (OSError, ValueError):
            continue
        if any(secret in said for secret in secrets):
            got.append(f"overhears {place}")


def main() -> None:
    secrets = sys.stdin.read().split()
    folder, port, until = Path(sys.argv[1]), int(sys.argv[2]), time.monotonic() + float(sys.argv[3])
    while True:
        ask(port)
        read(folder)
        compute()
        database(folder)
        overhear(secrets)
        if time.monotonic() >= until:
            break
    print(json.dumps({"tried": tried, "got": sorted(set(got))}))


main()
