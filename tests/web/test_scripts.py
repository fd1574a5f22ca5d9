"""What a script needs: the guide's own lines, the document of all requests, and lists by parts."""

from __future__ import annotations

import re
import sys
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from flask.testing import FlaskClient

from tests.conftest import Service
from tests.web.test_contract import CONTRACT
from zealous_sieve.environment import DATA
from zealous_sieve.web.contract import COUNT

GUIDE = Path(__file__).parents[2] / "docs/guide/from-a-script.md"
LISTS = sorted(
    path
    for path, methods in CONTRACT["paths"].items()
    for asked in [methods.get("get", {}).get("parameters", ())]
    if {"size", "at"} <= {one["name"] for one in asked}
    and not any(one["required"] for one in asked)
    for reply in [methods["get"]["responses"]["200"]["content"]["application/json"]]
    if reply["schema"].get("type") == "array"
)
BOUNDED = {"/api/runs"}
"""Lists that are never read whole."""


def test_the_lines_of_the_guide_do_what_it_says(
    service: Service, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: Any
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv(DATA, str(service.folder))
    program = str(Path(sys.executable).with_name("zealous-sieve"))
    blocks = re.findall(r"```python\n(.*?)```", GUIDE.read_text("utf-8"), re.S)
    assert len(blocks) >= 6
    known: dict[str, Any] = {}
    for block in blocks:
        here = block.replace("http://127.0.0.1:8437", service.base)
        exec(here.replace(".venv/bin/zealous-sieve", program), known)
    said = capsys.readouterr().out
    assert "Close is above its 35-bar average" in said
    assert "2026-06-09T14:20:00" in said
    assert "3 new 0 refused" in said
    assert said.endswith("not_found\n")
    hits = pq.read_table(tmp_path / "tonight.parquet")
    assert hits.column("code").to_pylist()[:20] == [hit["code"] for hit in known["page"]["hits"]]
    assert sorted(p.name for p in tmp_path.iterdir()) == ["QUVNA.csv", "tonight.parquet"]


@pytest.mark.reads
def test_the_document_that_is_served_tells_every_request(client: FlaskClient) -> None:
    served = client.get("/api/openapi.json").json
    assert served == CONTRACT
    rules = [rule for rule in client.application.url_map.iter_rules() if rule.rule[:5] == "/api/"]
    asked = {
        (re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule), method.lower())
        for rule in rules
        for method in (rule.methods or set()) - {"HEAD", "OPTIONS"}
    }
    assert asked == {(path, method) for path, own in served["paths"].items() for method in own}
    assert ("/api/session", "get") in asked
    parts = {tag["name"] for tag in served["tags"] if tag["description"]}
    assert parts == {
        own["tags"][0] for methods in served["paths"].values() for own in methods.values()
    }


@pytest.mark.reads
@pytest.mark.parametrize("path", LISTS)
def test_a_list_is_given_by_parts(client: FlaskClient, path: str) -> None:
    whole = client.get(path)
    count = len(whole.json)
    for size, at in ((1, 0), (1, 1), (2, max(0, count - 1)), (100_000, 0), (5, count), (5, 10**6)):
        some = client.get(f"{path}?size={min(size, 1000) if path in BOUNDED else size}&at={at}")
        assert some.json == whole.json[at : at + size]
        assert path in BOUNDED or some.headers[COUNT] == whole.headers[COUNT] == str(count)
    for wrong in ("size=0", "size=-1", "at=-1", "size=two", "size=1e9"):
        assert client.get(f"{path}?{wrong}").status_code == 422
