"""Pages of other sites, and names that are not ours, change nothing and read nothing."""

from __future__ import annotations

import pytest
from flask.testing import FlaskClient

FOREIGN = "http://quarry.example"


@pytest.mark.parametrize(
    ("headers", "served"),
    [
        ({}, True),
        ({"Origin": "http://localhost"}, True),
        ({"Origin": "http://localhost", "Sec-Fetch-Site": "same-origin"}, True),
        ({"Origin": "http://localhost:9999"}, False),
        ({"Origin": "https://localhost"}, False),
        ({"Origin": FOREIGN}, False),
        ({"Origin": "null"}, False),
        ({"Origin": ""}, False),
        ({"Sec-Fetch-Site": "cross-site"}, False),
        ({"Sec-Fetch-Site": "same-site"}, False),
    ],
)
def test_only_our_own_pages_change_something(
    client: FlaskClient, headers: dict[str, str], served: bool
) -> None:
    reply = client.post("/api/runs", data='{"sieve_id": 2}', headers=headers)
    assert reply.status_code == (200 if served else 403)
    assert len(client.get("/api/runs").json or []) == served  # type: ignore[arg-type]
    for method in ("put", "delete", "patch"):
        status = client.open("/api/sieves/2", method=method, headers=headers).status_code
        assert (status == 403) is not served
    assert client.get("/api/sieves", headers=headers).status_code == 200


@pytest.mark.parametrize("path", ["/", "/api/sieves", "/assets/x.js"])
def test_only_our_own_names_are_answered(client: FlaskClient, path: str) -> None:
    for host in ("localhost", "127.0.0.1:5", "LOCALHOST:80", "[::1]:8080"):
        assert client.get(path, headers={"Host": host}).status_code in (200, 404)
    for host in ("quarry.example", "127.0.0.1.quarry.example", "localhost.", "", "[::1", "0.0.0.0"):
        assert client.get(path, headers={"Host": host}).status_code in (400, 403), host
