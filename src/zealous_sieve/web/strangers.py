"""Keep out pages of other sites: they share the browser of the desk, not its trust.

The application listens on loopback, so that a page of another site can reach it only through the
browser. A browser names the page that asks in ``Origin`` and its relation in ``Sec-Fetch-Site``, which
no script can change; and a foreign name that was made to point to this machine shows in ``Host``.
"""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Flask, request

from zealous_sieve.core.errors import Problem
from zealous_sieve.usecases.errors import UseCaseError

OWN_NAMES = frozenset({"127.0.0.1", "localhost", "::1"})
READS = frozenset({"GET", "HEAD", "OPTIONS"})
OWN_SITE = frozenset({"same-origin", "none"})


class StrangerError(UseCaseError):
    """A request that does not come from a page of this application, or not to its own name."""


def keep_strangers_out(app: Flask) -> None:
    """Refuse every request to a foreign host name, and each that would change something from a page
    of another origin. Programs that are no browser send neither header and are served."""

    @app.before_request
    def own() -> None:
        if _name(f"//{request.host}") not in OWN_NAMES:
            raise StrangerError(
                Problem(
                    code="foreign_host",
                    message="the application does not answer to this host name",
                    mend=f"open it as {', '.join(sorted(OWN_NAMES))}",
                )
            )
        if request.method not in READS and not _from_here():
            raise StrangerError(
                Problem(
                    code="foreign_origin",
                    message="a page of another site asked for a change; nothing was changed",
                    mend="do it on a page of the application",
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
