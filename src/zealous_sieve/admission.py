"""Who is let in: only who can read a secret that lies with the owner's data.

The secret never leaves its file. What is shown instead is made from it: a *pass*, which is a number, until
when it is good, and their digest under the secret. A browser keeps its pass as a cookie; it gets it for a
*ticket*, which an address carries and which is good once. A script makes its own pass, good for an hour
and for one run of the web process: whoever else answered at that address meanwhile has nothing of it.
"""

from __future__ import annotations

import fcntl
import hashlib
import hmac
import os
import secrets
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

from zealous_sieve import clock

LASTS = 30 * 86_400
"""Seconds for which a browser is let in; each day that it is used begins them anew."""
OF_A_SCRIPT = 3_600
"""Seconds for which a pass that a script made is good."""
TICKET_LASTS = 86_400
SECRET = "session.secret"
RUN_FILE = "session.run"
"""What differs in each run of the web process."""
TICKETS = "tickets"
OTHERS = 0o077
"""What accounts other than the owner's may not be able to do with a file."""


def secret_in(file: Path) -> str:
    """A random text that is kept in a file only its owner can read; made where there is none, and anew
    where it is cut short or was open to others. Raises OSError."""
    # Of several that find none at the same moment one makes it, and the others get the same.
    folder = os.open(file.parent, os.O_RDONLY)
    try:
        fcntl.flock(folder, fcntl.LOCK_EX)
        with suppress(FileNotFoundError):
            known = file.read_text()
            if len(known) >= 20 and not file.stat().st_mode & OTHERS:
                return known
        return _renewed(file)
    finally:
        os.close(folder)


def _renewed(file: Path) -> str:
    text = secrets.token_urlsafe(24)
    keep(file, text, mode=0o600)
    return text


def keep(file: Path, text: str, mode: int = 0o644) -> None:
    """Write a small file of state: whole, or not at all, whoever else does so meanwhile. Raises OSError."""
    new = file.with_name(f"{file.name}.{os.getpid()}-{secrets.token_hex(4)}")
    try:
        with _created(new, mode) as out:
            out.write(text)
        new.replace(file)
    finally:
        new.unlink(missing_ok=True)


def private(file: Path) -> TextIO:
    """A new file for writing that only its owner can read. Raises FileExistsError."""
    return _created(file, 0o600)


def _created(file: Path, mode: int) -> TextIO:
    return open(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "w")


@dataclass(frozen=True, kw_only=True)
class Admission:
    """Makes and knows passes and tickets by the secret of a folder."""

    folder: Path
    secret: str
    run: str

    @classmethod
    def begun(cls, folder: Path) -> Admission:
        """That of a web process that begins to answer for the desk in ``folder``. Raises OSError."""
        folder.mkdir(parents=True, exist_ok=True)
        return cls(
            folder=folder, secret=secret_in(folder / SECRET), run=_renewed(folder / RUN_FILE)
        )

    @classmethod
    def known(cls, folder: Path) -> Admission:
        """That of a desk that answers. Raises OSError where there is none, or it is of another account."""
        secret, run = ((folder / name).read_text() for name in (SECRET, RUN_FILE))
        return cls(folder=folder, secret=secret, run=run)

    def browser_pass(self) -> str:
        """A pass for a browser to keep."""
        return self._pass("browser", LASTS)

    def script_pass(self) -> str:
        """A pass for a script to show."""
        return self._pass(f"script {self.run}", OF_A_SCRIPT)

    def browser_left(self, given: str) -> float:
        """Seconds for which a browser's pass is good; none where it is no pass or its time is over."""
        return self._left("browser", given)

    def script_left(self, given: str) -> float:
        """Seconds for which a script's pass is good; none where it is no pass of this run, or too old."""
        return self._left(f"script {self.run}", given)

    def token_of(self, given: str) -> str:
        """What a request for a change bears beside the cookie with this pass."""
        return self._digest("token", given)

    def redeem(self, ticket: str) -> bool:
        """Whether a ticket is good; afterwards it is not."""
        file = _ticket_file(self.folder, ticket)
        good = _fresh(file)
        try:
            file.unlink()
        except OSError:
            return False
        return good

    def _pass(self, kind: str, seconds: int) -> str:
        own = f"{secrets.token_urlsafe(18)}.{int(clock.seconds()) + seconds}"
        return f"{own}.{self._digest(kind, own)}"

    def _left(self, kind: str, given: str) -> float:
        own, _, digest = given.rpartition(".")
        if not hmac.compare_digest(self._digest(kind, own).encode(), digest.encode()):
            return 0.0
        return max(0.0, int(own.rpartition(".")[2]) - clock.seconds())

    def _digest(self, of: str, text: str) -> str:
        return hmac.new(self.secret.encode(), f"{of} {text}".encode(), "sha256").hexdigest()


def address_to_open(folder: Path, port: int) -> str:
    """An address that lets one browser in to the desk in ``folder``, once. Raises OSError."""
    tickets = folder / TICKETS
    tickets.mkdir(mode=0o700, exist_ok=True)
    for old in tickets.iterdir():
        if not _fresh(old):
            old.unlink(missing_ok=True)
    ticket = secrets.token_urlsafe(24)
    private(_ticket_file(folder, ticket)).close()
    return f"http://127.0.0.1:{port}/open/{ticket}"


def _ticket_file(folder: Path, ticket: str) -> Path:
    return folder / TICKETS / hashlib.sha256(ticket.encode()).hexdigest()


def _fresh(file: Path) -> bool:
    try:
        return clock.seconds() - file.stat().st_mtime < TICKET_LASTS
    except OSError:
        return False
