"""Every operation of the published interface, asked everything that its contract allows and more."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any
from urllib.parse import quote

import jsonschema
import pytest
from flask.testing import FlaskClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import session_of
from tests.fuzzing import MANY, examples, quickly
from zealous_sieve import bootstrap
from zealous_sieve.admission import Admission
from zealous_sieve.local.cluster import free_port
from zealous_sieve.web.app import create_app

CONTRACT = json.loads(
    (Path(__file__).parents[2] / "docs" / "reference" / "openapi.json").read_text()
)
COMPUTED = re.compile(
    "/api/(preview|board|compare|completions|formula$|instruments/|overview/|rows|scatter|strength"
    "|suggestions|sieves/read|universes/(preview|codes)|outlooks/look)"
)
"""Of what is posted, that which keeps nothing."""
OPERATIONS = [
    pytest.param(method, path, marks=[pytest.mark.reads] * reads)
    for path, methods in CONTRACT["paths"].items()
    for method in sorted(methods)
    for reads in [method == "get" or COMPUTED.match(path) is not None]
]
FORMULAS = (
    "close > sma(close, 20)",
    "rsi(14)",
    "clsoe > 1",
    "close on 1w > open on 1w",
    "input n = 3 between 1 and 9\nhighest(high, n)",
    "my_bands.upper",
    "((((",
    "",
)
TEXTS = st.one_of(
    st.sampled_from([*FORMULAS, "All shares", "Currencies", "1d", "15m", "brick(10, 20)", "long"]),
    st.text(max_size=12),
    st.just("\0"),
    st.just("é" * 5000),
)
KNOWN = {
    "universe": st.sampled_from(["All shares", "Currencies", "Pairs", "Nowhere"]),
    "formula": st.sampled_from(FORMULAS),
    "text": st.sampled_from(FORMULAS),
    "rank": st.sampled_from(FORMULAS),
    "timeframes": st.lists(
        st.sampled_from(["1d", "1w", "15m", "brick(10, 20)", "ticks(50)", "5x", ""]), max_size=2
    ),
    "code": st.sampled_from(["TPSNHV", "KPWNNQ", "NEWPAIR", "my_bands"]),
    "left": st.sampled_from(["TPSNHV", "KPWNNQ", "NOSUCH"]),
    "right": st.sampled_from(["TPSNHV", "KPWNNQ"]),
    "sieve_id": st.integers(0, 4),
}
"""What makes sense for a field of that name."""
NUMBERS = st.one_of(
    st.integers(-3, 12), st.sampled_from([10**9, 2**31, 2**63, 10**30, -(10**30), 0.5, 1e308])
)
ANYTHING: st.SearchStrategy[object] = st.recursive(
    st.none() | st.booleans() | NUMBERS | TEXTS,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(TEXTS, inner, max_size=3),
    max_leaves=6,
)


def resolved(schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in schema:
        schema = CONTRACT["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]]
    return schema


DEEPEST = 6
"""Deeper within each other than that lists are empty: some shapes hold their own kind."""


def like(schema: dict[str, Any], name: str = "", depth: int = 0) -> st.SearchStrategy[Any]:
    """Mostly what a schema asks for, now and then something else in its place."""
    schema = resolved(schema)
    fitting: st.SearchStrategy[Any]
    if name in KNOWN:
        fitting = st.one_of(KNOWN[name], KNOWN[name], TEXTS)
    elif "const" in schema:
        fitting = st.just(schema["const"])
    elif "enum" in schema:
        fitting = st.sampled_from(schema["enum"])
    elif "anyOf" in schema:
        fitting = st.one_of([like(each, "", depth) for each in schema["anyOf"]])
    elif schema.get("type") == "object":
        parts = schema.get("properties", {}).items()
        own = {key: like(each, key, depth + 1) for key, each in parts}
        needed = {key: own.pop(key) for key in schema.get("required", ())}
        fitting = st.fixed_dictionaries(needed, optional=own)
    elif schema.get("type") == "array":
        fitting = st.just([])
        if depth < DEEPEST:
            inner = like(schema.get("items", {}), "", depth + 1)
            fitting = st.lists(inner, min_size=1, max_size=3)
    elif schema.get("type") in ("integer", "number"):
        fitting = NUMBERS
    elif schema.get("type") == "boolean":
        fitting = st.booleans()
    elif schema.get("type") == "null":
        fitting = st.none()
    else:
        fitting = TEXTS
    return st.integers(0, 40).flatmap(lambda roll: ANYTHING if roll == 0 else fitting)


@st.composite
def requests(draw: st.DrawFn, method: str, path: str) -> dict[str, Any]:
    operation = CONTRACT["paths"][path][method]
    query = {}
    for parameter in operation.get("parameters", ()):
        value = draw(like(parameter["schema"], parameter["name"]))
        if parameter["in"] == "query":
            query[parameter["name"]] = value
        else:
            path = path.replace("{" + parameter["name"] + "}", quote(str(value), safe=""))
    body = operation.get("requestBody")
    if body is None:
        return {"path": path, "query_string": query}
    if "application/json" not in body["content"]:
        (kind,) = body["content"]
        table = st.sampled_from([b"day,close\n2026-03-02,1\n", b"code,sector\nA,b\n"])
        data = draw(st.one_of(table, st.binary(max_size=60)))
        return {"path": path, "query_string": query, "data": data, "content_type": kind}
    schema = body["content"]["application/json"]["schema"]
    return {"path": path, "query_string": query, "json": draw(like(schema))}


@pytest.mark.parametrize(("method", "path"), OPERATIONS)
def test_whatever_is_asked_is_answered_as_the_contract_says(
    client: FlaskClient, method: str, path: str
) -> None:
    """Never an error of our own making, and never a reply of another shape than the published one."""
    operation = CONTRACT["paths"][path][method]
    if MANY:  # the bars are read before anything is timed
        client.get("/api/instruments", query_string={"universe": "All shares"})

    @settings(
        max_examples=examples(25),
        deadline=None,
        database=None,
        suppress_health_check=list(HealthCheck),
    )
    @given(requests(method, path))
    def answered(request: dict[str, Any]) -> None:
        with quickly(request):
            reply = client.open(method=method.upper(), **request)
        assert reply.status_code < 500, (request, reply.json)
        said = operation["responses"].get(str(reply.status_code), operation["responses"]["default"])
        if "content" not in said:
            assert not reply.data
            return
        if "application/json" not in said["content"]:
            assert reply.mimetype in said["content"]
            return
        schema = said["content"]["application/json"]["schema"]
        jsonschema.validate(reply.json, {**schema, "components": CONTRACT["components"]})
        if reply.status_code >= 400:
            assert reply.json is not None
            assert reply.json["message"]

    answered()


@pytest.fixture(scope="module")
def away(tmp_path_factory: pytest.TempPathFactory) -> FlaskClient:
    """A desk whose database nobody answers for."""
    outside = bootstrap.outside(f"postgresql://desk@127.0.0.1:{free_port()}/nowhere")
    return session_of(create_app(outside, Admission.begun(tmp_path_factory.mktemp("away"))))


@pytest.mark.parametrize(("method", "path"), [each.values for each in OPERATIONS])
def test_while_the_database_is_away_that_is_said(away: FlaskClient, method: str, path: str) -> None:
    @settings(deadline=None, max_examples=3, derandomize=True, database=None,
              suppress_health_check=list(HealthCheck))  # fmt: skip
    @given(requests(method, path))
    def answered(request: dict[str, Any]) -> None:
        reply = away.open(method=method.upper(), **request)
        if reply.status_code >= 500:
            assert reply.json is not None
            assert (reply.status_code, reply.json["code"]) == (503, "database_away")

    answered()
