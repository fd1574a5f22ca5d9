"""One moment, one bar, one number: on a chart, a board, in a sieve, a statement and what a press
suggests."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.bars import KINDS, example_calls, market_of
from tests.desks import EVERYBODY, desk_on
from zealous_sieve.core.engine.background import Track
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.pages.board import BoardColumn, BoardSet
from zealous_sieve.core.pages.scatter import Measure, ScatterSet
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.background.boards import board_on
from zealous_sieve.usecases.background.scatters import ScatterAsked, scatter_on
from zealous_sieve.usecases.charts.chart import Part
from zealous_sieve.usecases.charts.dressing import Dress
from zealous_sieve.usecases.charts.instrument_charts import Looked, look_at
from zealous_sieve.usecases.shaping.fired import Stretch, fired_on
from zealous_sieve.usecases.shaping.suggested import Pointed, suggested_on

MARKET = market_of(days=5)
OPENS = int(MARKET.bases[1].times[0])
LAST = int(MARKET.bases[1].times[-1])
DAYS = sorted({int(time) // 86_400 for time in MARKET.bases[1].times})
CODES = MARKET.codes
SLOWER = ("", " on 80m", " on 1d")


@st.composite
def moments(draw: st.DrawFn) -> int:
    """Within a session, on a boundary of bars or off it."""
    day = draw(st.sampled_from(DAYS[2:]))
    quarters = draw(st.integers(1, 39))
    return (
        day * 86_400 + 8 * 3600 + quarters * 900 + draw(st.sampled_from([0, 0, 1, 45, 55, 61, 450]))
    )


def numbers(call: str, bars: str, moment: int, *, forming: bool) -> None:
    """The value of a call for an instrument at the newest bar that counts, wherever it is shown."""
    desk = desk_on(MARKET, moment)
    universe = EVERYBODY.name
    value = check(call).value
    assert value is not None
    column = BoardColumn(formula=call, bars=bars)
    shown = board_on(desk, BoardSet(universe=universe, columns=(column,), forming=forming))
    cells = dict(zip(shown.codes, shown.columns[0].values, strict=True))
    truth = value.kind == Kind.TRUTH
    sieve = Sieve(
        name="one",
        universe=universe,
        timeframes=(bars,),
        conditions=(Condition(formula=call if truth else "close == close"),),
        rank="" if truth else call,
        forming=forming,
    )
    panel = desk.bars(desk.members(universe), desk.now, bars, forming=forming)
    hits = {hit.code: hit.rank for hit in scan(prepare(sieve), panel, LOCAL).hits}
    for code in CODES:
        dress = Dress(lines=(call,), states=(call,) if truth else ())
        looked = Looked(
            bars=bars, universe=universe, forming=forming, dress=dress, part=Part(count=5_000)
        )
        chart = look_at(desk, code, looked, ())
        if not chart.times:
            continue
        line = chart.lines[0].values
        closed = len(line) - 1 if chart.provisional and not forming else len(line)
        on_chart = line[closed - 1] if closed else None
        assert on_chart == cells[code], (code, "board")
        pointed = Pointed(
            code=code, bars=bars, text=call, universe=universe, forming=forming,
            at=chart.times[closed - 1] if closed else chart.times[0] - 1,
        )  # fmt: skip
        if chart.times.count(pointed.at) <= 1:  # of bars that open in one second the last is meant
            assert suggested_on(desk, pointed).value == on_chart, (code, "press")
        if truth:
            marks = fired_on(desk, sieve, Stretch(code=code, part=Part(count=5_000)), ())
            states = chart.states[0].values[:closed]
            began = [
                time
                for time, now, before in zip(chart.times[1:], states[1:], states[:-1], strict=False)
                if now == 1 and before == 0
            ]
            assert set(began) <= {mark.at for mark in marks.fired}, (code, "marks")
            first = [now for now, before in zip(states, [None, *states], strict=False)
                     if now == 1 and before is None]  # fmt: skip
            assert chart.earlier or marks.held_when_first_known == len(first), (code, "held")
        elif on_chart is not None and code in hits:
            assert hits[code] == pytest.approx(on_chart, rel=1e-6), (code, "rank")


@given(
    st.sampled_from(example_calls()),
    st.sampled_from(SLOWER),
    st.sampled_from(KINDS[:-1]),
    moments(),
    st.booleans(),
)
@settings(max_examples=60)
def test_a_number_is_the_same_on_chart_board_press_and_in_a_sieve(
    call: str, slower: str, bars: str, moment: int, forming: bool
) -> None:
    """60 drawn calls; run once with 3,000."""
    numbers(f"{call}{slower}", bars, moment, forming=forming)


@given(st.sampled_from(["15m", "80m", "1d", "1w"]), moments())
@settings(max_examples=60)
def test_on_a_boundary_nothing_differs_but_for_the_bar_it_closes(bars: str, moment: int) -> None:
    """60 drawn moments, a third on a boundary: no bar without length, a rank for whoever is alive, and a
    trade of the moment itself opens nothing."""
    desk = desk_on(MARKET, moment)
    panel = desk.bars(desk.members(EVERYBODY.name), desk.now, bars, forming=True)
    for n in range(len(panel)):
        rows = panel.rows(n)
        assert (panel.close_times(rows) > panel.openings[rows]).all()
    column = BoardColumn(formula="rank(close)", bars=bars)
    cells = board_on(desk, BoardSet(universe=EVERYBODY.name, columns=(column,), forming=True))
    assert None not in cells.columns[0].values
    assert sum(v for v in cells.columns[0].values if v is not None) == 150


def _busy(market: Panel) -> Panel:
    """The same market, of which facts change and events are announced while it trades."""
    hours = np.arange(OPENS - 7_000, LAST, 19_000, dtype=np.int64)
    days = np.arange(OPENS // 86_400 - 3, OPENS // 86_400 + 30, 3, dtype=np.int64) * 86_400
    known = [
        replace(
            own,
            events={"report": days + n * 86_400},
            announced={"report": days + n * 86_400 - 4 * 86_400 + 37_000},
            dated={
                name: Track(moments=hours + 500 * n, values=tuple(range(n, n + len(hours))))
                for name in ("A0", "size")
            },
        )
        for n, own in enumerate(market.background)
    ]
    return market.with_background(known)


BUSY = _busy(MARKET)
MOVING = ('fact("size")', 'days_to_event("report").days', 'days_since_event("report").sessions',
          'close > sma(close, 3) and fact("size") > 4', 'rank(fact("size"))',
          'prev(days_to_event("report").days)', 'rank(close, by="size")')  # fmt: skip


@given(
    st.one_of(st.sampled_from(MOVING), st.sampled_from(example_calls())),
    st.sampled_from(["1m", "15m", "1d", "brick(5, 10)"]),
    st.sampled_from(["1m", "5m", "80m"]),
    st.booleans(),
    st.data(),
)
@settings(max_examples=60)
def test_a_moment_of_a_played_session_is_the_desk_of_that_moment(
    call: str, bars: str, step: str, forming: bool, data: st.DataObject
) -> None:
    """60 drawn calls, of which a half takes in facts and events; run once with 2,000."""
    value = check(call).value
    assert value is not None
    # Across bricks an instrument is compared when its own brick was laid, in a played session now.
    across = needs_universe({"": value.term}) or call.startswith("strength")
    assume(not (bars.startswith("brick") and across))
    arranged = ScatterSet(
        universe=EVERYBODY.name,
        x=Measure(formula=call, bars=bars),
        y=Measure(formula="close", bars="1d"),
        size=Measure(formula='fact("size")', bars="1d"),
        forming=forming,
    )
    at = data.draw(st.integers(LAST - 9 * 3600, LAST))
    asked = ScatterAsked(arranged=arranged, session=True, step=step, count=900)
    played = scatter_on(desk_on(BUSY, at), asked)
    assert played.moments
    frame = data.draw(st.integers(0, len(played.moments) - 1))
    desk = desk_on(BUSY, played.moments[frame])
    measures = (arranged.x, arranged.y, arranged.size)
    columns = tuple(BoardColumn(formula=own.formula, bars=own.bars) for own in measures)
    board = board_on(desk, BoardSet(universe=EVERYBODY.name, columns=columns, forming=forming))
    still = scatter_on(desk, replace(asked, session=False))
    for axis, cells in zip(("x", "y", "size"), board.columns, strict=True):
        shown = getattr(played, axis)
        assert bool(shown.problems) == bool(cells.problems)
        if not shown.problems:
            assert shown.values[frame] == cells.values, axis
            assert getattr(still, axis).values[-1] == cells.values, axis
