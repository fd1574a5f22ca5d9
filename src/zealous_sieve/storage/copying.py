"""Rows in bulk, into the database and out of it, by binary COPY."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import numpy as np
import psycopg
from numpy.typing import NDArray

from zealous_sieve.storage.blocks import copied, copy_end, copy_start, names_of, parse_copied

Told = Callable[[int], None]


def unheard(rows: int) -> None:
    """Nobody wants to know how far the writing is."""


def copy_in(
    connection: psycopg.Connection,
    table: str,
    row: np.dtype[np.void],
    chunks: Iterable[NDArray[np.void]],
    told: Told = unheard,
) -> int:
    """Add rows to a table; returns how many. ``told`` hears how many more went in."""
    statement = f"COPY {table} ({', '.join(names_of(row))}) FROM STDIN (FORMAT binary)"
    count = 0
    with connection.cursor() as cursor, cursor.copy(statement.encode()) as out:
        out.write(copy_start())
        for chunk in chunks:
            out.write(copied(chunk))
            count += len(chunk)
            told(len(chunk))
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
