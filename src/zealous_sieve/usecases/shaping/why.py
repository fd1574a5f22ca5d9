"""Why an instrument passes a sieve, or why it doesn't."""

from __future__ import annotations

from dataclasses import dataclass, replace

from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.near import Standing, sift_closely, standing
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError


@dataclass(frozen=True, kw_only=True)
class Why:
    """How each condition of a sieve stands for one instrument; ``side`` is that which it passes or comes
    nearest to, ``note`` says what else keeps it out, and ``bar_at`` opens the bar that is told of. Without
    conditions there is no bar to judge."""

    code: str
    name: str
    side: Side
    passes: bool
    in_the_way: int
    """How many conditions stand in the way on that side."""
    note: str
    bar_at: int | None
    conditions: tuple[Standing, ...]


def why(outside: Outside, sieve: Sieve, code: str, order: Order) -> Why:
    """How a sieve judges an instrument, whether it looks there or not. Raises NotFoundError for a code
    that there is not, SieveError for a sieve that makes no sense."""
    if code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", code)
    return outside.compute.do(order, why_on, sieve, code)


def why_in_run(outside: Outside, run_id: int, code: str, order: Order) -> Why:
    """As ``why``, for a run's sieve as of the moment that it looked from. Raises NotFoundError."""
    run = outside.runs.get(run_id)
    if run is None:
        raise NotFoundError("run", run_id)
    return why(outside, run.sieve, code, replace(order, as_of=run.as_of))


def why_on(desk: Desk, sieve: Sieve, code: str) -> Why:
    """As ``why``, on a desk."""
    prepared = prepare(sieve, desk.library, desk.reference.names, desk.clock)
    instrument = desk.reference.by_code[code]
    members = desk.members(sieve.universe)
    inside = any(member.code == code for member in members)
    chosen = members if inside else [*members, instrument]
    panel = desk.bars(chosen, desk.now, sieve.timeframe, forming=sieve.forming)
    told = Why(
        code=code,
        name=instrument.name,
        side=sieve.sides[0],
        passes=False,
        in_the_way=0,
        note="" if inside else f"not in {sieve.universe}",
        bar_at=None,
        conditions=(),
    )
    at = panel.position(code)
    if panel.ends[at] == panel.starts[at]:
        return replace(told, note=f"no bars of {sieve.timeframe}")
    closely = sift_closely(
        prepared, panel, desk.executor, progress=desk.progress, cancelled=desk.cancelled
    )
    sifted = closely[0].sifted
    if code in sifted.stale:
        return replace(told, note="its bars have stopped, so it is left out")
    place = sifted.panel.position(code)
    found = standing(closely, place)
    alike = "both sides hold alike, so it is neither" if sifted.alike[place] else ""
    return replace(
        told,
        side=found.side,
        passes=found.passes,
        in_the_way=found.in_the_way,
        note=told.note or alike,
        bar_at=int(sifted.panel.times[found.row]),
        conditions=found.conditions,
    )
