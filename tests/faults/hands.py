"""An installation to be hurt, and somebody who uses it meanwhile and remembers what was promised."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
import time
import urllib.error
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from zealous_sieve.client import Client
from zealous_sieve.local.cluster import free_port

BACK_WITHIN = 60.0
"""Seconds within which what was interrupted is taken up again."""


def begin(folder: Path, *arguments: str, **environment: str) -> subprocess.Popen[bytes]:
    """./start on a data folder, without what it installs."""
    command = [sys.executable, "-m", "zealous_sieve.cli.main", "up", *arguments]
    told = os.environ | {"ZEALOUS_SIEVE_DATA": str(folder)} | environment
    return subprocess.Popen(command, env=told, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)


class Installation:
    """A running ./start."""

    def __init__(self, folder: Path, **environment: str) -> None:
        self.folder, self.port = folder, free_port()
        self.client = Client(f"http://127.0.0.1:{self.port}", folder=folder)
        self.process = begin(folder, "--port", str(self.port), **environment)

    def ask(self, method: str, path: str, body: object = None, timeout: float = 20) -> Any:
        """The reply; urllib.error.HTTPError, OSError or TimeoutError where there is none."""
        return self.client.ask(method, path, body, timeout=timeout)

    def until(self, true: Any, seconds: float, what: str) -> float:
        """Wait for something to be so; returns after how many seconds it was."""
        start = time.monotonic()
        while time.monotonic() - start < seconds:
            try:
                if true():
                    return time.monotonic() - start
            except OSError:
                pass
            time.sleep(0.1)
        raise TimeoutError(f"after {seconds:g} s still not: {what}")

    def answers(self, seconds: float = 300) -> Any:
        self.until(lambda: self.ask("GET", "/thread"), seconds, "the pages answer")
        return self.ask("GET", "/thread")

    def pids(self, name: str) -> list[int]:
        """The processes of a part: ``compute``, ``serve``, ``worker`` or ``postgres``."""
        own = {"postgres": f"postgres -D {self.folder}"}.get(name, f"cli.main {name}")
        found = subprocess.run(["pgrep", "-f", own], capture_output=True, text=True, check=False)
        mine = {int(pid) for pid in found.stdout.split()}
        return sorted(pid for pid in mine if parent_of(pid) == self.process.pid)

    def send(self, name: str, number: signal.Signals) -> None:
        for pid in self.pids(name):
            os.kill(pid, number)

    def end(self, number: signal.Signals = signal.SIGTERM) -> str:
        """Ask it to end; returns all it has said."""
        if self.process.poll() is None:
            self.process.send_signal(number)
        said, _ = self.process.communicate(timeout=60)
        return said.decode()


def parent_of(pid: int) -> int:
    try:
        return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])
    except OSError:
        return 0


def left_behind(folder: Path) -> list[str]:
    """What still runs on a data folder, once it had a moment to end."""
    lines: list[str] = []
    for _ in range(100):
        found = subprocess.run(
            ["ps", "-eo", "pid,args"], capture_output=True, text=True, check=True
        )
        lines = [line for line in found.stdout.splitlines() if str(folder) in line]
        lines += [line for line in found.stdout.splitlines() if _of(folder, line)]
        if not lines:
            return []
        time.sleep(0.1)
    return lines


def _of(folder: Path, line: str) -> bool:
    pid = line.split()[0]
    try:
        told = Path(f"/proc/{pid}/environ").read_bytes()
    except OSError:
        return False
    return f"ZEALOUS_SIEVE_DATA={folder}".encode() in told.split(b"\0")


class Trader(threading.Thread):
    """Saves a sieve, gives verdicts and starts runs without a pause, and keeps what was confirmed."""

    def __init__(self, own: Installation) -> None:
        super().__init__(daemon=True)
        self.own = own
        self.over = threading.Event()
        self.saved: list[str] = []
        self.runs: list[int] = []
        self.verdict = self.tried = ""
        self.refused: Counter[str] = Counter()
        self.reviewed = self._first_run()
        self.sieve = own.ask("GET", "/sieves/1")

    def _first_run(self) -> tuple[int, int]:
        run = self.own.ask("POST", "/runs", {"sieve_id": 2})["id"]
        self.own.until(lambda: self.state(run) == "done", 60, "the first run is done")
        return run, self.own.ask("GET", f"/runs/{run}/hits")["hits"][0]["id"]

    def state(self, run: int) -> str:
        return str(self.own.ask("GET", f"/runs/{run}")["run"]["state"])

    def run(self) -> None:
        number = 0
        while not self.over.is_set():
            number += 1
            for action in (self.save, self.judge, self.start_run if number % 5 == 0 else self.look):
                try:
                    action(f"note {number}")
                except urllib.error.HTTPError as error:
                    told = json.loads(error.read())
                    self.refused[f"{error.code} {told['code']}"] += 1
                    if told["code"] == "changed_meanwhile":
                        self.sieve = self.own.ask("GET", "/sieves/1")
                except (OSError, ValueError) as error:
                    self.refused[type(error).__name__] += 1
            time.sleep(0.05)

    def save(self, note: str) -> None:
        body = {"sieve": self.sieve["sieve"] | {"note": note}, "based_on": self.sieve["version"]}
        self.sieve = self.own.ask("PUT", "/sieves/1", body)
        self.saved.append(note)

    def judge(self, note: str) -> None:
        _, hit = self.reviewed
        self.tried = note
        body = {"verdict": "watch", "note": note}
        self.own.ask("PUT", f"/hits/{hit}/verdict", body)
        self.verdict = note

    def start_run(self, _: str) -> None:
        self.runs.append(self.own.ask("POST", "/runs", {"sieve_id": 2})["id"])

    def look(self, _: str) -> None:
        self.own.ask("POST", "/preview", {"sieve": self.sieve["sieve"]})

    def lost(self) -> list[str]:
        """What was promised and is not so, once everything runs again."""
        kept = {version["sieve"]["note"] for version in self.own.ask("GET", "/sieves/1/versions")}
        lost = [f"saved {note}" for note in self.saved if note not in kept]
        run, reviewed = self.reviewed
        hits = self.own.ask("GET", f"/runs/{run}/hits")["hits"]
        note = next(hit for hit in hits if hit["id"] == reviewed)["verdict"]["note"]
        if note not in (self.verdict, self.tried):
            lost.append(f"verdict {self.verdict}, found {note}")
        if len(set(self.runs)) != len(self.runs):
            lost.append("two runs have one number")
        for run in self.runs:
            self.own.until(lambda run=run: self._ended(run), 60, f"run {run} has ended")
        return lost

    def _ended(self, run: int) -> bool:
        told = self.own.ask("GET", f"/runs/{run}")["run"]
        if told["state"] == "failed":
            assert told["reason"], run
        if told["state"] == "done":
            assert told["hit_count"] == len(self.own.ask("GET", f"/runs/{run}/hits")["hits"]), run
        return told["state"] not in ("queued", "running")


@contextmanager
def used(own: Installation) -> Iterator[Trader]:
    """Somebody at work during the block; after it, what was promised has to be so."""
    own.answers()
    trader = Trader(own)
    trader.start()
    try:
        yield trader
        time.sleep(1)
        own.answers(60)
        trader.over.set()
        trader.join(60)
        assert not trader.is_alive()
        assert trader.lost() == []
    except BaseException:
        print(own.end())
        raise
    told = sum(trader.refused.values())
    print(f"confirmed: {len(trader.saved)} saved, {len(trader.runs)} runs; told as trouble: {told}")
    assert trader.saved, "nothing was ever confirmed, so that nothing was tried"
    unexpected = {told for told in trader.refused if told.startswith("500")}
    assert not unexpected, trader.refused
