"""The web process: the Flask application on threads, and the event streams, which need none."""

from __future__ import annotations

import asyncio
import threading

import uvicorn
from a2wsgi import WSGIMiddleware
from starlette.applications import Starlette
from starlette.middleware import Middleware
from starlette.middleware.gzip import GZipMiddleware
from starlette.routing import Mount, Route
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zealous_sieve.usecases.ports import Outside
from zealous_sieve.web.app import create_app
from zealous_sieve.web.contract import GONE
from zealous_sieve.web.events import Streams

THREADS = 48
"""Requests worked on at once; those that wait for a computation cost no more than their thread."""
COMPRESSED_FROM = 1_000
"""Bytes below which a reply is not worth compressing."""


class Presence:
    """Tells the thread of a request when nobody waits for the reply any more.

    The event is in the request's scope under ``GONE``: a new keystroke or a closed page sets it.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        gone, whole = threading.Event(), asyncio.Event()
        scope[GONE] = gone

        async def read() -> Message:
            message = await receive()
            if message["type"] == "http.disconnect":
                gone.set()
            if not message.get("more_body"):
                whole.set()
            return message

        async def watch() -> None:
            await whole.wait()
            while not gone.is_set():
                await read()

        watching = asyncio.create_task(watch())
        try:
            await self.app(scope, read, send)
        finally:
            watching.cancel()


def asgi_app(outside: Outside, secret: bytes) -> ASGIApp:
    """Everything that the web process answers."""
    streams = Streams(outside.runs)
    pages = WSGIMiddleware(create_app(outside, secret), workers=THREADS)
    return Starlette(
        routes=[
            Route("/api/runs/{run_id:int}/events", streams.answer),
            Mount("/", Presence(pages)),
        ],
        middleware=[Middleware(GZipMiddleware, minimum_size=COMPRESSED_FROM, compresslevel=6)],
    )


def serve(outside: Outside, port: int, secret: bytes) -> None:
    """Answer on loopback until told to stop."""
    uvicorn.run(
        asgi_app(outside, secret),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        server_header=False,
        timeout_graceful_shutdown=1,
        lifespan="off",
    )
