"""Endpoints declared once: route, request and reply. The OpenAPI document comes from here."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from threading import Event
from typing import Annotated, Any, get_origin

from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from werkzeug.routing import IntegerConverter, Map, PathConverter

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.usecases.desk.outside import Order, OrderKind
from zealous_sieve.usecases.errors import UseCaseError
from zealous_sieve.web.strangers import COOKIE, TOKEN

_PORT = 8437
"""Where the pages are answered, unless one says otherwise."""
LARGEST_NUMBER = 2**31 - 1
"""The largest number that anything is kept by."""
REFERENCE = "#/components/schemas/{model}"


_ZERO = re.compile(rb"(?<!\\)(?:\\\\)*\\u0000")
"""A zero character in a JSON document, where no backslash makes it plain text."""


GONE = "zealous_sieve.gone"
"""Where in a request's scope the event is that is set when nobody waits for the reply any more."""


AS_OF = "As-Of"
"""The header of the moment that a page looks from, where that is not the present."""


def as_of() -> datetime | None:
    """The moment that the request at hand looks from; none for the present. Raises DataError."""
    text = request.headers.get(AS_OF)
    if not text:
        return None
    try:
        moment = datetime.fromisoformat(text)
        if moment.tzinfo is not None:
            return moment.astimezone(UTC)
    except (ValueError, OverflowError):
        pass
    message = f"{text[:40]!r} is no moment that can be looked from"
    mend = "write it as 2026-06-09T14:20:00Z"
    raise DataError(Problem(code="no_moment", message=message, mend=mend, subject=AS_OF))


def wanted(kind: OrderKind = OrderKind.GLANCE, *, from_present: bool = False) -> Order:
    """A computation for the request at hand, wanted as long as somebody waits for the reply. It looks from
    the moment of the request, or ``from_present`` where what is asked for has a moment of its own."""
    gone = request.environ.get("asgi.scope", {}).get(GONE)
    return Order(kind=kind, gone=gone or Event(), as_of=None if from_present else as_of())


class Code(PathConverter):
    """``<code:code>`` in a path: the code of an instrument, which may hold slashes."""


class Id(IntegerConverter):
    """``<id:run_id>`` in a path: a number that something can be kept by."""

    def __init__(self, rules: Map) -> None:
        super().__init__(rules, max=LARGEST_NUMBER)


class _Stretch(BaseModel):
    """Which of the entries of a list are wanted: so many, from a place on."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    size: Annotated[int, Field(ge=1, le=100_000)] | None = None
    at: Annotated[int, Field(ge=0, le=1_000_000)] = 0


COUNT = "Total-Count"
"""The header of a reply with some entries of a list: how many it has in all."""


@dataclass(frozen=True, kw_only=True)
class Endpoint:
    part: str
    """Which part of the API it belongs to."""
    method: str
    path: str
    summary: str
    told: str
    """What there is to say of it besides."""
    operation: str
    reply: TypeAdapter[Any] | None
    body: TypeAdapter[Any] | None
    queries: tuple[type[BaseModel], ...]
    takes: str | None = None
    """The kind of content that it takes as it is, where that is no JSON."""
    gives: str | None = None
    """The kind of content that it answers with, where that is no JSON."""


_AT_ONCE = 1024 * 1024


def uploaded() -> Iterator[bytes]:
    """What the request at hand brings, as it comes in, whether its length was told before or not."""
    body = request.environ["wsgi.input"]
    while piece := body.read(_AT_ONCE):
        yield piece


class Contract:
    """A blueprint that remembers the shapes of its endpoints; ``told`` is what this part of the API is
    about."""

    def __init__(self, name: str, summary: str | None) -> None:
        self.blueprint = Blueprint(name, __name__)
        self.name, self.told = name, (summary or "").strip()
        self.endpoints: list[Endpoint] = []

    @property
    def uploads(self) -> set[str]:
        """The endpoints, as Flask calls them, that take something else than JSON."""
        return {f"{self.blueprint.name}.{e.operation}" for e in self.endpoints if e.takes}

    def endpoint(
        self,
        method: str,
        path: str,
        *,
        reply: Any = None,
        body: type[BaseModel] | None = None,
        query: type[BaseModel] | None = None,
        takes: str | None = None,
        gives: str | None = None,
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """Declare a route under /api.

        The function gets the path's parts, then ``body`` and ``query`` where declared, already
        checked; what it returns is written in the shape of ``reply``. What it ``takes`` as it is, it reads
        by ``uploaded``, whatever its size. Of every list as much is given as is asked for by ``size`` and
        ``at``, which a query of its own may do better.
        """
        own = query is not None and "size" in query.model_fields
        parted = method == "GET" and get_origin(reply) is list and not own
        queries = tuple(q for q in (query, _Stretch if parted else None) if q is not None)
        shape = _shape_of(reply) if reply is not None else None
        taken = _shape_of(body) if body is not None else None

        def register(function: Callable[..., Any]) -> Callable[..., Any]:
            def answer(**parts: Any) -> Response:
                _check_texts(*parts.values(), *request.args.values())
                if takes is not None:
                    request.max_content_length = None
                if taken is not None:
                    parts["body"] = taken.validate_json(_document())
                asked = request.args.to_dict()
                stretch = _Stretch()
                if parted:
                    of_list = {n: asked.pop(n) for n in _Stretch.model_fields if n in asked}
                    stretch = _Stretch.model_validate(of_list)
                if query is not None:
                    parts["query"] = query.model_validate(asked)
                result = function(**parts)
                if isinstance(result, Response):
                    return result
                if shape is None:
                    return Response(status=204)
                if not parted:
                    return Response(shape.dump_json(result), mimetype="application/json")
                size = len(result) if stretch.size is None else stretch.size
                some = shape.dump_json(result[stretch.at : stretch.at + size])
                return Response(
                    some, mimetype="application/json", headers={COUNT: f"{len(result)}"}
                )

            name = function.__name__
            self.blueprint.add_url_rule(f"/api{path}", name, answer, methods=[method])
            self.endpoints.append(
                Endpoint(
                    part=self.name,
                    method=method.lower(),
                    path=f"/api{path}",
                    summary=_paragraphs(function)[0],
                    told="\n\n".join(_paragraphs(function)[1:]),
                    operation=name,
                    reply=shape,
                    body=taken,
                    queries=queries,
                    takes=takes,
                    gives=gives,
                )
            )
            return function

        return register


@cache
def _shape_of(kind: Any) -> TypeAdapter[Any]:
    """How something is read and written; the same for every application of a process."""
    return TypeAdapter(kind)


def _paragraphs(function: Callable[..., Any]) -> list[str]:
    text = inspect.cleandoc(function.__doc__ or "")
    return [" ".join(paragraph.split()) for paragraph in text.split("\n\n")]


def _document() -> bytes:
    """The request's JSON document. Raises UseCaseError ``zero_character``."""
    data = request.get_data()
    if _ZERO.search(data):
        raise _zero_character()
    return data


def _check_texts(*texts: object) -> None:
    if any(isinstance(text, str) and "\0" in text for text in texts):
        raise _zero_character()


def _zero_character() -> UseCaseError:
    message = "a text holds the character with the number 0, which can't be kept"
    mend = "take it out of the text"
    return UseCaseError(Problem(code="zero_character", message=message, mend=mend))


def openapi(contracts: list[Contract], error: Any) -> dict[str, Any]:
    """The OpenAPI document of all endpoints; every error has the one shape ``error``."""
    endpoints = [endpoint for contract in contracts for endpoint in contract.endpoints]
    wanted: list[tuple[Any, Any, TypeAdapter[Any]]] = [("error", "serialization", _shape_of(error))]
    for e in endpoints:
        if e.reply is not None:
            wanted.append((e.operation, "serialization", e.reply))
        if e.body is not None:
            wanted.append((e.operation, "validation", e.body))
    schemas, shared = TypeAdapter.json_schemas(wanted, ref_template=REFERENCE)
    failure = {"description": "What is wrong", **_content(schemas[("error", "serialization")])}
    paths: dict[str, dict[str, Any]] = {}
    for e in endpoints:
        path, parameters = _path(e.path)
        parameters += [parameter for query in e.queries for parameter in _query(query)]
        operation: dict[str, Any] = {
            "operationId": e.operation,
            "tags": [e.part],
            "summary": e.summary,
            **({"description": e.told} if e.told else {}),
            "parameters": parameters,
            "responses": {"default": failure, **_success(e, schemas)},
        }
        if e.method != "get":
            operation["security"] = [{"pass": []}, {"cookie": [], "token": []}]
        if e.takes is not None:
            octets = {"schema": {"type": "string", "format": "binary"}}
            operation["requestBody"] = {"required": True, "content": {e.takes: octets}}
        if e.body is not None:
            operation["requestBody"] = {
                "required": True,
                **_content(schemas[(e.operation, "validation")]),
            }
        paths.setdefault(path, {})[e.method] = operation
    return {
        "openapi": "3.1.0",
        "info": {"title": "Zealous Sieve", "version": "1"},
        "tags": [{"name": own.name, "description": own.told} for own in contracts],
        "paths": paths,
        "security": [{"pass": []}, {"cookie": []}],
        "components": {
            "schemas": shared.get("$defs", {}),
            "securitySchemes": {
                "pass": {"type": "http", "scheme": "bearer"},
                "cookie": {"type": "apiKey", "in": "cookie", "name": f"{COOKIE}_{_PORT}"},
                "token": {"type": "apiKey", "in": "header", "name": TOKEN},
            },
        },
    }


def _success(endpoint: Endpoint, schemas: Any) -> dict[str, Any]:
    if endpoint.gives is not None:
        schema = {"schema": {"type": "string", "format": "binary"}}
        return {"200": {"description": endpoint.summary, "content": {endpoint.gives: schema}}}
    if endpoint.reply is None:
        return {"204": {"description": "Done"}}
    content = _content(schemas[(endpoint.operation, "serialization")])
    return {"200": {"description": endpoint.summary, **content}}


def _content(schema: Any) -> dict[str, Any]:
    return {"content": {"application/json": {"schema": schema}}}


def _path(path: str) -> tuple[str, list[dict[str, Any]]]:
    """Flask's ``<id:run_id>`` as OpenAPI's ``{run_id}``."""
    parameters, steps = [], []
    for step in path.split("/"):
        if step.startswith("<"):
            kind, _, name = step[1:-1].rpartition(":")
            schema = {"type": "integer" if kind == "id" else "string"}
            parameters.append({"name": name, "in": "path", "required": True, "schema": schema})
            steps.append("{" + name + "}")
        else:
            steps.append(step)
    return "/".join(steps), parameters


def _query(query: type[BaseModel]) -> list[dict[str, Any]]:
    schema = query.model_json_schema(ref_template=REFERENCE)
    required = schema.get("required", [])
    return [
        {"name": name, "in": "query", "required": name in required, "schema": field}
        for name, field in schema["properties"].items()
    ]
