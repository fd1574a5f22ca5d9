"""Keep out other accounts of the machine, and pages of other sites.

The application listens on loopback, where every account of the machine can ask it: nothing but the empty
pages is given without a pass (:mod:`zealous_sieve.admission`). A page of another site can reach it only
through the browser, and shares that, not its trust. A browser names the page that asks in ``Origin`` and
its relation in ``Sec-Fetch-Site``, which no script can change; and a foreign name that was made to point to
this machine shows in ``Host``.
"""

from __future__ import annotations

import hmac
from collections.abc import Container, Mapping
from urllib.parse import urlsplit

from flask import Flask, Response, request

from zealous_sieve.admission import LASTS, Admission
from zealous_sieve.core.errors import Problem
from zealous_sieve.usecases.errors import UseCaseError

OCTETS = "application/octet-stream"
"""What no form of another site can send."""
OWN_NAMES = frozenset({"127.0.0.1", "localhost", "::1"})
READS = frozenset({"GET", "HEAD", "OPTIONS"})
OWN_SITE = frozenset({"same-origin", "none"})


class StrangerError(UseCaseError):
    """A request that does not come from a page of this application, or not to its own name."""


class NotLetInError(UseCaseError):
    """A request without a pass, or with one that is none of ours or over."""


COOKIE = "zealous_sieve"
TOKEN = "X-Session-Token"
"""The header that a request for a change bears: only who can read a reply of ours knows what to put."""


class NotJsonError(UseCaseError):
    """A request for a change that brings something else than JSON."""


def keep_strangers_out(app: Flask, admission: Admission, uploads: Container[str]) -> None:
    """Refuse every request to a foreign host name, each to the API without a pass, and each that would
    change something from a page of another origin, without the token of its pass, or with something else
    than JSON; ``uploads`` are the endpoints that take files as they are.

    A pass comes as a cookie or as ``Authorization: Bearer``, which no browser sends by itself, so that it
    needs no token. ``GET /open/<ticket>`` gives the cookie.
    """

    @app.before_request
    def own() -> None:
        check_host(request.host)
        if request.method not in READS and not _from_here():
            raise StrangerError(
                Problem(
                    code="foreign_origin",
                    message="a page of another site asked for a change; nothing was changed",
                    mend="do it on a page of the application",
                )
            )
        if request.path.startswith("/api/"):
            given = check_pass(admission, request.host, request.cookies, shown())
            if request.method not in READS and not shown():
                _check_token(admission.token_of(given))
        if request.method not in READS and (
            request.endpoint not in uploads or request.mimetype != OCTETS
        ):
            _check_json()

    @app.get("/open/<ticket>")
    def let_in(ticket: str) -> Response:
        """Lead to the desk; the first browser that comes with a ticket gets its pass."""
        reply = Response(status=303, headers={"Location": "/"})
        reply.headers["Cache-Control"] = "no-store"
        if request.method == "GET" and admission.redeem(ticket):
            give_pass(reply, admission.browser_pass())
        return reply


def give_pass(reply: Response, given: str) -> None:
    """Have the browser keep a pass."""
    name = cookie_at(request.host)
    reply.set_cookie(name, given, max_age=LASTS, httponly=True, samesite="Strict")


def cookie_at(host: str) -> str:
    """The name of the cookie; a browser sends it to all ports of a host, so each has its own."""
    return f"{COOKIE}_{_parts(host)[1] or 80}"


def shown() -> str:
    """What the request shows in ``Authorization``."""
    return request.headers.get("Authorization", "")


def check_pass(
    admission: Admission, host: str, cookies: Mapping[str, str], authorization: str
) -> str:
    """The pass that a request came with: what it shows in ``Authorization``, else its cookie. Raises
    NotLetInError ``no_pass``."""
    kind, _, own = authorization.partition(" ")
    if kind.lower() == "bearer" and admission.script_left(own):
        return own
    given = cookies.get(cookie_at(host), "")
    if authorization or not admission.browser_left(given):
        raise NotLetInError(
            Problem(
                code="no_pass",
                message="the desk answers to its owner only, and nothing in this request shows that it "
                "is theirs",
                mend="in a browser open the address that ./start prints; a script makes its pass with "
                "zealous-sieve pass",
            )
        )
    return given


def _check_token(token: str) -> None:
    if not hmac.compare_digest(token.encode(), request.headers.get(TOKEN, "").encode()):
        raise StrangerError(
            Problem(
                code="no_token",
                message="the request does not bear the token of its pass; nothing was changed",
                mend=f"ask GET /api/session, and send its token as {TOKEN} with the cookie",
            )
        )


def _check_json() -> None:
    if (request.content_length or request.content_type) and not request.is_json:
        raise NotJsonError(
            Problem(
                code="not_json",
                message="the request is not JSON; nothing was changed",
                mend="send it with Content-Type: application/json",
            )
        )


def check_host(host: str) -> None:
    """Raise StrangerError ``foreign_host`` where a request was sent to a name that is not ours."""
    if _parts(host)[0] not in OWN_NAMES:
        raise StrangerError(
            Problem(
                code="foreign_host",
                message="the application does not answer to this host name",
                mend=f"open it as {', '.join(sorted(OWN_NAMES))}",
            )
        )


def _from_here() -> bool:
    origin = request.headers.get("Origin")
    if origin is not None and origin != request.host_url.rstrip("/"):
        return False
    return request.headers.get("Sec-Fetch-Site", "none") in OWN_SITE


def _parts(host: str) -> tuple[str | None, int | None]:
    """Name and port of a host, as far as there are some."""
    try:
        own = urlsplit(f"//{host}")
        return own.hostname, own.port
    except ValueError:
        return None, None
