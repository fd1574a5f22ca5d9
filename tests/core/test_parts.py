"""Parts of signals are those that a plain count over their bars makes, and together they are all."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from tests.bars import panel_of
from tests.core.test_evidence import intraday
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.parts import DoubtByParts, doubt_by_parts
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.sieve.definition import Condition, Side, Sieve
from zealous_sieve.core.sieve.prepare import prepare


def evidence(panel: Panel, formula: str = "close > prev(close)") -> Evidence:
    conditions = (
        Condition(formula=formula, side=Side.LONG),
        Condition(formula="close < prev(low)", side=Side.SHORT),
    )
    sides = (Side.LONG, Side.SHORT)
    sieve = Sieve(name="x", universe="all", sides=sides, conditions=conditions)
    settings = EvidenceSettings(horizons=("4",), resamples=300)
    return evidence_of(prepare(sieve), panel, LOCAL, settings)


def together(doubted: DoubtByParts, found: Evidence) -> None:
    for own in doubted.divisions:
        if own.by == "third of volatility":
            ranges = found.history.ranges[found.signals.counted().row]
            known = found.results[0].is_known & np.isfinite(ranges)
            assert sum(part.count for part in own.parts) == known.sum()
            continue
        for name in ("more", "oftener", "mean", "rate"):
            sums = [getattr(part, name) * part.count for part in own.parts if part.count]
            assert sum(sums) == pytest.approx(getattr(doubted.all, name) * doubted.all.count)
        assert sum(part.count for part in own.parts) == doubted.all.count, own.by


def test_parts_are_counted_by_the_clock_and_make_up_the_whole() -> None:
    for panel in (panel_of(700, 650, 3, seed=4), intraday(40, 3)):
        found = evidence(panel)
        doubted, followed = doubt_by_parts(found), found.followed[0]
        together(doubted, found)
        whole = doubted.all
        assert (whole.count, whole.cases) == (followed.count, followed.cases)
        assert whole.mean == followed.mean
        assert (whole.more, whole.more_interval) == (
            followed.difference.mean,
            followed.difference.interval,
        )
        counted, known = found.signals.counted(), found.results[0].is_known
        moments = [
            datetime.fromtimestamp(moment, UTC)
            for moment in panel.local_times[counted.row[known]].tolist()
        ]
        formats = {"year": "%Y", "month": "%b", "weekday": "%A", "hour of the venue": "%H:00"}
        divisions = {own.by: own for own in doubted.divisions}
        for by, written in formats.items():
            plain = Counter(f"{moment:{written}}" for moment in moments)
            if len(plain) > 1 and (by != "hour of the venue" or panel.duration < 86_400):
                assert {part.name: part.count for part in divisions[by].parts} == plain
        sides = [str(counted.sides[side]) for side in counted.side[known].tolist()]
        assert {part.name: part.count for part in divisions["side"].parts} == Counter(sides)
        assert "hour of the venue" not in divisions or panel.duration < 86_400


def test_an_index_and_a_sector_are_those_of_then() -> None:
    panel = panel_of(400, 400, seed=8)
    rows = np.arange(len(panel.times))
    above = np.where(rows % 3 == 0, 1.0, np.where(rows % 3 == 1, 0.0, np.nan))
    known = [replace(panel.known(n), facts={"sector": name}) for n, name in enumerate("ba")]
    found = evidence(replace(panel, background=tuple(known)))
    doubted = doubt_by_parts(found, index=("the index", above))
    divisions = {own.by: own for own in doubted.divisions}
    counted, results = found.signals.counted(), found.results[0]
    of = counted.row[results.is_known] % 3
    below, over = divisions["the index"].parts
    assert (below.count, over.count) == ((of == 1).sum(), (of == 0).sum())
    instruments = Counter("ba"[n] for n in counted.instrument[results.is_known].tolist())
    assert {part.name: part.count for part in divisions["sector"].parts} == instruments


def test_what_hangs_on_one_instrument_is_told_so() -> None:
    panel = panel_of(*[500] * 6, seed=2)
    rows = panel.rows(4)
    columns = dict(panel.columns)
    growth = 1.012 ** np.arange(rows.stop - rows.start)
    for name in ("open", "high", "low", "close"):
        columns[name] = columns[name].copy()
        columns[name][rows] = columns[name][rows] * growth
    found = evidence(replace(panel, columns=columns), "close > highest(prev(high), 3)")
    doubted = doubt_by_parts(found)
    best = {own.best: own for own in doubted.without}
    assert best["instrument"].name == panel.codes[4]
    results, counted = found.results[0], found.signals.counted()
    rest = results.is_known & (counted.instrument != 4)
    assert best["instrument"].left.count == rest.sum()
    assert best["instrument"].left.mean == pytest.approx(results.percent[rest].mean())
    for own in doubted.without:
        assert own.left.mean < doubted.all.mean


def test_where_there_are_few_it_is_told_so() -> None:
    nothing = doubt_by_parts(evidence(panel_of(200, seed=1), "close > 1e12"))
    assert nothing.all.count > 0  # of the short side
    few = doubt_by_parts(evidence(panel_of(30, seed=1)))
    assert all("oo few to tell" in own.sentence for own in few.divisions)
    assert all("oo few are left" in own.sentence for own in few.without)
    none = doubt_by_parts(evidence(panel_of(2, seed=1)))
    assert (none.all.count, none.divisions, none.without) == (0, (), ())
