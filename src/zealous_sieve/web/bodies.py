"""What a request brings is taken in before anything works on it: no thread waits for who sends it."""

from __future__ import annotations

import asyncio
import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import IO

from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.types import Message, Receive, Scope

from zealous_sieve.admission import Admission
from zealous_sieve.core.errors import Problem
from zealous_sieve.usecases.errors import disk_full
from zealous_sieve.web.errors import BodyTooLargeError, TooLateError, failure_of, problems_of
from zealous_sieve.web.strangers import OCTETS, READS, check_pass

MOST_DOCUMENT = 8 * 2**20
"""Bytes of a JSON document; files may be as large as there is room."""
IN_MEMORY = 2**20
"""Bytes of what a request brings that are held in memory."""
PATIENCE = 20.0
"""Seconds within which the next piece has to come."""
SENT_WITHIN = 60.0
"""Seconds within which a JSON document has to be there."""
LEFT_FREE = 256 * 2**20
"""Bytes of disk that what comes in leaves free."""
BODY_PIECE = 256 * 1024


class GoneError(Exception):
    """Whoever asked has gone in the middle."""


def refuse_body(error: Exception) -> Response:
    """A reply to a request that is not passed on."""
    problems, status = problems_of(error)
    return JSONResponse(
        asdict(failure_of(problems)),
        status,
        headers={"Connection": "close"} if status != 401 else {},
    )


def check_own(scope: Scope, admission: Admission) -> None:
    """Raise what says that a request is not the owner's, before any of what it brings is taken in."""
    request = Request(scope)
    if request.url.path.startswith("/api/") and request.method not in READS:
        host, shown = (request.headers.get(name, "") for name in ("host", "authorization"))
        check_pass(admission, host, request.cookies, shown)


async def taken_in(scope: Scope, receive: Receive, folder: Path) -> tuple[Scope, IO[bytes]]:
    """All that a request brings, as a file at its beginning, and the request with its true length.

    Raises TooLateError, TooLargeError, DiskFullError, GoneError.
    """
    headers = dict(scope["headers"])
    is_file = headers.get(b"content-type", b"").split(b";")[0].strip() == OCTETS.encode()
    told = headers.get(b"content-length", b"0")
    if not is_file and told.isdigit() and int(told) > MOST_DOCUMENT:
        raise _too_large()
    loop = asyncio.get_running_loop()
    end = loop.time() + SENT_WITHIN
    file: IO[bytes] = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY, dir=str(folder))  # noqa: SIM115
    try:
        while True:
            message = await _next(
                receive, PATIENCE if is_file else min(PATIENCE, end - loop.time())
            )
            if message["type"] == "http.disconnect":
                raise GoneError
            file.write(message.get("body", b""))
            if not is_file and file.tell() > MOST_DOCUMENT:
                raise _too_large()
            if file.tell() > IN_MEMORY and shutil.disk_usage(folder).free < LEFT_FREE:
                raise disk_full()
            if not message.get("more_body"):
                break
        size = file.tell()
        file.seek(0)
    except OSError as error:
        file.close()
        raise disk_full() from error
    except BaseException:
        file.close()
        raise
    own = [
        (n, v) for n, v in scope["headers"] if n not in (b"transfer-encoding", b"content-length")
    ]
    if size:
        own.append((b"content-length", str(size).encode()))
    return {**scope, "headers": own}, file


async def _next(receive: Receive, seconds: float) -> Message:
    try:
        return await asyncio.wait_for(receive(), max(0.0, seconds))
    except TimeoutError:
        message = "the rest of the request did not come in time; nothing was changed"
        raise TooLateError(
            Problem(code="too_late", message=message, mend="send it again")
        ) from None


def _too_large() -> BodyTooLargeError:
    message = f"a request brings at most {MOST_DOCUMENT // 2**20} MB that are no file"
    return BodyTooLargeError(Problem(code="too_large", message=message, mend="send less at once"))
