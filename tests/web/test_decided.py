"""What was taken, watched and dropped in all runs, with what the price did since."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, hit_at, ran, send
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.hits import DecidedSetup, VerdictKind
from zealous_sieve.usecases.review.decided import SinceVerdict, _since


def decide(client: FlaskClient, run: int, code: str, verdict: str | None, **told: str) -> None:
    body = {"verdict": verdict, "reason": "", "note": ""} | told
    send(client, f"{hit_at(client, run, code)}/verdict", body, "put")


def test_each_setup_stands_once_by_its_last_verdict_whichever_run_it_was_seen_in(
    client: FlaskClient, outside: Outside
) -> None:
    first, again = ran(client, outside), ran(client, outside)
    codes = [hit["code"] for hit in get(client, f"/runs/{first}/hits")["hits"]][:4]
    decide(client, first, codes[0], "take", reason="clean break")
    decide(client, again, codes[0], "watch", note="Wait for it")
    decide(client, first, codes[1], "drop")
    decide(client, first, codes[2], "take")
    decide(client, again, codes[2], None)
    decide(client, first, codes[3], "take")

    page = get(client, "/verdicts")
    assert page["counts"] == {"take": 1, "watch": 1, "drop": 1}
    assert [own["code"] for own in page["setups"]] == [codes[3], codes[1], codes[0]]
    watched = page["setups"][2]
    assert (watched["run_id"], watched["verdict"], watched["note"]) == (
        again,
        "watch",
        "Wait for it",
    )
    hit = get(client, f"/runs/{first}/hits/{codes[0]}")
    assert [watched[n] for n in ("bar_at", "close", "side")] == [
        hit[n] for n in ("bar_at", "close", "side")
    ]

    assert [own["code"] for own in get(client, "/verdicts?verdict=take")["setups"]] == [codes[3]]
    assert get(client, "/verdicts?words=WAIT+for")["matching"] == 1
    assert get(client, "/verdicts?words=nothing+like+it")["setups"] == []
    by_code = get(client, "/verdicts?sort=code&down=false")["setups"]
    assert [own["code"] for own in by_code] == sorted([codes[0], codes[1], codes[3]])
    assert get(client, "/verdicts?size=1&at=1")["setups"] == page["setups"][1:2]
    before = {"As-Of": "2026-06-01T12:00:00Z"}
    assert client.get("/api/verdicts", headers=before).json["matching"] == 0


def setup(side: Side, bar_at: int, code: str = "QUVNA") -> DecidedSetup:
    plain: dict[str, Any] = dict.fromkeys(DecidedSetup.__dataclass_fields__)
    plain |= {"code": code, "side": side, "bar_at": bar_at, "verdict": VerdictKind.TAKE}
    return DecidedSetup(**plain)


@pytest.mark.parametrize("side", Side)
def test_what_the_price_did_since_begins_with_the_bar_after_the_judged_one(side: Side) -> None:
    close = np.array([10.0, 20.0, 22.0, 15.0, 18.0])
    columns = {"open": close, "high": close + 3, "low": close - 1, "close": close, "volume": close}
    panel = Panel.of({"QUVNA": (np.arange(5, dtype=np.int64) * 86400, columns)})
    since = _since(panel, setup(side, 86400))
    up, down = 100 * 25 / 20 - 100, 100 - 100 * 14 / 20
    ways = (up, down) if side == Side.LONG else (down, up)
    assert (since.now, since.bars) == (18.0, 3)
    assert since.move == pytest.approx(-10)
    assert (since.far_for, since.far_against) == pytest.approx(ways)

    at_end = _since(panel, setup(side, 4 * 86400))
    assert at_end == SinceVerdict(now=18.0, bars=0), "nothing came after it yet"
    assert _since(panel, setup(side, 86401)) == SinceVerdict(now=18.0), (
        "that bar is not kept any more"
    )
    assert _since(panel, setup(side, 0, "GONE")) == _since(None, setup(side, 0)) == SinceVerdict()
    below = Panel.of({"QUVNA": (panel.times, columns | {"close": close - 20})})
    assert _since(below, setup(side, 86400)) == SinceVerdict(now=-2.0, bars=3), "no percent of zero"
