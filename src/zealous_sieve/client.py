"""A client of the API for scripts and notebooks, with the pass that every request needs."""

from __future__ import annotations

import json
import shutil
import tarfile
import tempfile
import urllib.parse
import urllib.request
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from zealous_sieve import environment
from zealous_sieve.admission import Admission


class Client:
    """Asks a running application, such as the one at ``http://127.0.0.1:8437``; all that it asks looks from
    the moment ``as_of``, ISO 8601 with offset, or from the present. ``folder`` is that of its data, from
    which the client makes its pass; unset, the one of this project or of ``ZEALOUS_SIEVE_DATA``."""

    def __init__(
        self, address: str, as_of: str | None = None, *, folder: Path | None = None
    ) -> None:
        self.address, self.as_of = address, as_of
        self.folder = folder or environment.data_folder()
        # Other than what asks the web at large, it asks this machine and nobody between.
        self._opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))

    def ask(self, method: str, path: str, body: object = None, *, timeout: float = 60) -> Any:
        """The JSON of a reply; ``path`` begins after ``/api``.

        Raises urllib.error.HTTPError with the failure's JSON as its text, OSError when nobody answers, or
        where the folder has no desk or is of another account.
        """
        data = None if body is None else json.dumps(body).encode()
        return self._send(method, path, data, "application/json", timeout)

    def bring(self, file: Path, *, timeout: float = 600) -> Any:
        """Bring in a file of bars, trades, instruments, events or venues; the import that was begun."""
        with file.open("rb") as data:
            path = f"/imports?name={urllib.parse.quote(file.name)}"
            return self._send("POST", path, data, "application/octet-stream", timeout)

    def bring_many(self, files: Sequence[Path], *, timeout: float = 600) -> Any:
        """Bring in many files: one import for each shape there is, and those that are no tables."""
        with tempfile.TemporaryFile() as packed:
            with tarfile.open(fileobj=packed, mode="w") as archive:
                for file in files:
                    archive.add(file, file.name)
            packed.seek(0)
            path = f"/imports/many?gathering={uuid.uuid4()}&last=true"
            return self._send("POST", path, packed, "application/octet-stream", timeout)

    def save(self, path: str, file: Path, *, timeout: float = 600) -> None:
        """Write a reply that is a file, such as the hits of a run, to ``file``: all of it, or nothing."""
        with self.stream(path, timeout=timeout) as reply:
            with tempfile.NamedTemporaryFile(dir=file.parent, delete=False) as beside:
                shutil.copyfileobj(reply, beside)
            Path(beside.name).replace(file)

    def stream(self, path: str, *, timeout: float = 600) -> Any:
        """A reply to read from as it comes, and to close; such as the progress of a run."""
        return self._open("GET", path, None, "", timeout)

    def _send(self, method: str, path: str, data: Any, kind: str, timeout: float) -> Any:
        with self._open(method, path, data, kind, timeout) as reply:
            return json.loads(reply.read() or b"null")

    def _open(self, method: str, path: str, data: Any, kind: str, timeout: float) -> Any:
        return self._opener.open(self._request(method, path, data, kind), timeout=timeout)

    def _request(self, method: str, path: str, data: Any, kind: str) -> urllib.request.Request:
        request = urllib.request.Request(f"{self.address}/api{path}", data=data, method=method)
        if kind:
            request.add_header("Content-Type", kind)
        if self.as_of:
            request.add_header("As-Of", self.as_of)
        request.add_header("Authorization", f"Bearer {Admission.known(self.folder).script_pass()}")
        return request
