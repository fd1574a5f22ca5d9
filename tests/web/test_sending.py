"""What requests bring: who sends slowly, much, or oddly holds nobody up, and is told so."""

from __future__ import annotations

import asyncio
import http.client
import json
import socket
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient
from starlette.types import Message, Scope

from tests.conftest import Service
from zealous_sieve.web import bodies
from zealous_sieve.web.bodies import GoneError, taken_in
from zealous_sieve.web.errors import MOST_FIELDS, BodyTooLargeError, TooLateError

HALF_SENT = 60


def test_requests_that_are_half_sent_hold_nobody_up(service: Service) -> None:
    told = "".join(f"{name}: {value}\r\n" for name, value in service.shown.items())
    waiting = []
    for n in range(HALF_SENT):
        own = socket.create_connection(("127.0.0.1", service.port))
        kind, path = (
            ("application/octet-stream", "imports?name=a.csv")
            if n % 2
            else ("application/json", "formula")
        )
        head = f"POST /api/{path} HTTP/1.1\r\nHost: 127.0.0.1:{service.port}\r\n{told}"
        own.sendall(f"{head}Content-Type: {kind}\r\nContent-Length: 5000\r\n\r\n{{".encode())
        waiting.append(own)
    time.sleep(0.5)
    try:
        start = time.monotonic()
        service.client.ask("GET", "/thread", timeout=15)
        said = service.client.ask("POST", "/formula", {"text": "close > 0"}, timeout=15)
        assert said["sentence"]
        assert time.monotonic() - start < bodies.PATIENCE - 2, "and not because they were given up"
        names = [own["name"] for own in service.client.ask("GET", "/imports")]
        assert "a.csv" not in names, "nothing is begun of what has not come"
    finally:
        for own in waiting:
            own.close()
    service.client.ask("GET", "/thread", timeout=15)


def asked(service: Service, path: str, pieces: Iterator[bytes] | bytes, **headers: str) -> Any:
    connection = http.client.HTTPConnection("127.0.0.1", service.port, timeout=60)
    chunked = not isinstance(pieces, bytes)
    connection.request(
        "POST", f"/api/{path}", pieces, {**service.shown, **headers}, encode_chunked=chunked
    )
    reply = connection.getresponse()
    return reply.status, json.loads(reply.read())


def test_bodies_without_a_length_count_like_others(service: Service) -> None:
    kind = {"Content-Type": "application/json", "Transfer-Encoding": "chunked"}
    text = json.dumps({"text": "close > 0"}).encode()
    assert asked(service, "formula", iter((text[:5], text[5:])), **kind)[0] == 200
    status, said = asked(service, "formula", (b" " * 2**20 for _ in range(9)), **kind)
    assert (status, said["code"]) == (413, "too_large")
    kind["Content-Type"] = "application/octet-stream"
    rows = b"".join(b"2026-%02d-01,%d\n" % (n, n) for n in range(1, 7))
    made = asked(service, "imports?name=CHUNKS.csv", iter((b"date,close\n", rows)), **kind)
    assert (made[0], made[1]["size"]) == (200, len(rows) + 11)
    path = f"/imports/{made[1]['id']}"
    while service.client.ask("GET", path)["own"]["state"] == "reading":
        time.sleep(0.1)
    service.client.ask("DELETE", path)


@pytest.mark.reads
def test_of_many_wrong_fields_the_first_are_told(client: FlaskClient) -> None:
    body = {"text": "close", **{f"k{n}" * 200: n for n in range(5_000)}}
    reply = client.post("/api/formula", json=body)
    assert reply.status_code == 422
    assert len(reply.json["problems"]) == MOST_FIELDS + 1
    assert (
        reply.json["problems"][-1]["message"]
        == f"{5_000 - MOST_FIELDS:,} other fields are wrong too"
    )
    assert len(reply.data) < 20_000
    deep = client.post("/api/formula", data="[" * 100_000, content_type="application/json")
    assert deep.status_code == 422


def taking(*messages: Message | None, kind: bytes = b"application/json", **more: str) -> Any:
    """What becomes of a request of these messages; None is one that does not come."""
    coming = iter(messages)

    async def receive() -> Message:
        message = next(coming)
        if message is None:
            await asyncio.sleep(60)
        return message or {}

    headers = [(b"content-type", kind), *((n.encode(), v.encode()) for n, v in more.items())]
    scope: Scope = {"type": "http", "headers": headers}
    # In a thread of its own: this one may run the loop that drives a browser.
    with ThreadPoolExecutor(1) as apart:
        return apart.submit(asyncio.run, taken_in(scope, receive, Path("/var/tmp"))).result()


def piece(body: bytes, *, more: bool = True) -> Message:
    return {"type": "http.request", "body": body, "more_body": more}


def test_what_comes_is_taken_whole_or_not_at_all(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bodies, "PATIENCE", 0.05)
    monkeypatch.setattr(bodies, "MOST_DOCUMENT", 100)
    scope, file = taking(piece(b"ab"), piece(b""), piece(b"c", more=False), kind=b"x")
    assert (file.read(), dict(scope["headers"])[b"content-length"]) == (b"abc", b"3")
    file.close()
    large = b"x" * 3_000_000
    octets = bodies.OCTETS.encode()
    _, file = taking(piece(large), piece(large, more=False), kind=octets)
    assert file.read() == large * 2
    file.close()
    with pytest.raises(TooLateError):
        taking(piece(b"a"), None)
    with pytest.raises(TooLateError):
        taking(piece(b"a"), None, kind=octets)
    with pytest.raises(GoneError):
        taking(piece(b"a"), {"type": "http.disconnect"})
    with pytest.raises(BodyTooLargeError):
        taking(piece(b"a" * 60), piece(b"a" * 60), None)
    with pytest.raises(BodyTooLargeError):
        taking(None, **{"content-length": "101"})
    monkeypatch.setattr(bodies, "SENT_WITHIN", 0.0)
    with pytest.raises(TooLateError):
        taking(piece(b"a", more=False))
