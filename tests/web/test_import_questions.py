"""What can't be seen in a table is asked before it is taken, and what is no row is none."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, send
from tests.web.test_imports import bring, counts, worked
from zealous_sieve.usecases.desk.outside import Outside

TWO_WAYS = "date;close\n" + "".join(
    f"{text};{n + 10}\n" for n, text in enumerate(("02.03.2026", "03.03.2026", "04.03.2026"))
)
"""Days in a row, or months in a row; each of them a weekday in both."""


def test_the_order_of_dates_is_asked_where_both_orders_make_sense(
    client: FlaskClient, outside: Outside
) -> None:
    number = bring(
        client, "quvna.csv", TWO_WAYS.replace("04.03", "06.03").replace("03.03", "04.03")
    )
    own = worked(client, outside, number)
    assert own["layout"]["asked"] == ["dates"]
    refused = send(client, f"/imports/{number}/take", {}, status=409)
    assert refused["code"] == "import_asks"
    for order, first in (("month day year", "2026-02-03"), ("day month year", "2026-03-02")):
        said = own["layout"] | {"dates": order, "asked": []}
        send(client, f"/imports/{number}/layout", {"layout": said}, "put")
        own = worked(client, outside, number)
        day = (date.fromisoformat(first) - date(1970, 1, 1)) // timedelta(days=1)
        assert own["account"]["first"] == day * 86_400
    assert worked(client, outside, number, "take")["state"] == "done"
    # The next one of its shape is read as it was said, and that is told.
    again = worked(client, outside, bring(client, "other.csv", TWO_WAYS))
    assert (again["layout"]["asked"], again["layout"]["dates"]) == ([], "day month year")
    assert "it is read as quvna.csv was" in again["doubts"]


def test_what_is_sure_is_not_asked(client: FlaskClient, outside: Outside) -> None:
    rows = "".join(f"{day:02}.03.2026;{day}\n" for day in (9, 10, 11, 12, 13))
    own = worked(client, outside, bring(client, "sure.csv", "date;close\n" + rows))
    assert (own["layout"]["asked"], own["layout"]["dates"]) == ([], "day month year")


@pytest.mark.parametrize("units", ["UTC;USD;USD;USD;USD;pieces", ";(EUR);(EUR);(EUR);(EUR);"])
def test_a_row_of_units_below_the_header_is_no_row(
    client: FlaskClient, outside: Outside, units: str
) -> None:
    rows = "".join(f"2026-03-{d:02};{d};{d + 1};{d - 1};{d};100\n" for d in (2, 3, 4, 5, 6))
    table = f"date;open;high;low;close;volume\n{units}\n{rows}"
    number = bring(client, "united.csv", table.replace("6;100", "6;many"))
    own = worked(client, outside, number)
    assert own["layout"]["under"] == 1
    assert any("under the header" in doubt for doubt in own["doubts"])
    assert counts(own) == (4, 0, 0, 1)
    refused = client.get(f"/api/imports/{number}/refused").text.splitlines()
    assert refused[0].startswith("date;open")
    assert refused[1].split(";")[6] == "7"
    # Mended, what was refused comes in again.
    again = bring(client, "mended.csv", "\n".join(refused).replace("many", "100"))
    assert counts(worked(client, outside, again))[3] == 0


def test_rows_that_are_wrong_at_once_are_no_units(client: FlaskClient, outside: Outside) -> None:
    table = "date;close\nwhen;what\n2026-03-02;n/a\n2026-03-03;-\n2026-03-04;5\n"
    own = worked(client, outside, bring(client, "poor.csv", table))
    assert own["layout"]["under"] == 0


def test_prices_below_zero_are_taken_where_that_is_said(
    client: FlaskClient, outside: Outside
) -> None:
    prices = (3, 2.5, 1, 0, -0.5, -2, -1, 0.25, 4)
    rows = "".join(
        f"2026-03-{n + 2:02};{p};{p + 1};{p - 1};{p + 0.5};7\n" for n, p in enumerate(prices)
    )
    number = bring(client, "spread.csv", "date;open;high;low;close;volume\n" + rows)
    own = worked(client, outside, number)
    assert own["account"]["refused"] == 6
    assert "unless it is said" in own["account"]["refusals"][0]["reason"]
    said = own["layout"] | {"negative": True}
    send(client, f"/imports/{number}/layout", {"layout": said}, "put")
    own = worked(client, outside, number)
    assert counts(own) == (len(prices), 0, 0, 0)
    assert worked(client, outside, number, "take")["account"]["findings"] == 0
    chart = send(client, "/instruments/spread/chart", {"lines": ["close", "change(close, 1)"]})
    assert chart["lines"][0]["values"] == [p + 0.5 for p in prices]
    fault = {"code": "spread", "kind": "correct", "seconds": 86_400, "values": {"close": -0.25}}
    moment = chart["times"][4]
    send(client, "/mendings", {"mending": fault | {"first": moment, "last": moment}})
    send(
        client,
        "/mendings",
        {"mending": fault | {"first": moment, "last": moment, "code": "LANT40"}},
        status=422,
    )
    sieve = {"name": "Below", "universe": "All instruments"}
    below = sieve | {"conditions": [{"role": "must", "formula": "close < 0 or close > 0"}]}
    assert send(client, "/preview", {"sieve": below})["ok"]
    assert get(client, "/instruments/spread")["summary"]["findings"] == []


def test_adjusted_closes_give_splits_and_payments_or_a_line_of_their_own(
    client: FlaskClient, outside: Outside
) -> None:
    """A split of 2 for 1 on 6 March, and 0.6 paid on 12 March; what they mend goes with the import."""
    rows = ""
    for day in (*range(2, 7), *range(9, 14)):
        close = (44 if day < 6 else 22) + day / 10
        factor = (0.5 if day < 6 else 1) * (1 - 0.6 / 23.1 if day < 12 else 1)
        rows += (
            f"2026-03-{day:02},{close},{close + 1},{close - 1},{close},100,{close * factor:.5f}\n"
        )
    table = "date,open,high,low,close,volume,Adj Close\n" + rows
    number = bring(client, "quvna.csv", table)
    own = worked(client, outside, number)
    assert any("adjusted closes (Adj Close) are left alone" in doubt for doubt in own["doubts"])
    assert own["account"]["mending_count"] == 0

    said = own["layout"] | {"adjusted": "splits and payments"}
    send(client, f"/imports/{number}/layout", {"layout": said}, "put")
    own = worked(client, outside, number)
    split, paid = own["account"]["mendings"]
    assert split == "quvna, 2026-03-06: split of 2 for 1"
    assert paid.startswith("quvna, 2026-03-12: payment of 0.6 on a close of 23.1")
    worked(client, outside, number, "take")
    columns = outside.bars.panel().series("quvna")[1]
    assert columns["close"][0] == pytest.approx(22.1 * (1 - 0.6 / 23.1), abs=1e-4)
    assert columns["volume"].tolist() == [200.0] * 4 + [100.0] * 6
    detail = get(client, "/instruments/quvna")
    assert [event["title"] for event in detail["events"] if event["kind"] == "split"] == ["2 for 1"]

    again = worked(client, outside, bring(client, "quvna.csv", table))
    assert again["layout"]["adjusted"] == "splits and payments", "as it was said before"
    assert (counts(again), again["account"]["mending_count"]) == ((0, 0, 10, 0), 0)
    back = worked(client, outside, number, "back")
    assert back["state"] == "gone"
    assert outside.mendings.all() == []
    assert not [event for event in outside.market.events() if event.code == "quvna"]

    number = bring(client, "tavros.csv", table)
    said |= {"code": "tavros", "adjusted": "a line of their own", "kind": "share"}
    send(client, f"/imports/{number}/layout", {"layout": said}, "put")
    assert worked(client, outside, number)["account"]["codes"] == ["tavros", "tavros adjusted"]
    worked(client, outside, number, "take")
    line = outside.bars.panel().series("tavros adjusted")[1]
    assert line["high"].tolist() == line["close"].tolist()
    kinds = {i.code: i.kind for i in outside.market.instruments() if i.code.startswith("tavros")}
    assert kinds == {"tavros": "share", "tavros adjusted": "other"}
    assert outside.bars.panel().series("tavros")[1]["close"][0] == 44.2
