"""Scatters through the API: each moment of them is the desk as it was then."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, ran, send
from tests.web.test_as_of import seen
from zealous_sieve.usecases.desk.outside import Outside

MOVED = {"formula": "session_change", "bars": "1m"}
LONG = {"formula": "100 * (close / sma(close, 21) - 1)", "bars": "1w"}
RANKED = {"formula": "rank(close / prev(close))", "bars": "1d"}
NOTHING = {"formula": ""}


def asked(x: Any = MOVED, y: Any = LONG, size: Any = NOTHING, **more: Any) -> Any:
    return {"universe": "Kelp", "x": x, "y": y, "size": size, **more}


@pytest.mark.reads
@pytest.mark.parametrize("forming", [False, True])
def test_a_moment_of_the_session_is_the_desk_set_back_to_it(
    client: FlaskClient, forming: bool
) -> None:
    how = {"forming": forming, "size": RANKED}
    played = send(client, "/scatter", asked(session=True, step="1m", first=100, count=9, **how))
    assert played["first"] == 100
    assert len(played["x"]["values"]) == 9
    opened, newest = played["moments"][0], played["moments"][-1]
    assert newest - opened == 60 * (len(played["moments"]) - 1)
    for frame in (0, 8):
        at = datetime.fromtimestamp(played["moments"][100 + frame], UTC).isoformat()
        then = seen(client, "/scatter", at, asked(**how))
        for measure in ("x", "y", "size"):
            assert played[measure]["values"][frame] == then[measure]["values"][-1]
        assert len(set(then["size"]["values"][-1])) > 9


@pytest.mark.reads
def test_a_trail_is_what_was_and_points_are_the_ends_of_charts(client: FlaskClient) -> None:
    found = send(client, "/scatter", asked(trail=3, move="15m"))
    assert found["fastest"] == "1m"
    steps = [b - a for a, b in zip(found["moments"], found["moments"][1:], strict=False)]
    assert steps == [900, 900, 20 * 60]
    assert len(found["y"]["values"]) == 4
    place = 5
    code = found["codes"][place]
    chart = send(client, f"/instruments/{code}/chart", {"bars": "1w", "lines": [LONG["formula"]]})
    assert chart["provisional"]
    assert found["y"]["values"][-1][place] == chart["lines"][0]["values"][-2]


@pytest.mark.reads
def test_what_is_compared_is_so_within_one_universe_everywhere(client: FlaskClient) -> None:
    board = send(client, "/board", {"universe": "Kelp", "columns": [RANKED]})
    points = send(client, "/scatter", asked(RANKED, codes=board["codes"][3:5]))
    assert points["x"]["values"][-1] == board["columns"][0]["values"][3:5]
    looked = {"bars": "1d", "lines": [RANKED["formula"]], "universe": "Kelp"}
    chart = send(client, f"/instruments/{board['codes'][3]}/chart", looked)
    assert chart["lines"][0]["values"][-2] == points["x"]["values"][-1][0]
    outside = send(client, "/instruments/LANT40/chart", looked)["lines"][0]["values"]
    assert 0 <= outside[-1] <= 100
    apart = send(client, f"/instruments/{board['codes'][3]}/chart", {**looked, "universe": ""})
    assert apart["lines"][0]["values"] != chart["lines"][0]["values"]


def test_of_a_run_of_rows_and_of_nothing(client: FlaskClient, outside: Outside) -> None:
    run = ran(client, outside)
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    of_run = send(client, "/scatter", asked(RANKED, LONG, run=run))
    assert of_run["codes"] == [hit["code"] for hit in hits]
    assert set(of_run["sides"]) == {"long"}
    send(client, "/scatter", asked(run=9999), status=404)
    chosen = send(client, "/scatter", asked(RANKED, codes=["KPHSTQ", "NOBODY", "LANT40"]))
    assert "LANT40" in chosen["codes"]
    assert "NOBODY" not in chosen["codes"]
    send(client, "/universes", {"universe": {"name": "None", "rule": {"where": {"sector": "x"}}}})
    none = send(client, "/scatter", {**asked(RANKED), "universe": "None"})
    assert none["codes"] == none["moments"] == none["x"]["values"] == []
    early = seen(client, "/scatter", "2001-01-01T00:00:00Z", asked(session=True, step="1m"))
    assert early["moments"] == []


@pytest.mark.reads
def test_what_is_wrong_with_a_measure_stands_in_it(client: FlaskClient) -> None:
    found = send(client, "/scatter", asked({"formula": "closs"}, RANKED, {**LONG, "bars": "soon"}))
    codes = [[p["code"] for p in found[name]["problems"]] for name in ("x", "y", "size")]
    assert codes == [["unknown_name"], [], ["no_such_timeframe"]]
    assert len(found["y"]["values"][-1]) == len(found["codes"])
    assert found["x"]["values"] == []
    two = send(client, "/scatter", asked({"formula": "show a = close\nshow b = open"}, RANKED))
    assert two["x"]["problems"][0]["code"] == "two_results"
    wrong = send(client, "/scatter", asked(RANKED, move="soon", trail=2), status=422)
    assert wrong["code"] == "no_such_timeframe"
