"""Venues by their own clocks: daylight saving, half days, holidays."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import DAY, KINDS, background, example_calls, market_of, one, values
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import NEVER, Panel
from zealous_sieve.core.engine.session import Session, clock_of, read_session
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.data_quality import inspect
from zealous_sieve.core.market.staleness import missed_sessions
from zealous_sieve.core.sieve.unknown import why_unknown

HOURS = "08:00-12:00 13:00-18:00"
ZONES = ("America/New_York", "Pacific/Auckland", "Europe/Lisbon", "Australia/Lord_Howe")
MARCH = 2930
"""Weeks from the days of the made market to 2 March 2026: in the six weeks from there on, the clocks of
all these zones are changed."""


def moved(panel: Panel, session: Session) -> Panel:
    """A market in other years, whose sessions are held by another clock."""

    def own(base: Panel) -> Panel:
        local = base.times + MARCH * 7 * DAY
        times = local if base.duration >= DAY else session.clock.moments(local)
        return replace(base, times=times, closes=None, background=())

    days = range(len(panel))
    known = [replace(background(n), session=session) for n in days]
    known = [replace(k, events={"report": k.events["report"] + MARCH * 7 * DAY}) for k in known]
    made = replace(own(panel), bases=tuple(own(base) for base in panel.bases))
    return made.with_background(known)


def moment(text: str) -> int:
    return int(datetime.fromisoformat(text).timestamp())


SMALL = market_of(30)
USUAL = moved(SMALL, read_session("Quay", HOURS))


@pytest.mark.parametrize("zone", ZONES)
def test_a_market_says_the_same_by_whatever_clock_it_is_held(zone: str) -> None:
    session = read_session("Quay", HOURS, zone)
    there = moved(SMALL, session)
    for rule in map(timeframe, KINDS):
        usual, other = bars_of(USUAL, rule), bars_of(there, rule)
        np.testing.assert_array_equal(other.local_times, usual.times, str(rule))
        for name, column in usual.columns.items():
            np.testing.assert_array_equal(other.columns[name], column, f"{rule} {name}")
        for panel in (USUAL, there):
            assert (panel.days(0, panel.times) == panel.times // DAY).all()
        closes, told = other.close_times(slice(None)), usual.close_times(slice(None))
        over = told < NEVER
        np.testing.assert_array_equal(session.local(closes[over]), told[over], str(rule))
    calls = [*example_calls(), *(f"({call}) on 1d" for call in example_calls())]
    terms = {call: check(call).outputs["value"].term for call in calls}
    for rule in map(timeframe, ("15m", "1d")):
        usual, other = (bars_of(panel, rule) for panel in (USUAL, there))
        told, found = evaluate(terms, usual), evaluate(terms, other)
        for call in calls:
            np.testing.assert_array_equal(found[call], told[call], f"{call} {rule}")


@pytest.mark.parametrize("zone", ZONES)
def test_the_data_check_and_what_is_stale_know_the_venues_clock(zone: str) -> None:
    """Minutes that are missing, a print far off, and instruments that stopped: the same by any clock."""
    faulty = broken(SMALL)
    found = {}
    for name in ("UTC", zone):
        session = read_session("Quay", HOURS, name)
        there = moved(faulty, session)
        findings = inspect(there, dict.fromkeys(there.codes, "Quay"))
        moments = [np.array([own.first, own.last]) for own in findings]
        inside = [(pair % DAY).any() for pair in moments]
        local = [session.local(p) if i else p for p, i in zip(moments, inside, strict=True)]
        found[name] = [
            (own.code, own.kind, own.bars, own.detail, *pair.tolist())
            for own, pair in zip(findings, local, strict=True)
        ]
        closes = session.closes(day_of("2026-04-10"))
        late = there.as_of(int(closes[0]) + 60)
        found[f"{name} stale"] = missed_sessions(late).tolist()
    assert found[zone] == found["UTC"]
    assert {"gap", "bad print"} <= {str(kind) for _, kind, *_ in found["UTC"]}
    assert found[f"{zone} stale"] == found["UTC stale"]
    assert found["UTC stale"][1] > 0


def broken(panel: Panel) -> Panel:
    """The market with half an hour missing and a print far off in its minutes, and an instrument that ends
    a week early."""
    fast = next(base for base in panel.bases if base.duration == 60)
    series = {}
    for n, code in enumerate(fast.codes):
        rows = fast.rows(n)
        times, columns = fast.times[rows], {k: c[rows].copy() for k, c in fast.columns.items()}
        columns["high"][700] *= 3
        kept = np.ones(len(times), dtype=bool)
        kept[1500:1530] = False
        if n == 1:
            kept[-540 * 5 :] = False
        series[code] = (times[kept], {k: c[kept] for k, c in columns.items()})
    minutes = Panel.of(series).with_background(fast.background)
    daily = replace(bars_of(minutes, timeframe("1d")), bases=(), rule=None, whole=None)
    return replace(daily, bases=(minutes, daily))


def day_of(text: str) -> Times:
    return np.array([np.datetime64(text, "D").astype(np.int64)])


@given(st.sampled_from([*ZONES, "Pacific/Apia", "Africa/Casablanca", "UTC"]), st.data())
def test_a_clock_shows_what_the_zone_database_says(zone: str, data: st.DataObject) -> None:
    own, clock = ZoneInfo(zone), clock_of(zone)
    seconds = st.integers(DAY, 120 * 365 * DAY)
    if not clock.utc:
        near = st.sampled_from(clock.turns.tolist()), st.integers(-12 * 3600, 12 * 3600)
        seconds |= st.builds(int.__add__, *near)
    wanted = np.array(data.draw(st.lists(seconds, min_size=1, max_size=20)))
    shown = [datetime.fromtimestamp(t, own).replace(tzinfo=UTC) for t in wanted.tolist()]
    assert clock.local(wanted).tolist() == [int(each.timestamp()) for each in shown]
    walls = [datetime.fromtimestamp(t, UTC).replace(tzinfo=own) for t in wanted.tolist()]
    assert clock.moments(wanted).tolist() == [int(each.timestamp()) for each in walls]


HALF = "2026-04-02T13:00"
QUAY = read_session("Quay", HOURS, "Europe/Lisbon", HALF, "2026-04-03 2026-04-06")
"""Lisbon puts its clocks forward on 29 March; the Thursday is a half day, Friday and Monday are away."""


def at_quay(*texts: str, session: Session = QUAY, length: int = 3600) -> Panel:
    """Bars that open at these times of the quay's clock, each a price higher."""
    local = np.array([int(np.datetime64(text, "s").astype(np.int64)) for text in texts])
    panel = one({"close": np.arange(1.0, len(texts) + 1)}, session.clock.moments(local))
    report = np.array([np.datetime64("2026-04-08", "s").astype(np.int64)])
    known = Background(session=session, events={"report": report})
    panel = replace(panel, duration=length).with_background([known])
    return replace(panel, bases=(panel,))


def test_the_open_is_an_hour_earlier_once_the_clocks_are_put_forward() -> None:
    panel = at_quay("2026-03-27T08:00", "2026-03-27T13:00", "2026-03-30T08:00", "2026-03-30T10:00")
    utc = [datetime.fromtimestamp(t, UTC).hour for t in panel.times.tolist()]
    assert utc == [8, 13, 7, 9]
    assert values("hour", panel).tolist() == [8, 13, 8, 10]
    assert values("minutes_from_open", panel).tolist() == [0, 300, 0, 120]
    assert values("minutes_to_close", panel).tolist() == [540, 240, 540, 420]
    assert values("first_bar", panel).tolist() == [1, 0, 1, 0]


def test_a_day_in_the_east_begins_before_its_name_and_one_in_the_west_after() -> None:
    for zone in ("Pacific/Auckland", "America/New_York"):
        session = read_session("Quay", HOURS, zone)
        stamps = [f"2026-03-{d}T{h}" for d in (26, 27) for h in ("08:00", "17:00")]
        fast = at_quay(*stamps, session=session)
        assert values("day_of_week", fast).tolist() == [4, 4, 5, 5]
        days = bars_of(fast, timeframe("1d"))
        names = [np.datetime64(t, "s").item().isoformat()[:10] for t in days.times.tolist()]
        assert names == ["2026-03-26", "2026-03-27"], zone
        assert days.columns["close"].tolist() == [2, 4]
        assert values("close on 1d", fast).tolist()[1:] == [2, 2, 4]
        now = int(fast.times[-1]) + 3600
        forming = seen_at(fast, now, timeframe("1h"), forming=True)
        assert values("open on 1d", forming).tolist() == [1, 1, 3, 3], zone


def test_the_day_before_is_over_when_a_day_begins_at_the_venue() -> None:
    session = read_session("Quay", "00:00-24:00", "America/New_York")
    fast = at_quay("2026-03-26T01:00", "2026-03-26T23:00", "2026-03-27T00:00", session=session)
    levels = values('pivots("day").p', bars_of(fast, timeframe("1d")))
    np.testing.assert_allclose(levels, [np.nan, (2 + 1 + 2) / 3])


def test_a_half_day_closes_early_and_its_week_with_it() -> None:
    panel = at_quay("2026-04-01T15:00", "2026-04-02T11:00", "2026-04-07T08:00")
    assert values("minutes_to_close", panel).tolist() == [120, 60, 540]
    week, close = bars_of(panel, timeframe("1w")), moment("2026-04-02T12:00+00:00")
    assert week.close_times(slice(0, 1)).tolist() == [close]
    assert seen_at(panel, close - 1, timeframe("1w")).bars == 0
    assert seen_at(panel, close, timeframe("1w")).bars == 1
    long = bars_of(panel, timeframe("7h"))
    assert long.close_times(slice(1, 2)).tolist() == [close]


def test_venues_are_closed_on_holidays_and_after_a_half_day() -> None:
    session = read_session("Elsewhere", "00:00-24:00", "Europe/Lisbon")
    panel = at_quay("2026-04-02T12:30", "2026-04-02T13:30", "2026-04-02T14:00", "2026-04-03T09:00",
                    "2026-04-04T09:00", "2026-04-07T09:00", session=session)  # fmt: skip
    with_quay = replace(panel, whole=replace(at_quay("2026-04-02T08:00"), codes=("Q",)))
    inside = values('in_session("Quay")', with_quay)
    assert inside.tolist() == [0, 0, 0, 0, 0, 1]
    early = replace(QUAY, half_days=())
    with_early = replace(panel, whole=at_quay("2026-04-02T08:00", session=early))
    assert values('in_session("Quay")', with_early).tolist() == [0, 1, 1, 0, 0, 1]


def test_sessions_to_an_event_leave_out_holidays() -> None:
    panel = at_quay("2026-04-01T09:00", "2026-04-02T09:00", "2026-04-07T09:00")
    assert values('days_to_event("report").sessions', panel).tolist() == [3, 2, 1]
    assert values('days_to_event("report").days', panel).tolist() == [7, 6, 1]


def test_what_comes_after_the_close_changes_no_bar_that_was_over() -> None:
    panel = at_quay("2026-04-02T12:00", "2026-04-02T13:00", "2026-04-02T14:00")
    close = moment("2026-04-02T12:00+00:00")
    for text in ("2h", "4h"):
        before = seen_at(panel, close, timeframe(text))
        after = bars_of(panel, timeframe(text))
        assert before.columns["close"].tolist() == after.columns["close"][:1].tolist() == [1], text
    assert bars_of(panel, timeframe("1d")).close_times(slice(0, 1)) > close


@pytest.mark.parametrize(
    ("zone", "half_days", "holidays", "said"),
    [
        ("Europe/Lisbonn", "", "", r"time zone 'Europe/Lisbonn' \(did you mean Europe/Lisbon\?"),
        ("America", "", "", "there is no time zone 'America'"),
        ("../UTC", "", "", "there is no time zone"),
        ("UTC", "2026-04-02", "", r"'2026-04-02' is no half day of Quay \(write the day and when"),
        ("UTC", "2026-04-02T18:00", "", "closes outside the hours of Quay"),
        ("UTC", HALF, "2026-04-02", "2026-04-02 is both a half day and a holiday of Quay"),
        ("UTC", "", "2026-02-30", r"'2026-02-30' is no holiday of Quay \(write days such as"),
    ],
)
def test_calendars_that_make_no_sense_are_refused(
    zone: str, half_days: str, holidays: str, said: str
) -> None:
    with pytest.raises(DataError, match=said):
        read_session("Quay", HOURS, zone, half_days, holidays)


@pytest.mark.parametrize(
    ("rule", "formula", "words"),
    [
        ("1h", "close > sma(close, 25)", "needs 25 bars, has 2: known from about 9 Apr 2026 on"),
        ("1d", "close > sma(close, 4)", "needs 4 bars, has 2: known from about 8 Apr 2026 on"),
        ("1d", "close > (sma(close, 4) on 1w)", "has 1: known from about 24 Apr 2026 on"),
        ("1d", "close > (sma(close, 3) on 1mo)", "has 0: known from about 30 Jun 2026 on"),
        ("range(5)", "close > sma(close, 9)", "needs 9 bars, has 2"),
    ],
)
def test_what_is_unknown_yet_is_told_with_the_day_from_which_it_is_known(
    rule: str, formula: str, words: str
) -> None:
    panel = bars_of(at_quay("2026-04-01T09:00", "2026-04-02T09:00"), timeframe(rule))
    told = why_unknown(check(formula), panel, 0, int(panel.ends[0]) - 1)
    assert told.words.endswith(words)


@given(st.sampled_from(ZONES), st.integers(0, 40 * DAY))
def test_a_venue_is_open_when_its_clock_its_hours_and_its_days_say_so(
    zone: str, later: int
) -> None:
    """Written out minute by minute, as one would read it off the wall."""
    session = read_session("Quay", HOURS, zone, HALF, "2026-04-03 2026-04-06")
    at = moment("2026-03-10T00:00+00:00") + later
    wall = datetime.fromtimestamp(at, ZoneInfo(zone))
    minute, today = wall.hour * 60 + wall.minute + wall.second / 60, wall.date().isoformat()
    inside = 8 * 60 <= minute < 12 * 60 or 13 * 60 <= minute < 18 * 60
    half = today == HALF[:10] and minute >= 13 * 60
    away = wall.weekday() >= 5 or today in ("2026-04-03", "2026-04-06")
    moments = np.array([at])
    assert session.is_open(session.local(moments))[0] == (inside and not half and not away)
    days = session.days(moments)
    assert np.datetime64(int(days[0]), "D") == np.datetime64(today)
    opened, closed = session.opens(days)[0], session.closes(days)[0]
    assert datetime.fromtimestamp(opened, ZoneInfo(zone)).isoformat()[:16] == f"{today}T08:00"
    last = "13:00" if today == HALF[:10] else "18:00"
    assert datetime.fromtimestamp(closed, ZoneInfo(zone)).isoformat()[:16] == f"{today}T{last}"
