"""Hits: of instruments that pass, all that is kept."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.judging import judge, provisional
from zealous_sieve.core.sieve.ranking import Ranked
from zealous_sieve.core.sieve.sifting import Sifted


def hits_of(sifted: Sifted, ranked: Ranked) -> tuple[Hit, ...]:
    """All that is kept of those that pass, computed for all at once."""
    if not len(ranked.places):
        return ()
    prepared, panel = sifted.prepared, sifted.panel
    chosen = panel.choose([panel.codes[place] for place in ranked.places])
    each = np.arange(len(ranked.places))
    numbers = [column[each, -1 - ranked.back] for column in sifted.numbers(ranked.places)]
    values = np.stack(numbers, axis=1)
    newest = chosen.ends - 1
    judged = newest - ranked.back
    closes = chosen.columns["close"]
    cells, unknown = judge(prepared, values, chosen, judged)
    columns = zip(
        chosen.codes,
        chosen.times[judged].tolist(),
        chosen.times[newest - ranked.ages].tolist(),
        ranked.ages.tolist(),
        ranked.begun.tolist(),
        closes[judged].tolist(),
        closes[newest].tolist(),
        ranked.scores.tolist(),
        ranked.ranks.tolist(),
        ranked.back.tolist(),
        map(tuple, values.tolist()),
        strict=True,
    )
    side, timeframe = prepared.side, prepared.sieve.timeframe
    hits = []
    for n, (code, bar_at, fired_at, age, begun, close, now, score, rank, back, own) in enumerate(
        columns
    ):
        known = chosen.known(n)
        hits.append(
            Hit(
                code=code,
                name=known.name,
                side=side,
                timeframe=timeframe,
                bar_at=bar_at,
                fired_at=fired_at,
                age=age,
                begun=begun,
                close=close,
                now=now,
                tick=known.tick,
                score=score,
                rank=None if math.isnan(rank) else rank,
                provisional=back == 0 and provisional(prepared, chosen, n),
                cells=cells[n],
                values=own,
                unknown=unknown.get(n, {}),
            )
        )
    return tuple(hits)


def joined_hits(hits: Sequence[tuple[Hit, ...]], panel: Panel) -> tuple[Hit, ...]:
    """The hits of several sides in the order of their rank."""
    places = {code: n for n, code in enumerate(panel.codes)}

    def order(hit: Hit) -> tuple[float, float, int]:
        return -hit.score, math.inf if hit.rank is None else -hit.rank, places[hit.code]

    return tuple(sorted((hit for own in hits for hit in own), key=order))
