"""The hits of a run, as they are shown and leave."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.hit_table import Entry, hit_table
from zealous_sieve.core.sieve.judging import sentences
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.preferences import preferences
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.records.hits import HitsQuery, SeenHit, Verdict
from zealous_sieve.usecases.records.runs import Run
from zealous_sieve.usecases.sifting.outcome import run_before
from zealous_sieve.usecases.sifting.runs import get_run

# What came out


@dataclass(frozen=True, kw_only=True)
class HitView:
    """A hit in the list of a run, by its number. ``news`` is new or kept against the run before."""

    id: int
    run_id: int
    code: str
    name: str
    side: Side
    timeframe: str
    place: int
    fired_at: int
    bar_at: int
    age: int
    begun: bool
    """On a bar that is known; else it held when it was first known."""
    close: float
    """At the bar that was judged."""
    now: float | None
    """What the instrument cost last, at the moment looked from; nothing where it has no bars by then."""
    tick: float
    score: float
    rank: float | None
    provisional: bool
    """Rests on a bar that had not closed."""
    cells: tuple[Cell, ...]
    parts: tuple[str, ...]
    """The universes that it belongs to of those that the sieve's is any of."""
    sentences: tuple[str, ...]
    news: str
    verdict: Verdict | None
    tail: tuple[float, ...]
    """The last closes up to the run's moment."""
    fired_in_tail: int
    """Where in the tail the signal bar stands; -1 when it is before."""


@dataclass(frozen=True, kw_only=True)
class HitPage:
    """Some of the hits of a run; ``matching`` counts all that fit what was asked for."""

    matching: int
    hits: list[HitView]


def list_hits(outside: Outside, run_id: int, query: HitsQuery, order: Order) -> HitPage:
    """Hits of a run by page and column, with verdicts."""
    run = get_run(outside.runs, run_id)
    matching, seen = _page(outside, run, query, order)
    return HitPage(matching=matching, hits=_views(outside, run, seen, order))


def codes_of_hits(outside: Outside, run_id: int, words: str) -> list[str]:
    """The codes of all hits of a run in which some words stand, each once. Raises NotFoundError."""
    run = get_run(outside.runs, run_id)
    query = HitsQuery(words=words, count=max(1, run.hit_count or 1))
    _, seen = outside.hits.page(run, run_before(outside.runs, run), query)
    return list(dict.fromkeys(one.hit.code for one in seen))


def _page(
    outside: Outside, run: Run, query: HitsQuery, order: Order
) -> tuple[int, Sequence[SeenHit]]:
    """How many hits fit what is asked for, and those of the page."""
    before = run_before(outside.runs, run)
    if query.sort == "now":
        return _by_now(outside, run, before, query, order)
    return outside.hits.page(run, before, query)


def _by_now(
    outside: Outside, run: Run, before: int | None, query: HitsQuery, order: Order
) -> tuple[int, Sequence[SeenHit]]:
    """Hits by what their instruments cost now, which no database keeps."""
    everything = replace(query, sort="place", down=False, first=0, count=max(1, run.hit_count or 1))
    matching, seen = outside.hits.page(run, before, everything)
    codes = [one.hit.code for one in seen]
    prices = outside.compute.do(order, newest_closes, codes) if codes else {}
    sign = -1 if query.down else 1
    known = sorted(
        (one for one in seen if prices[one.hit.code] is not None),
        key=lambda one: (sign * (prices[one.hit.code] or 0.0), one.place),
    )
    ordered = [*known, *(one for one in seen if prices[one.hit.code] is None)]
    return matching, ordered[query.first : query.first + query.count]


def all_hits(
    outside: Outside, run_id: int, order: Order | None = None, query: HitsQuery | None = None
) -> dict[str, list[Any]]:
    """Hits of a run as a table, all or those that are asked for, in that order: with verdicts, reasons and
    notes, moments, and of each condition whether it holds, its values and its sentence. Raises
    NotFoundError."""
    run, order = get_run(outside.runs, run_id), order or Order()
    _, seen = _page(outside, run, query or HitsQuery(), order)
    prepared = prepare(run.sieve)
    numbers = len(prepared.numbers())
    entries = []
    for one, view in zip(seen, _views(outside, run, seen, order), strict=True):
        hit, said = one.hit, view.verdict
        kept = len(hit.values) == numbers
        entries.append(
            Entry(
                hit=hit,
                sentences=view.sentences,
                values=prepared.by_condition(hit.values) if kept else [{}] * len(hit.cells),
                more={
                    "place": view.place,
                    "now": view.now,
                    **({"parts": ", ".join(view.parts)} if run.parts else {}),
                    "news": view.news,
                    "verdict": str(said.verdict) if said and said.verdict else None,
                    "reason": said.reason if said else None,
                    "note": said.note if said else None,
                    "decided_at": said.created_at if said else None,
                },
            )
        )
    return hit_table(entries, [condition.formula for condition in run.sieve.conditions])


def _told(prepared: Prepared, seen: SeenHit) -> tuple[str, ...]:
    """The sentences of a hit: kept by an earlier version, else made of its values."""
    hit = seen.hit
    return seen.told or sentences(prepared, hit.values, hit.unknown, hit.tick)


def run_of_hit(outside: Outside, hit_id: int) -> Run:
    """The run that a hit is of. Raises NotFoundError."""
    run_id = outside.hits.run_of(hit_id)
    if run_id is None:
        raise NotFoundError("hit", hit_id)
    return get_run(outside.runs, run_id)


def seen_hit(outside: Outside, hit_id: int) -> tuple[Run, SeenHit]:
    """A hit and the run it is of, compared with no other. Raises NotFoundError."""
    run = run_of_hit(outside, hit_id)
    seen = outside.hits.one(run, hit_id)
    if seen is None:
        raise NotFoundError("hit", hit_id)
    return run, seen


def get_hit(outside: Outside, hit_id: int, order: Order) -> HitView:
    """One hit. Raises NotFoundError."""
    run = run_of_hit(outside, hit_id)
    seen = outside.hits.one(run, hit_id, run_before(outside.runs, run))
    return _view(outside, run, seen, hit_id, order)


def hit_of(outside: Outside, run_id: int, code: str, order: Order) -> HitView:
    """The hit that an instrument was in a run, of several the first. Raises NotFoundError."""
    run = get_run(outside.runs, run_id)
    seen = outside.hits.first_of(run, code, run_before(outside.runs, run))
    return _view(outside, run, seen, code, order)


def _view(
    outside: Outside, run: Run, seen: SeenHit | None, called: int | str, order: Order
) -> HitView:
    if seen is None:
        raise NotFoundError("hit", called)
    (view,) = _views(outside, run, [seen], order)
    return view


def next_open(outside: Outside, run_id: int, after: int) -> int | None:
    """The number of the next hit that waits for a verdict after a place, else of the first of all."""
    return outside.hits.next_open(get_run(outside.runs, run_id), after)


def _views(outside: Outside, run: Run, seen: Sequence[SeenHit], order: Order) -> list[HitView]:
    """Hits as they are shown: with sentences made from their values, the last closes that the run saw, and
    what their instruments cost now."""
    if not seen:
        return []
    prepared = prepare(run.sieve, clock=preferences(outside.market).wall)
    codes = [one.hit.code for one in seen]
    as_run = replace(order, as_of=None)
    tails = outside.compute.do(as_run, last_closes, run.sieve, run.as_of, codes)
    prices = outside.compute.do(order, newest_closes, codes)
    return [
        HitView(
            **{name: getattr(one.hit, name) for name in _PLAIN},
            id=one.id,
            run_id=run.id,
            now=prices[one.hit.code],
            place=one.place,
            sentences=_told(prepared, one),
            news=one.news,
            verdict=one.verdict,
            tail=tails[one.hit.code],
            fired_in_tail=max(-1, len(tails[one.hit.code]) - 1 - one.hit.age),
        )
        for one in seen
    ]


_TAIL = 60


def last_closes(
    desk: Desk, sieve: Sieve, as_of: datetime, codes: Sequence[str]
) -> dict[str, tuple[float, ...]]:
    """The last closes of some instruments as a sieve saw them from a moment; none of unknown ones."""
    known = desk.reference.by_code
    chosen = [known[code] for code in codes if code in known]
    panel = desk.bars(chosen, as_of, sieve.timeframe, forming=sieve.forming)
    closes = panel.columns["close"]
    tails = {code: closes[panel.rows(n)][-_TAIL:].tolist() for n, code in enumerate(panel.codes)}
    return {code: tuple(tails.get(code, ())) for code in codes}


def newest_closes(desk: Desk, codes: Sequence[str]) -> dict[str, float | None]:
    """What some instruments cost last, at the moment looked from: the close of the day under way."""
    known = desk.reference.by_code
    chosen = [known[code] for code in codes if code in known]
    panel = desk.bars(chosen, desk.now, forming=True)
    prices: dict[str, float | None] = dict.fromkeys(codes)
    for n, code in enumerate(panel.codes):
        rows = panel.rows(n)
        if rows.start < rows.stop:
            prices[code] = float(panel.columns["close"][rows.stop - 1])
    return prices


_PLAIN = (
    "code", "name", "side", "timeframe", "fired_at", "bar_at", "age", "begun", "close", "tick", "score",
    "rank", "provisional", "cells", "parts",
)  # fmt: skip
