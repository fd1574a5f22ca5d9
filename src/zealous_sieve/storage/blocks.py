"""Bars as bytes: rows of PostgreSQL's binary COPY, and packed blocks."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import BESIDE
from zealous_sieve.core.functions.catalogue import FIELDS

_EPOCH_2000 = 946_684_800
_HEADER, _TRAILER = 19, 2
_SIGNATURE = b"PGCOPY\n\xff\r\n\x00" + bytes(8)
_END = b"\xff\xff"


def layout(**fields: str) -> np.dtype[np.void]:
    """One row of COPY … (FORMAT binary) without nulls: each field after its length."""
    parts = [part for name, kind in fields.items() for part in ((f"l_{name}", ">i4"), (name, kind))]
    return np.dtype([("fields", ">i2"), *parts])


BAR = layout(instrument_id=">i4", base=">i2", time=">i8", **dict.fromkeys(FIELDS, ">f8"))
EXTRA = layout(instrument_id=">i4", base=">i2", time=">i8", **dict.fromkeys(BESIDE, ">f8"))
MEASURED = ("price", "size", "bought", "skipped_levels", "feed_lag_ms")
TRADE = layout(instrument_id=">i4", time=">i8", place=">i4", **dict.fromkeys(MEASURED, ">f8"))


def block_names(row: np.dtype[np.void]) -> list[str]:
    """The columns of a layout."""
    return [n for n in row.names or () if n != "fields" and not n.startswith("l_")]


def block_rows(row: np.dtype[np.void], **columns: Any) -> NDArray[np.void]:
    """Rows of a layout from its columns; ``time`` in seconds since 1970."""
    count = np.size(columns["time"])
    rows = np.zeros(count, row)
    names = block_names(row)
    rows["fields"] = len(names)
    for name in names:
        rows[f"l_{name}"] = row[name].itemsize
        values = columns[name]
        rows[name] = (values - _EPOCH_2000) * 1_000_000 if name == "time" else values
    return rows


def copied(rows: NDArray[np.void]) -> bytes:
    """Rows between ``copy_start`` and ``copy_end``."""
    return rows.tobytes()


def copy_start() -> bytes:
    """What a binary COPY begins with."""
    return _SIGNATURE


def copy_end() -> bytes:
    """What a binary COPY ends with."""
    return _END


def parse_copied(buffer: bytes, row: np.dtype[np.void]) -> NDArray[np.void]:
    """Rows of a binary COPY; ``time`` becomes seconds since 1970."""
    count = (len(buffer) - _HEADER - _TRAILER) // row.itemsize
    rows = np.frombuffer(buffer, row, count, _HEADER).copy()
    rows["time"] = rows["time"] // 1_000_000 + _EPOCH_2000
    return rows


def pack(times: Times, columns: Mapping[str, Column]) -> bytes:
    """Compress the bars of one instrument and period: little-endian columns, one after another."""
    parts = [times.astype("<i8").tobytes()]
    parts += [columns[field].astype("<f8").tobytes() for field in FIELDS]
    return zstandard.compress(b"".join(parts), 3)


def unpack(payload: bytes, rows: int) -> tuple[Times, NDArray[np.float64]]:
    """The times and a ``(fields, rows)`` matrix of a packed block."""
    raw = zstandard.decompress(payload)
    times = np.frombuffer(raw, "<i8", rows)
    return times, np.frombuffer(raw, "<f8", rows * len(FIELDS), rows * 8).reshape(-1, rows)
