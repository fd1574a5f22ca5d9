"""Rows in bulk, into the database and out of it, by binary COPY."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import numpy as np
import psycopg
from numpy.typing import NDArray

from zealous_sieve.storage.blocks import block_names, copied, copy_end, copy_start, parse_copied

RowsCopied = Callable[[int], None]


def unheard(rows: int) -> None:
    """Nobody wants to know how far the writing is."""


def copy_in(
    connection: psycopg.Connection,
    table: str,
    row: np.dtype[np.void],
    chunks: Iterable[NDArray[np.void]],
    report: RowsCopied = unheard,
) -> int:
    """Add rows to a table; returns how many. ``report`` hears how many more went in."""
    statement = f"COPY {table} ({', '.join(block_names(row))}) FROM STDIN (FORMAT binary)"
    count = 0
    with connection.cursor() as cursor, cursor.copy(statement.encode()) as out:
        out.write(copy_start())
        for chunk in chunks:
            out.write(copied(chunk))
            count += len(chunk)
            report(len(chunk))
        out.write(copy_end())
    return count


def copy_out(
    connection: psycopg.Connection, query: str, row: np.dtype[np.void]
) -> NDArray[np.void]:
    """The rows of a query, whose columns are those of a layout; times in seconds since 1970."""
    statement = f"COPY ({query}) TO STDOUT (FORMAT binary)"
    with connection.cursor() as cursor, cursor.copy(statement.encode()) as out:
        return parse_copied(b"".join(bytes(piece) for piece in out), row)


def by_instrument(rows: NDArray[np.void]) -> Iterator[NDArray[np.void]]:
    """Rows in the order of their instruments, one instrument after the other."""
    for chunk in np.split(rows, np.flatnonzero(np.diff(rows["instrument_id"])) + 1):
        if len(chunk):
            yield chunk
