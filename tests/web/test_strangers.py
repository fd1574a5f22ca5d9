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
    reply = client.post("/api/runs", json={"sieve_id": 2}, headers=headers)
    assert reply.status_code == (200 if served else 403)
    assert len(client.get("/api/runs").json or []) == served  # type: ignore[arg-type]
    for method in ("put", "delete", "patch"):
        status = client.open("/api/sieves/2", method=method, headers=headers).status_code
        assert (status == 403) is not served
    assert client.get("/api/sieves", headers=headers).status_code == 200


@pytest.mark.reads
@pytest.mark.parametrize("path", ["/", "/api/sieves", "/assets/x.js"])
def test_only_our_own_names_are_answered(client: FlaskClient, path: str) -> None:
    for host in ("localhost", "127.0.0.1:5", "LOCALHOST:80", "[::1]:8080"):
        assert client.get(path, headers={"Host": host}).status_code in (200, 404)
    for host in ("quarry.example", "127.0.0.1.quarry.example", "localhost.", "", "[::1", "0.0.0.0"):
        assert client.get(path, headers={"Host": host}).status_code in (400, 403), host


@pytest.mark.reads
@pytest.mark.parametrize("given", ["", "0" * 64, "of another session"])
def test_a_change_needs_the_token_of_its_session(client: FlaskClient, given: str) -> None:
    if given == "of another session":
        other = client.application.test_client()
        given = other.get("/api/session").json["token"]  # type: ignore[index]
    refused = client.post("/api/runs", json={"sieve_id": 2}, headers={"X-Session-Token": given})
    assert (refused.status_code, refused.json["code"]) == (403, "no_token")  # type: ignore[index]
    bare = client.application.test_client()
    token = {"X-Session-Token": client.environ_base["HTTP_X_SESSION_TOKEN"]}
    assert bare.post("/api/runs", json={"sieve_id": 2}, headers=token).status_code == 403
    assert client.get("/api/runs").json == []
    cookie = client.get("/api/session").headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie


@pytest.mark.reads
@pytest.mark.parametrize("kind", ["text/plain", "application/x-www-form-urlencoded", "", "json"])
def test_a_change_is_asked_for_in_json(client: FlaskClient, kind: str) -> None:
    body = '{"sieve_id": 2}'
    refused = client.post("/api/runs", data=body, content_type=kind)
    assert (refused.status_code, refused.json["code"]) == (415, "not_json")  # type: ignore[index]
    assert client.get("/api/runs").json == []
