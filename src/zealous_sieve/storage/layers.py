"""What imports laid over bars, one over the other, so that any of them can be taken back.

A layer is what one import wrote of one instrument and base: the times that it ``touched``, and the rows
that stood there ``before``. Taking a layer back uncovers what was before it, but for the times that a later
layer touched too: there the later one stays, and what was before *it* becomes what was before the one
that is taken back.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import psycopg
import zstandard
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.panel import BESIDE
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.market.bases import Base
from zealous_sieve.storage.blocks import MEASURED

Mask = NDArray[np.bool_]
LayerRows = NDArray[np.void]
BAR_ROW = np.dtype([("time", "<i8"), *((name, "<f8") for name in (*FIELDS, *BESIDE))])
"""A bar with what it holds beside its prices, NaN where that is not known."""
TRADE_ROW = np.dtype([("time", "<i8"), ("place", "<i4"), *((name, "<f8") for name in MEASURED)])


@dataclass(frozen=True, kw_only=True)
class ImportLayer:
    """What an import wrote of an instrument and base. Of bars ``touched`` are the times, of trades the
    first and the last, between which it replaced all."""

    instrument: int
    base: Base
    touched: Times
    before: LayerRows
    import_id: int = 0
    """0 where its import was taken off the list."""
    id: int = 0

    def covers(self, times: Times) -> Mask:
        """Which of some times the layer touched."""
        if self.base == Base.TRADES:
            inside: Mask = (times >= self.touched[0]) & (times <= self.touched[-1])
            return inside
        return np.isin(times, self.touched)


def row_of(base: Base) -> np.dtype[np.void]:
    """The rows that a layer of a base keeps."""
    return TRADE_ROW if base == Base.TRADES else BAR_ROW


@dataclass
class Uncovered:
    """A layer that is taken back, and the later ones that lie on it; ``covered`` counts by import how many
    of its times stay as a later one left them."""

    layer: ImportLayer
    over: list[ImportLayer] = field(default_factory=list)
    covered: dict[int, int] = field(default_factory=dict)

    def shows(self, times: Times) -> Mask:
        """Which of some times the layer touched last."""
        found = self.layer.covers(times)
        for later in self.over:
            found &= ~later.covers(times)
        return found


def uncover(
    layer: ImportLayer, later: Sequence[ImportLayer]
) -> tuple[Uncovered, list[ImportLayer]]:
    """Take a layer out from under ``later`` ones, in the order in which they were laid; also returns those
    of them that have other rows before them now."""
    under, changed = Uncovered(layer), []
    for own in later:

        def common(times: Times, layer: ImportLayer = own) -> Mask:
            return under.shows(times) & layer.covers(times)

        count = int(common(layer.touched if own.base != Base.TRADES else own.touched).sum())
        taken_over = layer.before[common(layer.before["time"])]
        kept = own.before[~common(own.before["time"])]
        if count or len(taken_over) or len(kept) < len(own.before):
            before = np.concatenate([kept, taken_over])
            before = before[np.argsort(before["time"], kind="stable")]
            changed.append(replace(own, before=before))
            under.covered[own.import_id] = under.covered.get(own.import_id, 0) + count
        under.over.append(own)
    return under, changed


_COPY = (
    b"COPY bar_layers (import_id, instrument_id, base, touched, payload) FROM STDIN (FORMAT binary)"
)
_COLUMNS = "l.id, l.import_id, l.instrument_id, l.base, l.touched, l.payload"
_OF = f"""
SELECT {_COLUMNS} FROM bar_layers l WHERE l.import_id = %s
AND (%s::int[] IS NULL OR l.instrument_id = ANY(%s::int[])) ORDER BY l.id
"""
_LATER = f"""
SELECT {_COLUMNS} FROM bar_layers l JOIN bar_layers own
ON own.instrument_id = l.instrument_id AND own.base = l.base AND own.id < l.id
WHERE own.import_id = %s AND l.import_id IS DISTINCT FROM own.import_id
AND (%s::int[] IS NULL OR l.instrument_id = ANY(%s::int[])) ORDER BY l.id
"""


def lay(connection: psycopg.Connection, import_id: int, layers: Collection[ImportLayer]) -> None:
    """Keep the layers of an import."""
    with connection.cursor() as cursor, cursor.copy(_COPY) as out:
        out.set_types(("int4", "int4", "int2", "int4", "bytea"))
        for own in layers:
            out.write_row(
                (import_id, own.instrument, int(own.base), len(own.touched), _payload(own))
            )


def layers_of(
    connection: psycopg.Connection, import_id: int, some: list[int] | None
) -> list[ImportLayer]:
    """The layers of an import, of all its instruments or of some."""
    return list(_read(connection, _OF, import_id, some, some))


def layers_over(
    connection: psycopg.Connection, import_id: int, some: list[int] | None
) -> dict[tuple[int, Base], list[ImportLayer]]:
    """What later imports laid over one, over all its instruments or some, in their order."""
    found: dict[tuple[int, Base], list[ImportLayer]] = {}
    for own in _read(connection, _LATER, import_id, some, some):
        found.setdefault((own.instrument, own.base), []).append(own)
    return found


def drop_layers(connection: psycopg.Connection, layers: Collection[ImportLayer]) -> None:
    """Forget layers that were taken back."""
    numbers = [own.id for own in layers]
    connection.execute("DELETE FROM bar_layers WHERE id = ANY(%s)", (numbers,))


def relay(connection: psycopg.Connection, changed: Collection[ImportLayer]) -> None:
    """Keep what is before some layers now."""
    with connection.cursor() as cursor:
        cursor.executemany(
            "UPDATE bar_layers SET payload = %s WHERE id = %s",
            [(_payload(own), own.id) for own in changed],
        )


def forget_layers(connection: psycopg.Connection, instruments: Sequence[int]) -> None:
    """Forget the layers of instruments whose bars are gone."""
    connection.execute("DELETE FROM bar_layers WHERE instrument_id = ANY(%s)", (list(instruments),))


def _payload(layer: ImportLayer) -> bytes:
    steps = np.diff(layer.touched, prepend=np.int64(0)).astype("<i8")
    return zstandard.compress(steps.tobytes() + layer.before.tobytes(), 3)


def _read(connection: psycopg.Connection, query: str, *of: object) -> Iterator[ImportLayer]:
    for number, import_id, instrument, kind, count, payload in connection.execute(
        query.encode(), of, binary=True
    ):
        raw, base = zstandard.decompress(payload), Base(kind)
        touched = np.frombuffer(raw, "<i8", count).cumsum()
        before = np.frombuffer(raw, row_of(base), offset=8 * count)
        yield ImportLayer(
            id=number,
            import_id=import_id or 0,
            instrument=instrument,
            base=base,
            touched=touched,
            before=before,
        )
