"""The web process: the Flask application on threads, and the event streams, which need none."""

from __future__ import annotations

import asyncio
import threading
from pathlib import Path
from typing import IO

import uvicorn
from a2wsgi import WSGIMiddleware
from starlette.applications import Starlette
from starlette.routing import Mount, Route
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zealous_sieve.admission import Admission
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import UseCaseError
from zealous_sieve.web.app import create_app
from zealous_sieve.web.bodies import BODY_PIECE, GoneError, check_own, refuse_body, taken_in
from zealous_sieve.web.contract import GONE
from zealous_sieve.web.events import Streams

_THREADS = 96
"""Requests worked on at once; those that wait for a computation cost no more than their thread."""


class Presence:
    """Takes in what a request brings before a thread works on it, and tells that thread when nobody waits
    for the reply any more.

    The event is in the request's scope under ``GONE``: a new keystroke or a closed page sets it.
    """

    def __init__(self, app: ASGIApp, admission: Admission, folder: Path) -> None:
        self.app, self.admission, self.folder = app, admission, folder

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        try:
            check_own(scope, self.admission)
            scope, brought = await taken_in(scope, receive, self.folder)
        except GoneError:
            return
        except UseCaseError as error:
            await refuse_body(error)(scope, receive, send)
            return
        with brought:
            await self._answer(scope, brought, receive, send)

    async def _answer(self, scope: Scope, brought: IO[bytes], receive: Receive, send: Send) -> None:
        gone, whole, left = threading.Event(), asyncio.Event(), asyncio.Event()
        scope[GONE] = gone

        async def read() -> Message:
            if whole.is_set():
                await left.wait()
                return {"type": "http.disconnect"}
            piece = brought.read(BODY_PIECE)
            if len(piece) < BODY_PIECE:
                whole.set()
            return {"type": "http.request", "body": piece, "more_body": len(piece) == BODY_PIECE}

        async def watch() -> None:
            while (await receive())["type"] != "http.disconnect":
                pass
            gone.set()
            left.set()

        watching = asyncio.create_task(watch())
        try:
            await self.app(scope, read, send)
        finally:
            watching.cancel()


def asgi_app(outside: Outside, admission: Admission, folder: Path) -> ASGIApp:
    """Everything that the web process answers; what comes in is held in ``folder`` meanwhile."""
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    streams = Streams(outside.work, admission)
    pages = WSGIMiddleware(create_app(outside, admission), workers=_THREADS)
    return Starlette(
        routes=[
            Route("/api/events", streams.answer),
            Mount("/", Presence(pages, admission, folder)),
        ],
    )


def serve(outside: Outside, port: int, admission: Admission, folder: Path) -> None:
    """Answer on loopback until told to stop."""
    uvicorn.run(
        asgi_app(outside, admission, folder),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        server_header=False,
        timeout_graceful_shutdown=1,
        lifespan="off",
    )
