"""Keep out pages of other sites: they share the browser of the desk, not its trust.

The application listens on loopback, so that a page of another site can reach it only through the
browser. A browser names the page that asks in ``Origin`` and its relation in ``Sec-Fetch-Site``, which
no script can change; and a foreign name that was made to point to this machine shows in ``Host``.
"""

from __future__ import annotations

import hmac
import secrets
from collections.abc import Container
from urllib.parse import urlsplit

from flask import Flask, Response, jsonify, request

from zealous_sieve.core.errors import Problem
from zealous_sieve.usecases.errors import UseCaseError

OCTETS = "application/octet-stream"
"""What no form of another site can send."""
OWN_NAMES = frozenset({"127.0.0.1", "localhost", "::1"})
READS = frozenset({"GET", "HEAD", "OPTIONS"})
OWN_SITE = frozenset({"same-origin", "none"})


class StrangerError(UseCaseError):
    """A request that does not come from a page of this application, or not to its own name."""


SESSION = "zealous_sieve_session"
TOKEN = "X-Session-Token"
"""The header that a request for a change bears: only who can read a reply of ours knows what to put."""


class NotJsonError(UseCaseError):
    """A request for a change that brings something else than JSON."""


def keep_strangers_out(app: Flask, secret: bytes, uploads: Container[str]) -> None:
    """Refuse every request to a foreign host name, and each that would change something from a page of
    another origin, without the token of its session, or with something else than JSON; ``uploads`` are
    the endpoints that take files as they are.

    A session is a random number in a cookie, its token a digest of that under the ``secret``, told by
    ``GET /api/session``; sign-in will add who it is.
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
        if request.method not in READS:
            _check_token(secret)
            if request.endpoint not in uploads or request.mimetype != OCTETS:
                _check_json()

    @app.get("/api/session")
    def session() -> Response:
        number = request.cookies.get(SESSION) or secrets.token_urlsafe(24)
        reply = jsonify({"token": token_of(number, secret)})
        reply.headers["Cache-Control"] = "no-store"
        reply.set_cookie(SESSION, number, httponly=True, samesite="Strict")
        return reply


def token_of(session: str, secret: bytes) -> str:
    """What a request in a session has to bear."""
    return hmac.new(secret, session.encode(), "sha256").hexdigest()


def _check_token(secret: bytes) -> None:
    own = token_of(request.cookies.get(SESSION, ""), secret)
    if SESSION not in request.cookies or not hmac.compare_digest(
        own.encode(), request.headers.get(TOKEN, "").encode()
    ):
        raise StrangerError(
            Problem(
                code="no_token",
                message="the request does not belong to a session; nothing was changed",
                mend=f"ask GET /api/session, and send its token as {TOKEN} with its cookie",
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
    if _name(f"//{host}") not in OWN_NAMES:
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


def _name(address: str) -> str | None:
    try:
        return urlsplit(address).hostname
    except ValueError:
        return None
