"""A client of the API for scripts and notebooks, with the session that requests for changes need."""

from __future__ import annotations

import http.cookiejar
import json
import tarfile
import tempfile
import urllib.parse
import urllib.request
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any


class Client:
    """Asks a running application, such as the one at ``http://127.0.0.1:8437``."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.token = ""
        self.cookies = http.cookiejar.CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.cookies))

    def ask(self, method: str, path: str, body: object = None, *, timeout: float = 60) -> Any:
        """The JSON of a reply; ``path`` begins after ``/api``.

        Raises urllib.error.HTTPError with the failure's JSON as its text, OSError when nobody answers.
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

    def _send(self, method: str, path: str, data: Any, kind: str, timeout: float) -> Any:
        if method != "GET" and not self.token:
            self.token = self.ask("GET", "/session", timeout=timeout)["token"]
        request = urllib.request.Request(f"{self.address}/api{path}", data=data, method=method)
        request.add_header("Content-Type", kind)
        request.add_header("X-Session-Token", self.token)
        with self._opener.open(request, timeout=timeout) as reply:
            return json.loads(reply.read() or b"null")
