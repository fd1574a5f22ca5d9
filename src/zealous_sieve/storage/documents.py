"""Documents kept in the database beside columns: their formats, and earlier ones brought up to date."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.funnel import Count, Funnel
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.undecided import Undecided
from zealous_sieve.core.sieve.unknown import Cause
from zealous_sieve.usecases.records.runs import Outcome

HIT_FORMAT = 3
OUTCOME_FORMAT = 2
Document = dict[str, Any]


def write_hit(hit: Hit) -> Document:
    """What of a hit has no column."""
    return {
        "format": HIT_FORMAT,
        "values": [value if math.isfinite(value) else None for value in hit.values],
        "unknown": {str(n): words for n, words in hit.unknown.items()},
    }


def read_hit(document: Mapping[str, Any]) -> Document:
    """The document in the present format. One of format 1 holds its sentences instead of the values that
    they are made from: they are kept as ``told``. Values of format 2 are those of other sentences."""
    if document.get("format", 1) == 1:
        told = [reason["sentence"] for reason in document["reasons"]]
        return {"format": HIT_FORMAT, "values": [], "unknown": {}, "told": told}
    if document["format"] == 2:
        return {**document, "format": HIT_FORMAT, "values": []}
    return dict(document)


def write_outcome(outcome: Outcome) -> Document:
    """The outcome of a run."""
    return {"format": OUTCOME_FORMAT, **asdict(outcome)}


def read_outcome(document: Mapping[str, Any]) -> Outcome:
    """The outcome of a run. In format 1 each undecided instrument stood for itself."""
    groups: dict[tuple[int | None, str, str], list[str]] = {}
    for one in document["undecided"]:
        own = groups.setdefault((one["condition"], one["cause"], one["words"]), [])
        own += [one["code"]] if document.get("format", 1) == 1 else one["codes"]
    return Outcome(
        instruments=document["instruments"],
        counts=tuple(Count(**count) for count in document["counts"]),
        undecided=tuple(
            Undecided(condition=n, cause=Cause(cause), words=words, codes=tuple(codes))
            for (n, cause, words), codes in sorted(groups.items(), key=lambda g: -len(g[1]))
        ),
        stale=tuple(document["stale"]),
        funnels=tuple(
            Funnel(side=Side(own["side"]), so_far=tuple(own["so_far"]))
            for own in document.get("funnels", ())
        ),
        mended=tuple(document.get("mended", ())),
        hindsight=tuple(document.get("hindsight", ())),
        parts=tuple(document.get("parts", ())),
    )
