"""The web application: the API, and the built front end."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

from flask import Flask, Response, send_from_directory
from werkzeug.exceptions import NotFound

from zealous_sieve.admission import Admission
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.web.bodies import MOST_DOCUMENT
from zealous_sieve.web.contract import Code, Contract, Id, openapi
from zealous_sieve.web.endpoints import (
    access,
    arrangements,
    boards,
    currencies,
    formulas,
    imports,
    instruments,
    market,
    outlooks,
    overview,
    runs,
    scatters,
    settings,
    shaping,
    sieves,
    sources,
    tables,
    universes,
)
from zealous_sieve.web.errors import Failure, handle_errors
from zealous_sieve.web.strangers import keep_strangers_out

STATIC = Path(__file__).parent / "static"
A_YEAR = 31_536_000


def contracts(outside: Outside) -> list[Contract]:
    """Every part of the API."""
    return [
        module.contract(outside)
        for module in (
            access,
            market,
            instruments,
            universes,
            imports,
            sources,
            arrangements,
            boards,
            scatters,
            currencies,
            overview,
            outlooks,
            formulas,
            shaping,
            sieves,
            runs,
            tables,
            settings,
        )
    ]


@cache
def api_document() -> dict[str, Any]:
    """The OpenAPI document; needs nothing from outside."""
    nothing: Any = None
    return openapi(contracts(nothing), Failure)


def create_app(outside: Outside, admission: Admission) -> Flask:
    """Join endpoints, error handling and pages; ``admission`` knows who is let in."""
    app = Flask(__name__, static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MOST_DOCUMENT
    app.url_map.converters["id"] = Id
    app.url_map.converters["code"] = Code
    app.url_map.merge_slashes = False
    parts = contracts(outside)
    for contract in parts:
        app.register_blueprint(contract.blueprint)
    app.extensions[access.ADMISSION] = admission
    app.extensions[access.DOCUMENT] = api_document
    handle_errors(app)
    keep_strangers_out(app, admission, {name for part in parts for name in part.uploads})

    @app.url_value_preprocessor
    def lead_on(_endpoint: str | None, values: dict[str, Any] | None) -> None:
        """The code that an instrument had earlier leads to it."""
        if values and "code" in values:
            values["code"] = outside.market.reference().present(values["code"])

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        return send_from_directory(STATIC / "assets", name, max_age=A_YEAR)

    @app.get("/")
    @app.get("/<path:path>")
    def page(path: str = "") -> Response:
        if path.startswith("api/"):
            raise NotFound("there is nothing at this address")
        return send_from_directory(STATIC, "index.html", max_age=0)

    @app.after_request
    def careful(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
            "font-src 'self' data:; frame-ancestors 'none'",
        )
        if response.status_code == 401:
            response.headers["WWW-Authenticate"] = "Bearer"
        return response

    return app
