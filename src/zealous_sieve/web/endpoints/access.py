"""What a script needs first: its session, and this document."""

from __future__ import annotations

from typing import Any

from flask import Response, current_app, request
from pydantic import BaseModel

from zealous_sieve.admission import LASTS, Admission
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.strangers import check_pass, cookie_at, give_pass, shown

ADMISSION = "zealous_sieve.admission"
"""Where the application keeps what knows who is let in."""
RENEWED_AFTER = 86_400
"""Seconds of a browser's pass after which it gets a new one."""
DOCUMENT = "zealous_sieve.document"
"""Where the application keeps the document of its API."""


class SessionToken(BaseModel):
    """What requests for a change have to bear, beside the cookie."""

    token: str


def contract(_: Outside) -> Contract:
    api = Contract("access", __doc__)

    @api.endpoint("GET", "/session", reply=SessionToken)
    def session() -> Response:
        """The token of the pass that this browser keeps as its cookie.

        Every request bears a pass: pages the cookie that the address of ./start gave them, and when they
        change something this token too, as X-Session-Token; scripts a header Authorization: Bearer with
        what `zealous-sieve pass` prints, good for an hour.
        """
        admission: Admission = current_app.extensions[ADMISSION]
        given = check_pass(admission, request.host, request.cookies, shown())
        kept = given == request.cookies.get(cookie_at(request.host))
        renewed = kept and admission.browser_left(given) < LASTS - RENEWED_AFTER
        if renewed:
            given = admission.browser_pass()
        token = admission.token_of(given)
        reply = Response(SessionToken(token=token).model_dump_json(), mimetype="application/json")
        reply.headers["Cache-Control"] = "no-store"
        if renewed:
            give_pass(reply, given)
        return reply

    @api.endpoint("GET", "/openapi.json", reply=dict[str, Any])
    def document() -> dict[str, Any]:
        """All of this, as an OpenAPI document."""
        told: dict[str, Any] = current_app.extensions[DOCUMENT]()
        return told

    return api
