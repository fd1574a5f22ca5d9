"""Other accounts, pages of other sites, and names that are not ours change nothing and read nothing."""

from __future__ import annotations

import re
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest
from flask.testing import FlaskClient

from tests.conftest import Service, session_of
from tests.web.test_contract import OPERATIONS
from zealous_sieve.admission import (
    LASTS,
    RUN_FILE,
    SECRET,
    TICKET_LASTS,
    TICKETS,
    Admission,
    address_to_open,
)
from zealous_sieve.local.opening import let_browser_in
from zealous_sieve.web.endpoints.access import ADMISSION
from zealous_sieve.web.strangers import cookie_at

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
    shown = {"Authorization": f"Bearer {client.application.extensions[ADMISSION].script_pass()}"}
    for host in ("localhost", "127.0.0.1:5", "LOCALHOST:80", "[::1]:8080"):
        assert client.get(path, headers={"Host": host, **shown}).status_code in (200, 404)
    for host in ("quarry.example", "127.0.0.1.quarry.example", "localhost.", "", "[::1", "0.0.0.0"):
        refused = client.get(path, headers={"Host": host, **shown})
        assert refused.status_code in (400, 403), host


@pytest.mark.reads
@pytest.mark.parametrize("given", ["", "0" * 64, "of another session"])
def test_a_change_needs_the_token_of_its_session(client: FlaskClient, given: str) -> None:
    if given == "of another session":
        given = session_of(client.application).environ_base["HTTP_X_SESSION_TOKEN"]
    refused = client.post("/api/runs", json={"sieve_id": 2}, headers={"X-Session-Token": given})
    assert (refused.status_code, refused.json["code"]) == (403, "no_token")  # type: ignore[index]
    bare = client.application.test_client()
    known: Admission = client.application.extensions[ADMISSION]
    bare.set_cookie(cookie_at("localhost"), known.browser_pass())
    token = {"X-Session-Token": client.environ_base["HTTP_X_SESSION_TOKEN"]}
    assert bare.post("/api/runs", json={"sieve_id": 2}, headers=token).status_code == 403
    assert client.get("/api/runs").json == []
    assert "Set-Cookie" not in client.get("/api/session").headers


@pytest.mark.reads
@pytest.mark.parametrize("kind", ["text/plain", "application/x-www-form-urlencoded", "", "json"])
def test_a_change_is_asked_for_in_json(client: FlaskClient, kind: str) -> None:
    body = '{"sieve_id": 2}'
    refused = client.post("/api/runs", data=body, content_type=kind)
    assert (refused.status_code, refused.json["code"]) == (415, "not_json")  # type: ignore[index]
    assert client.get("/api/runs").json == []


@pytest.mark.reads
@pytest.mark.parametrize(("method", "path"), OPERATIONS)
def test_nothing_is_answered_without_a_pass(client: FlaskClient, method: str, path: str) -> None:
    known: Admission = client.application.extensions[ADMISSION]
    address = re.sub(r"\{\w+\}", "1", path)
    bare = client.application.test_client()
    own, script = known.browser_pass(), known.script_pass()
    longer = re.sub(r"\.\d+\.", lambda until: f".9{until[0][1:]}", script)
    for given in ("", "x", "a.1.b", own, own[:-1], longer, script[:-1] + "é", script + "0"):
        shown = {"Authorization": f"Bearer {given}"} if given else {}
        refused = bare.open(address, method=method, headers=shown)
        assert (refused.status_code, refused.json["code"]) == (401, "no_pass"), given
    for given in (script, own[1:]):
        bare.set_cookie(cookie_at("localhost"), given)
        assert bare.open(address, method=method).status_code == 401
    assert known.redeem("x") is False


def test_replies_are_what_they_say_and_what_lets_in_is_kept_nowhere(client: FlaskClient) -> None:
    known: Admission = client.application.extensions[ADMISSION]
    ticket = address_to_open(known.folder, 8437).rpartition("/")[2]
    secret = ("/api/session", f"/open/{ticket}")
    for path in ("/", "/sieves", "/api/thread", "/api/nothing", *secret):
        headers = client.get(path).headers
        assert headers["X-Content-Type-Options"] == "nosniff", path
        policy = dict(part.split(" ", 1) for part in headers["Content-Security-Policy"].split("; "))
        assert policy["default-src"] == "'self'", path
        assert "script-src" not in policy
        assert policy["frame-ancestors"] == "'none'"
        assert path not in secret or headers["Cache-Control"] == "no-store", path


def test_an_address_lets_one_browser_in_once(client: FlaskClient) -> None:
    known: Admission = client.application.extensions[ADMISSION]
    path = "/open/" + address_to_open(known.folder, 8437).rpartition("/")[2]
    bare = client.application.test_client()
    assert "Set-Cookie" not in bare.head(path).headers, "and a look ahead does not use it up"
    assert "Set-Cookie" not in bare.get(path[:-1]).headers
    led = bare.get(path)
    assert (led.status_code, led.headers["Location"]) == (303, "/")
    cookie = led.headers["Set-Cookie"]
    assert all(word in cookie for word in ("HttpOnly", "SameSite=Strict", f"Max-Age={LASTS}"))
    assert bare.get("/api/thread").status_code == 200
    assert "Set-Cookie" not in client.application.test_client().get(path).headers
    # Another port of this machine is another desk: its cookie is not ours.
    assert bare.get("/api/thread", headers={"Host": "localhost:81"}).status_code == 401


def test_passes_end(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    known: Admission = client.application.extensions[ADMISSION]
    path = "/open/" + address_to_open(known.folder, 8437).rpartition("/")[2]
    script = known.script_pass()
    bare = client.application.test_client()
    shown = {"Authorization": f"Bearer {script}"}
    assert bare.post("/api/formula", json={"text": "close"}, headers=shown).status_code == 200
    before = time.time()
    monkeypatch.setattr(time, "time", lambda: before + 3_601)
    assert bare.get("/api/thread", headers=shown).status_code == 401
    monkeypatch.setattr(time, "time", lambda: before + TICKET_LASTS + 1)
    assert "Set-Cookie" not in bare.get(path).headers
    # A browser that is used is known on; its other windows ask for their token anew.
    renewed = client.get("/api/session")
    assert "Set-Cookie" in renewed.headers
    assert client.post("/api/formula", json={"text": "close"}).status_code == 403
    client.environ_base["HTTP_X_SESSION_TOKEN"] = renewed.json["token"]
    monkeypatch.setattr(time, "time", lambda: before + LASTS + 1)
    assert client.post("/api/formula", json={"text": "close"}).status_code == 200
    monkeypatch.setattr(time, "time", lambda: before + 2 * LASTS)
    assert client.get("/api/thread").status_code == 401


def test_a_script_s_pass_is_good_for_one_run_of_the_web_process(tmp_path: Path) -> None:
    earlier = Admission.begun(tmp_path)
    script, browser = earlier.script_pass(), earlier.browser_pass()
    assert earlier.script_left(script) > 3_500
    now = Admission.begun(tmp_path)
    assert now.script_left(script) == 0
    assert now.browser_left(browser) > LASTS - 10
    assert Admission.known(tmp_path) == now
    address_to_open(tmp_path, 8437)
    for name in (
        SECRET,
        RUN_FILE,
        *(f"{TICKETS}/{file.name}" for file in (tmp_path / TICKETS).iterdir()),
    ):
        assert (tmp_path / name).stat().st_mode & 0o777 == 0o600
    assert (tmp_path / TICKETS).stat().st_mode & 0o777 == 0o700
    for spoil in (lambda f: f.chmod(0o640), lambda f: f.write_text(""), lambda f: f.unlink()):
        spoil(tmp_path / SECRET)
        anew = Admission.begun(tmp_path)
        assert anew.browser_left(browser) == 0, (
            "what others could read, or is no secret, is made anew"
        )
        browser = anew.browser_pass()


def test_a_program_is_told_of_a_private_page_not_of_the_address(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opener, told = tmp_path / "xdg-open", tmp_path / "told"
    opener.write_text(f'#!/bin/sh\necho "$@" > {told}.new && mv {told}.new {told}\n')
    opener.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:/usr/bin:/bin")
    monkeypatch.setenv("DISPLAY", ":7")
    monkeypatch.setattr(sys.stdout, "isatty", lambda: True)
    known = Admission.begun(tmp_path)
    printed = let_browser_in(tmp_path, 8437)
    deadline = time.monotonic() + 30
    while not told.exists():
        assert time.monotonic() < deadline
        time.sleep(0.05)
    page = tmp_path / "open.html"
    assert told.read_text().strip() == page.as_uri()
    assert page.stat().st_mode & 0o777 == 0o600
    (led,) = set(re.findall(r"http://127\.0\.0\.1:8437/open/([\w-]+)", page.read_text()))
    for ticket in (led, printed.rpartition("/")[2]):
        assert known.redeem(ticket)
        assert not known.redeem(ticket)


def test_no_stream_is_begun_without_a_pass(service: Service) -> None:
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(f"{service.base}/api/events?of=run-1", timeout=30)
    assert refused.value.code == 401
    foreign = {"Host": f"elsewhere.example:{service.port}", **service.shown}
    asked = urllib.request.Request(f"{service.base}/api/events?of=run-1", headers=foreign)
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(asked, timeout=30)
    assert refused.value.code == 403
    with urllib.request.urlopen(f"{service.base}/runs/1", timeout=30) as page:
        assert b'<div id="app">' in page.read(), "the empty page, which says what to do"
