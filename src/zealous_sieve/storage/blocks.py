"""Bars packed as bytes: little-endian columns one after another, compressed."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import zstandard
from numpy.typing import NDArray

from zealous_sieve.core.engine.panel import Column, Times

FIELDS = ("open", "high", "low", "close", "volume")
_EPOCH_2000 = 946_684_800

COPIED = np.dtype(
    [("fields", ">i2"), ("l0", ">i4"), ("instrument", ">i4"), ("l1", ">i4"), ("time", ">i8")]
    + [part for f in FIELDS for part in ((f"l_{f}", ">i4"), (f, ">f8"))]
)
"""One row of COPY … (FORMAT binary) of instrument, time and the fields, none of them null."""

_HEADER, _TRAILER = 19, 2
_SIGNATURE = b"PGCOPY\n\xff\r\n\x00" + bytes(8)
_END = b"\xff\xff"

WRITTEN = np.dtype(
    [("fields", ">i2"), ("l0", ">i4"), ("instrument", ">i4"), ("l1", ">i4"), ("base", ">i2")]
    + [("l2", ">i4"), ("time", ">i8")]
    + [part for f in FIELDS for part in ((f"l_{f}", ">i4"), (f, ">f8"))]
)
"""One row of a binary COPY into the table of bars."""


def pack(times: Times, columns: dict[str, Column]) -> bytes:
    """Compress the bars of one instrument and month."""
    parts = [times.astype("<i8").tobytes()]
    parts += [columns[field].astype("<f8").tobytes() for field in FIELDS]
    return zstandard.compress(b"".join(parts), 3)


def unpack(payload: bytes, rows: int) -> tuple[Times, NDArray[np.float64]]:
    """The times and a ``(fields, rows)`` matrix of a packed block."""
    raw = zstandard.decompress(payload)
    times = np.frombuffer(raw, "<i8", rows)
    return times, np.frombuffer(raw, "<f8", rows * len(FIELDS), rows * 8).reshape(-1, rows)


def to_copy(instrument: int, base: int, times: Times, columns: Mapping[str, Column]) -> bytes:
    """The rows of one instrument for a binary COPY, between ``copy_start`` and ``copy_end``."""
    rows = np.zeros(len(times), WRITTEN)
    rows["fields"] = 3 + len(FIELDS)
    rows["l0"], rows["l1"], rows["l2"] = 4, 2, 8
    rows["instrument"], rows["base"] = instrument, base
    rows["time"] = (times - _EPOCH_2000) * 1_000_000
    for field in FIELDS:
        rows[f"l_{field}"] = 8
        rows[field] = columns[field]
    return rows.tobytes()


def copy_start() -> bytes:
    """What a binary COPY begins with."""
    return _SIGNATURE


def copy_end() -> bytes:
    """What a binary COPY ends with."""
    return _END


def parse_copied(buffer: bytes) -> NDArray[np.void]:
    """Rows of a binary COPY; ``time`` becomes seconds since 1970."""
    count = (len(buffer) - _HEADER - _TRAILER) // COPIED.itemsize
    rows = np.frombuffer(buffer, COPIED, count, _HEADER).copy()
    rows["time"] = rows["time"] // 1_000_000 + _EPOCH_2000
    return rows
