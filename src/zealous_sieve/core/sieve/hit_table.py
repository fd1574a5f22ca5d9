"""Hits as a table: the same columns wherever they are written."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from zealous_sieve.core.sieve.hit import COLUMNS, Hit, Shown


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A hit with the sentence and the named values of each condition; ``more`` is what is known of it
    beside the sifting, by column."""

    hit: Hit
    sentences: Sequence[str]
    values: Sequence[Mapping[str, float]]
    more: Mapping[str, object] = field(default_factory=dict)


def hit_table(entries: Sequence[Entry], formulas: Sequence[str]) -> dict[str, list[Any]]:
    """The columns of hits in their order: what a hit is; then of each condition its formula, whether it
    holds (yes, no, unknown), the values that it rests on as JSON, and its sentence. Moments are UTC."""
    more = list(dict.fromkeys(name for entry in entries for name in entry.more))
    columns: dict[str, list[Any]] = {
        column.key: [_value(column.key, column.shown, n, entry) for n, entry in enumerate(entries)]
        for column in COLUMNS
        if column.in_files or column.key in more
    }
    columns["begun"] = [entry.hit.begun for entry in entries]
    columns["provisional"] = [entry.hit.provisional for entry in entries]
    for name in more:
        columns[name] = [entry.more.get(name) for entry in entries]
    conditions = max((len(entry.hit.cells) for entry in entries), default=len(formulas))
    for n in range(conditions):
        own = [entry if n < len(entry.hit.cells) else None for entry in entries]
        columns[f"formula_{n + 1}"] = [formulas[n] if n < len(formulas) else None] * len(own)
        columns[f"condition_{n + 1}"] = [one and str(one.hit.cells[n]) for one in own]
        columns[f"values_{n + 1}"] = [one and _as_json(one.values[n]) for one in own]
        columns[f"sentence_{n + 1}"] = [one and one.sentences[n] for one in own]
    return columns


def moment_text(seconds: int) -> datetime:
    """Seconds since 1970 as a moment of UTC."""
    return datetime.fromtimestamp(seconds, UTC)


def _value(key: str, shown: Shown, place: int, entry: Entry) -> object:
    if key in entry.more:
        return entry.more[key]
    if key == "place":
        return place + 1
    value = getattr(entry.hit, key, None)
    return moment_text(value) if shown == Shown.MOMENT and isinstance(value, int) else value


def _as_json(values: Mapping[str, float]) -> str:
    told = {text: None if math.isnan(value) else value for text, value in values.items()}
    return json.dumps(told, ensure_ascii=False)
