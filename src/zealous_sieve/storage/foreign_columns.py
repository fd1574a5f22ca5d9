"""Columns of files written elsewhere, as moments and numbers; what can't be read as such is refused."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import KNOWN_FROM
from zealous_sieve.core.functions.catalogue import EXTRAS
from zealous_sieve.core.intake.layout import Content, Layout
from zealous_sieve.core.intake.moments import MomentReader, Moments, parted_times
from zealous_sieve.core.intake.numbers import THOUSANDS
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import ForeignRows
from zealous_sieve.storage.foreign_files import (
    FilePiece,
    ForeignTable,
    RowsRead,
    pieces,
    texts_of,
    together,
)


def read_rows(tables: Sequence[ForeignTable], refusals: Refusals, report: RowsRead) -> ForeignRows:
    """All rows of files of bars or trades, all written alike, whose values can be read; others are refused.

    Raises DataError where a file does not fit its layout.
    """
    layout = tables[0].layout
    reader = MomentReader(layout.dates, layout.zone)
    codes: dict[str, int] = {}
    parts: list[tuple[NDArray[np.int32], Moments, dict[str, Column], NDArray[np.int64]]] = []
    for piece in together(pieces(tables, refusals, report)):
        bad = np.zeros(len(piece.lines), bool)
        moments = _moments(piece, layout, reader, refusals, bad)
        values = _VALUES[layout.content](piece, layout, refusals, bad)
        if "known" in layout.columns:
            values[KNOWN_FROM] = _known_from(piece, layout, reader, refusals, bad)
        owners = _owners(piece, layout, codes)
        kept = ~bad
        moments = Moments(utc=moments.utc[kept], local=moments.local[kept], faults={})
        parts.append(
            (owners[kept], moments, {n: c[kept] for n, c in values.items()}, piece.lines[kept])
        )
    fields = list(parts[0][2]) if parts else []
    return ForeignRows(
        codes=list(codes),
        owners=_together([p[0] for p in parts], np.int32),
        times=_together([p[1].utc for p in parts], np.int64),
        local=_together([p[1].local for p in parts], np.int64),
        columns={n: _together([p[2][n] for p in parts], np.float64) for n in fields},
        lines=_together([p[3] for p in parts], np.int64),
    )


def _together(parts: Sequence[NDArray[Any]], kind: Any) -> NDArray[Any]:
    return np.concatenate(parts) if parts else np.empty(0, kind)


def _owners(piece: FilePiece, layout: Layout, codes: dict[str, int]) -> NDArray[np.int32]:
    column = layout.column("instrument")
    if column is None:
        places = [codes.setdefault(code, len(codes)) for code, _ in piece.codes]
        return np.repeat(np.asarray(places, np.int32), [count for _, count in piece.codes])
    encoded = pc.utf8_trim_whitespace(texts_of(piece.columns[column])).dictionary_encode()
    own = [codes.setdefault(text or "", len(codes)) for text in encoded.dictionary.to_pylist()]
    own.append(codes.setdefault("", len(codes)) if encoded.null_count else 0)
    places = encoded.indices.fill_null(len(own) - 1).to_numpy(zero_copy_only=False)
    found: NDArray[np.int32] = np.asarray(own, np.int32)[places]
    return found


def _moments(
    piece: FilePiece,
    layout: Layout,
    reader: MomentReader,
    refusals: Refusals,
    bad: NDArray[np.bool_],
) -> Moments:
    name, clock = layout.columns["time"], layout.column("clock")
    column = piece.columns[name]
    found = _read(reader, column, piece.columns[clock] if clock else None)
    for row, reason in found.faults.items():
        bad[row] = True
        said = texts_of(column)[row].as_py() or ""
        if clock:
            said = f"{said} {texts_of(piece.columns[clock])[row].as_py() or ''}"
        refusals.add(int(piece.lines[row]), name, said, reason)
    return found


def _known_from(
    piece: FilePiece,
    layout: Layout,
    reader: MomentReader,
    refusals: Refusals,
    bad: NDArray[np.bool_],
) -> Column:
    """From when bars were known, in seconds since 1970; NaN where that is empty."""
    name = layout.columns["known"]
    column = piece.columns[name]
    found = _read(reader, column, None)
    known = found.utc.astype(np.float64)
    for row, reason in found.faults.items():
        known[row] = np.nan
        said = texts_of(column)[row].as_py() or ""
        if said.strip():
            bad[row] = True
            refusals.add(int(piece.lines[row]), name, said, reason)
    return known


def _read(reader: MomentReader, column: Any, clock: Any) -> Moments:
    """The moments of a column, of which the times of day may stand in another one."""
    if not pa.types.is_timestamp(column.type) or clock is not None:
        clocks = None if clock is None else texts_of(clock)
        return _read_once(reader, *_cut(texts_of(column), clocks))
    seconds = column.cast(pa.timestamp("s", column.type.tz), safe=False).cast(pa.int64())
    whole = seconds.fill_null(0).to_numpy(zero_copy_only=False)
    if column.type.tz is None:
        found = reader.of_local(whole)
    else:
        found = Moments(utc=whole, local=reader.clock.local(whole), faults={})
    nothing = np.flatnonzero(pc.is_null(column).to_numpy(zero_copy_only=False))
    found.faults.update({int(row): "there is no date" for row in nothing})
    return found


def _cut(days: Any, clocks: Any) -> tuple[Any, Any]:
    """Dates and times of day apart, where all of them stand in one column and end at the same place."""
    if clocks is not None or not len(days) or days.null_count:
        return days, clocks
    lengths = pc.min_max(pc.utf8_length(days)).as_py()
    place = len(parted_times(days[0].as_py())[0])
    if lengths["min"] != lengths["max"] or not 0 < place < lengths["min"]:
        return days, None
    between = pc.utf8_slice_codeunits(days, place, place + 1).unique().to_pylist()
    if not set(between) <= {" ", "T"}:
        return days, None
    return pc.utf8_slice_codeunits(days, 0, place), pc.utf8_slice_codeunits(days, place + 1)


def _read_once(reader: MomentReader, days: Any, clocks: Any) -> Moments:
    """Moments of which each way of writing is read once."""
    texts, places = _encoded(days)
    if clocks is None:
        found = reader.read(texts)
    else:
        hours, others = _encoded(clocks)
        pairs, places = np.unique(places * len(hours) + others, return_inverse=True)
        found = reader.read(
            [texts[n] for n in pairs // len(hours)], [hours[n] for n in pairs % len(hours)]
        )
    faults = {
        int(row): found.faults[int(places[row])]
        for row in np.flatnonzero(np.isin(places, list(found.faults)))
    }
    return Moments(utc=found.utc[places], local=found.local[places], faults=faults)


def _encoded(texts: Any) -> tuple[list[str], NDArray[np.int64]]:
    """The texts there are, and which of them stands in each row."""
    encoded = texts.fill_null("").dictionary_encode()
    places = encoded.indices.to_numpy(zero_copy_only=False).astype(np.int64)
    return encoded.dictionary.to_pylist(), places


def _numbers(
    piece: FilePiece,
    layout: Layout,
    field: str,
    refusals: Refusals,
    bad: NDArray[np.bool_],
    *,
    may_lack: bool = False,
) -> Column:
    """A column of numbers; what is none is refused, what is empty only where it ``may_lack``."""
    name = layout.columns[field]
    column = piece.columns[name]
    if pa.types.is_floating(column.type) or pa.types.is_integer(column.type):
        return _numpy(column.cast(pa.float64(), safe=False))
    texts = pc.utf8_trim_whitespace(texts_of(column).fill_null(""))
    plain = _plain(texts, layout.decimal)
    wrong = np.zeros(len(texts), bool)
    try:
        values = plain.cast(pa.float64())
    except pa.ArrowInvalid:
        fits = pc.match_substring_regex(plain, r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$")
        values = pc.if_else(fits, plain, pa.scalar(None, pa.string())).cast(pa.float64())
        wrong = pc.and_(pc.invert(fits), pc.is_valid(plain)).fill_null(False)
        wrong = wrong.to_numpy(zero_copy_only=False)
    empty = pc.is_null(plain).to_numpy(zero_copy_only=False)
    lacking = np.zeros(len(texts), bool) if may_lack else empty & ~wrong
    for mask, reason in ((wrong, "this is not a number"), (lacking, "there is no number")):
        fresh = np.flatnonzero(mask & ~bad)
        for row in fresh:
            refusals.add(int(piece.lines[row]), name, texts[int(row)].as_py(), reason)
    bad |= wrong | lacking
    return _numpy(values)


def _numpy(values: Any) -> Column:
    found: Column = values.fill_null(np.nan).to_numpy(zero_copy_only=False)
    return found


def _plain(texts: Any, decimal: str) -> Any:
    """Numbers with a point and nothing else; empty ones are null, and what is none stays as it is."""
    other = THOUSANDS[decimal]
    spaces = pc.match_substring_regex(texts, "[ \u00a0\u202f'\u2019]")
    if pc.any(spaces).as_py():
        texts = pc.replace_substring_regex(texts, r"(\d)[ \x{a0}\x{202f}'\x{2019}](\d)", r"\1\2")
    parted = pc.match_substring(texts, other)
    if pc.any(parted).as_py():
        escaped = "\\" + other
        whole = rf"^[+-]?\d{{1,3}}({escaped}\d{{3}})+(\{decimal}\d*)?$"
        bare = pc.replace_substring(texts, other, "")
        fits = pc.match_substring_regex(texts, whole)
        marked = pc.binary_join_element_wise("?", texts, "")
        texts = pc.if_else(fits, bare, pc.if_else(parted, marked, texts))
    if decimal == ",":
        texts = pc.replace_substring(texts, ",", ".")
    return pc.if_else(pc.equal(texts, ""), pa.scalar(None, pa.string()), texts)


def _bar_values(
    piece: FilePiece, layout: Layout, refusals: Refusals, bad: NDArray[np.bool_]
) -> dict[str, Column]:
    close = _numbers(piece, layout, "close", refusals, bad)
    found = dict.fromkeys(("open", "high", "low"), close)
    for name in found:
        if name in layout.columns:
            found[name] = _numbers(piece, layout, name, refusals, bad)
    found |= {"close": close, "volume": np.zeros(len(close))}
    if "volume" in layout.columns:
        found["volume"] = _numbers(piece, layout, "volume", refusals, bad)
    for name in (*EXTRAS, *(("adjusted",) if layout.adjusts else ())):
        if name in layout.columns:
            found[name] = _numbers(piece, layout, name, refusals, bad, may_lack=True)
    return found


_BOUGHT = ("b", "buy", "buyer", "bought", "1", "+1", "+")


def _trade_values(
    piece: FilePiece, layout: Layout, refusals: Refusals, bad: NDArray[np.bool_]
) -> dict[str, Column]:
    price = _numbers(piece, layout, "price", refusals, bad)
    size = _numbers(piece, layout, "size", refusals, bad)
    bought = np.full(len(price), np.nan)
    side = layout.column("side")
    if side is not None:
        said = [
            str(text or "").strip().lower() for text in texts_of(piece.columns[side]).to_pylist()
        ]
        bought = np.where([word in _BOUGHT for word in said], size, 0.0)
    missing = np.full(len(price), np.nan)
    return {
        **dict.fromkeys(("open", "high", "low", "close"), price),
        "volume": size,
        "trades": np.ones(len(price)),
        "buy_volume": bought,
        "sell_volume": size - bought,
        "skipped_levels": missing,
        "feed_lag_ms": missing,
    }


_VALUES = {Content.BARS: _bar_values, Content.TRADES: _trade_values}
