"""What is decided about hits."""

from __future__ import annotations

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.hits import Verdict, VerdictKind
from zealous_sieve.usecases.sifting.hits import seen_hit


def give_verdict(
    outside: Outside,
    hit_id: int,
    kind: VerdictKind | None,
    reason: str = "",
    note: str = "",
) -> Verdict | None:
    """Take, watch or drop the setup of a hit; ``None`` takes the last verdict back. It is kept when this
    returns. Raises NotFoundError."""
    run, seen = seen_hit(outside, hit_id)
    outside.hits.add_verdict(run, seen.hit, kind, reason, note)
    after = outside.hits.one(run, hit_id)
    return after.verdict if after else None
