"""The background set back to a moment is the background of a desk that never saw what came after."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, send
from tests.web.test_as_of import WEEK_BACK, seconds, seen
from zealous_sieve.core.market.bases import Base, series_of
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import DEMO_NOW

RATED = {"formula": "rank(close / ago(close, 5))", "bars": "1d", "back": 3}
WEEKLY = {"formula": "rsi(11)", "bars": "1w", "back": 2}
MOVED = {"formula": "session_change", "bars": "15m"}
SPANS = [{"bars": "1d", "count": 22}, {"bars": "1h", "count": 3}]


def measure(column: dict[str, Any]) -> dict[str, Any]:
    return {"formula": column["formula"], "bars": column["bars"]}


def asked(client: FlaskClient, forming: bool) -> dict[str, Any]:
    """Every question of the background, and what it is asked with."""
    arranged = get(client, "/arrangements/overview")[0]["body"] | {"forming": forming}
    points = {"universe": "Kelp", "x": MOVED, "y": measure(RATED), "size": measure(WEEKLY)}
    settles = {"formula": "close > start by 0.4%", "bars": "1d", "horizon": 6}
    reasons = [{"bars": "1w", "formula": "close > sma(close, 30)"}]
    return {
        "/board": {"universe": "Kelp", "columns": [RATED, WEEKLY], "forming": forming},
        "/scatter": {**points, "trail": 4, "move": "1h", "forming": forming},
        "/scatter?": {**points, "session": True, "step": "15m", "count": 30, "forming": forming},
        "/strength": {"universe": "Currencies", "spans": SPANS, "line": 1, "forming": forming},
        "/overview/statements": {"arranged": arranged},
        "/overview/breadth": {"arranged": arranged},
        "/overview/tightness": {"arranged": arranged},
        "/overview/rotation": {"arranged": arranged},
        "/outlooks/look": {"code": "LANT40", "lean": 1, "settles": settles, "reasons": reasons},
    }


def forget_what_came_after(outside: Outside, moment: int) -> None:
    """Leave the bars that were over by a moment, and of the others what they are built from."""
    whole = outside.bars.panel()
    then = whole.as_of(moment)
    kept = {
        base: {code: own for code in then.codes if len((own := series_of(then, base, code))[0])}
        for base in Base
    }
    outside.bars.drop(whole.codes)
    outside.bars.write(kept)
    outside.market.set_setting(DEMO_NOW, str(moment))


@pytest.mark.parametrize("forming", [False, True])
def test_every_page_set_back_agrees_with_bars_cut_at_that_moment(
    client: FlaskClient, outside: Outside, forming: bool
) -> None:
    questions = asked(client, forming)
    then = {path: seen(client, path.rstrip("?"), body=body) for path, body in questions.items()}
    now = {path: send(client, path.rstrip("?"), body) for path, body in questions.items()}
    strip = seen(client, "/overview/sessions")
    forget_what_came_after(outside, seconds(WEEK_BACK))
    for path, body in questions.items():
        cut = send(client, path.rstrip("?"), body)
        assert cut == then[path], path
        assert cut != now[path], path
    assert get(client, "/overview/sessions") == strip
    assert get(client, "/thread")["instruments"] == 287


@pytest.mark.reads
def test_before_the_first_bar_every_page_says_that_nothing_is_known(client: FlaskClient) -> None:
    early = "1999-01-01T00:00:00Z"
    found = {
        path: seen(client, path.rstrip("?"), early, body)
        for path, body in asked(client, False).items()
    }
    assert set(found["/board"]["columns"][1]["values"]) <= {None}
    assert found["/scatter"]["moments"] == found["/scatter?"]["moments"] == []
    assert {v for span in found["/strength"]["spans"] for v in span["values"]} == {None}
    assert {own["cell"] for own in found["/overview/statements"]} == {"unknown"}
    assert all(own["problems"] for own in found["/overview/statements"])
    assert found["/overview/breadth"]["moments"] == []
    assert found["/overview/tightness"]["rows"] == []
    assert {v for own in found["/overview/rotation"]["moves"] for v in own} <= {None}
    assert found["/outlooks/look"]["start"] is None
