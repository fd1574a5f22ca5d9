"""Facts and events count from when they were known, at every bar of the past and as of any moment."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.bars import DAY, panel_of, values, walk
from zealous_sieve.core.engine.background import Background, Track
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import KNOWN_FROM, Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.instruments import (
    DatedFact,
    Event,
    Instrument,
    ReferenceData,
    track_of,
)
from zealous_sieve.core.market.universes import Rule, Surroundings, membership, rests_on
from zealous_sieve.core.sieve.hindsight import NamedFacts, hindsight, named_in

BARS = 30
MOMENTS = st.integers(0, BARS * 24).map(lambda hours: hours * 3600)


@st.composite
def told(draw: st.DrawFn) -> list[DatedFact]:
    """What was said of a fact in the course of time; no two of the same moments."""
    many = st.lists(st.tuples(MOMENTS, st.none() | MOMENTS), max_size=8, unique=True)
    return [
        DatedFact(code="A0", name="size", value=float(n), held=held, known=known)
        for n, (held, known) in enumerate(draw(many))
    ]


def believed(facts: list[DatedFact], moment: int) -> float:
    """What anybody would have said at a moment: of what had begun to hold and was known, that which began
    last; where it was corrected, the correction that was heard last."""
    heard = [f for f in facts if f.held <= moment and (f.known is None or f.known <= moment)]
    if not heard:
        return np.nan
    last = max(heard, key=lambda f: (f.held, f.since))
    assert isinstance(last.value, float)
    return last.value


@given(told(), MOMENTS)
def test_at_every_bar_a_fact_is_what_was_known_then(facts: list[DatedFact], moment: int) -> None:
    panel = panel_of(BARS).with_background([Background(dated={"size": track_of(facts)})])
    closes = panel.close_times(panel.rows(0)).tolist()
    assume(len({(f.held, f.since) for f in facts}) == len(facts))  # else either may count
    np.testing.assert_array_equal(
        values('fact("size")', panel), [believed(facts, closed) for closed in closes]
    )
    then = panel.as_of(moment)
    np.testing.assert_equal(
        then.fact("size")[0], None if np.isnan(now := believed(facts, moment)) else now
    )
    if then.bars:
        np.testing.assert_equal(values('fact("size")', then, last=1)[0, 0], believed(facts, moment))


@st.composite
def scheduled(draw: st.DrawFn) -> list[Event]:
    days = draw(st.lists(st.integers(0, BARS + 20), max_size=8, unique=True))
    ahead = st.none() | st.integers(-3, 25)
    return [
        Event(kind="report", day=day * DAY, title="", code="A0",
              announced=None if (before := draw(ahead)) is None else (day - before) * DAY)
        for day in days
    ]  # fmt: skip


def panel_with(events: list[Event]) -> Panel:
    """One instrument with a calendar that another one's fills far ahead."""
    own = (Instrument(code="A0", name=""), Instrument(code="A1", name=""))
    far = Event(kind="report", day=400 * DAY, title="", code="A1")
    reference = ReferenceData(instruments=own, events=(*events, far))
    return panel_of(BARS, BARS).with_background(reference.background)


def days(text: str, panel: Panel) -> Column:
    return values(text, panel)[panel.rows(0)]


@given(scheduled())
def test_an_event_counts_from_when_it_was_announced(events: list[Event]) -> None:
    panel = panel_with(events)
    next_ones, last_ones = [], []
    for closed in panel.close_times(panel.rows(0)).tolist():
        today = (closed - 1) // DAY
        heard = [e.day // DAY for e in events if e.announced is None or e.announced <= closed]
        next_ones.append(min((d - today for d in heard if d >= today), default=np.inf))
        last_ones.append(min((float(today - d) for d in heard if d <= today), default=np.nan))
    np.testing.assert_array_equal(days('days_to_event("report")', panel), next_ones)
    np.testing.assert_array_equal(days('days_since_event("report")', panel), last_ones)


def test_a_group_is_of_those_who_belonged_to_it_then() -> None:
    change = Track(moments=np.array([0, 20 * DAY + 1]), values=("salt", "glass"))
    known = [Background(facts={"sector": s}) for s in ("salt", "glass", "salt", "glass")]
    panel = panel_of(40, 40, 40, 40).with_background(
        [Background(dated={"sector": change}), *known[1:]]
    )
    before = panel.with_background(known)
    after = panel.with_background([replace(known[0], facts={"sector": "glass"}), *known[1:]])
    for text in ('rank(close, by = "sector")', 'mean_across(close, by = "sector")'):
        found, early, late = (values(text, p).reshape(4, 40) for p in (panel, before, after))
        np.testing.assert_array_equal(found[:, :20], early[:, :20])
        np.testing.assert_array_equal(found[:, 20:], late[:, 20:])
        assert not np.array_equal(early, late)


def test_members_of_a_universe_are_those_of_the_moment() -> None:
    facts = [
        DatedFact(code="A", name="sector", value="salt", held=0),
        DatedFact(code="A", name="sector", value="glass", held=5 * DAY, known=9 * DAY),
    ]
    own = (Instrument(code="A", name=""), Instrument(code="B", name="", facts={"sector": "salt"}))
    reference = ReferenceData(instruments=own, dated=tuple(facts))

    def members(moment: int) -> list[str]:
        around = Surroundings(
            instruments=reference.seen_at(moment), universes={}, truths=lambda *_: np.ones(0, bool),
            turnovers=lambda _: np.ones(0), doubted=lambda _: (),
        )  # fmt: skip
        rule = Rule(where={"sector": "salt"})
        return [i.code for i in membership(rule, around).instruments]

    assert members(9 * DAY - 1) == ["A", "B"]
    assert members(9 * DAY) == ["B"]
    assert reference.names is not None
    assert dict(reference.names.values)["sector"] == {"salt", "glass"}


def test_what_is_taken_from_now_is_told() -> None:
    text = (
        'fact("size") > 1 and days_to_event("report") > 3 and rank(close, by = "sector") > 1 on 1w'
    )
    terms = [output.term for output in check(text).outputs.values()]
    named = named_in(terms)
    assert named == NamedFacts(facts=frozenset({"size", "sector"}), events=frozenset({"report"}))
    day = np.array([DAY])
    guessed = Track(moments=day, values=(1.0,), assumed=True)
    everyone = [
        Background(facts={"size": 1.0, "sector": "salt"}, events={"report": day}),
        Background(dated={"size": guessed, "sector": replace(guessed, assumed=False)}),
    ]  # fmt: skip
    said = hindsight(named, everyone)
    assert [line.split(":")[0] for line in said] == [
        'the fact "sector" of 1 instrument is taken as it is known now',
        'the fact "size" of 1 instrument is taken as it is known now',
        'the fact "size" of 1 instrument is taken as known from when it began to hold',
        'the days of "report" are taken as always known',
    ]
    dated = Background(dated={"size": replace(guessed, assumed=False)}, events={"report": day},
                       announced={"report": day})  # fmt: skip
    assert hindsight(named, [dated]) == ()


def test_a_universe_rests_on_what_those_it_is_made_of_rest_on() -> None:
    rules = {
        "inner": Rule(where={"sector": "salt"}, formula="close > 1", parts=("outer",)),
        "outer": Rule(parts=("inner",), largest=3),
    }
    assert rests_on(rules["outer"], rules) == ({"sector", "market_cap"}, ("close > 1",))
    assert rests_on(Rule(), rules) == (frozenset(), ())


@given(st.lists(st.integers(0, 5 * DAY // 3600), min_size=40, max_size=40), st.integers(8, 45 * 24))
def test_slower_bars_never_change_when_bars_come_late(hours: list[int], hour: int) -> None:
    """Of bars of a week from days that were known late: what had closed at a moment stays as it was."""
    times, columns = walk(40)
    late = np.array(hours) * 3600.0
    told = np.where(late > 0, times + DAY + late, np.nan)
    panel = Panel.of({"A0": (times, {**columns, KNOWN_FROM: told})}).with_background([Background()])
    known = np.maximum.accumulate(times + DAY + late)
    np.testing.assert_array_equal(panel.close_times(panel.rows(0)), known)
    moment = hour * 3600
    np.testing.assert_array_equal(panel.as_of(moment).ends, [(known <= moment).sum()])
    for rule in ("1w", "range(20)"):
        whole = bars_of(panel, timeframe(rule))
        then = seen_at(panel, moment, timeframe(rule))
        rows = then.rows(0)
        assert rows.stop == (whole.close_times(whole.rows(0)) <= moment).sum()
        for name in ("open", "high", "low", "close", "volume"):
            np.testing.assert_array_equal(then.columns[name][rows], whole.columns[name][rows])
