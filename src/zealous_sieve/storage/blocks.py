"""Bars packed as bytes: little-endian columns one after another, compressed."""

from __future__ import annotations

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


def parse_copied(buffer: bytes) -> NDArray[np.void]:
    """Rows of a binary COPY; ``time`` becomes seconds since 1970."""
    count = (len(buffer) - _HEADER - _TRAILER) // COPIED.itemsize
    rows = np.frombuffer(buffer, COPIED, count, _HEADER).copy()
    rows["time"] = rows["time"] // 1_000_000 + _EPOCH_2000
    return rows
