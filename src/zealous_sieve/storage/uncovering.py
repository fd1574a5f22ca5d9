"""Taking back what an import did to bars: counted first, then done in one transaction."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

import numpy as np
import psycopg

from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.panel import BESIDE
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.market.bases import Base
from zealous_sieve.storage import bar_statements as sql
from zealous_sieve.storage.blocks import BAR, EXTRA, MEASURED, TRADE, block_rows, layout
from zealous_sieve.storage.copying import copy_in, copy_out
from zealous_sieve.storage.layers import (
    ImportLayer,
    LayerRows,
    Uncovered,
    drop_layers,
    layers_of,
    layers_over,
    relay,
    uncover,
)
from zealous_sieve.usecases.records.imports import Covered, TakenBack

_INCOMING = b"""
CREATE TEMP TABLE incoming (instrument_id int, base smallint, time timestamptz) ON COMMIT DROP
"""
_DELETE = """
DELETE FROM {} t USING incoming i
WHERE t.instrument_id = i.instrument_id AND t.base = i.base AND t.time = i.time
"""
_DELETE_TRADES = b"""
DELETE FROM trades t USING incoming i WHERE t.instrument_id = i.instrument_id AND t.time = i.time
"""
_EMPTY_PERIODS = """
DELETE FROM open_periods p WHERE p.instrument_id = ANY(%s) AND NOT EXISTS (
  SELECT FROM bars b WHERE b.instrument_id = p.instrument_id AND b.base = p.base AND b.time >= p.period
)
"""
_PUT_AWAY = """
UPDATE instruments i SET deleted_at = now() WHERE code = ANY(%s) AND deleted_at IS NULL
AND NOT EXISTS (SELECT FROM bars b WHERE b.instrument_id = i.id)
AND NOT EXISTS (SELECT FROM trades t WHERE t.instrument_id = i.id) RETURNING id
"""
_HAND_ON = """
UPDATE imports m SET made = m.made || heirs.codes FROM (
  SELECT next.import_id, jsonb_agg(i.code) AS codes FROM instruments i CROSS JOIN LATERAL (
    SELECT l.import_id FROM bar_layers l WHERE l.instrument_id = i.id ORDER BY l.id LIMIT 1
  ) next WHERE i.code = ANY(%s) AND i.deleted_at IS NULL GROUP BY next.import_id
) heirs WHERE m.id = heirs.import_id
"""


def count_uncovered(connection: psycopg.Connection, import_id: int) -> TakenBack:
    """What taking an import back would do."""
    return _counted([under for under, _ in _uncovered(connection, import_id, None)])


def take_layers_back(
    connection: psycopg.Connection, import_id: int, codes: Sequence[str] | None = None
) -> TakenBack:
    """Bars of an import go, and those that it replaced stand there again, but where a later import lies on
    them. Instruments that it made are put away if they have no bars left. Of
    some ``codes`` only it is one of part of the import."""
    found = _uncovered(connection, import_id, _numbers(connection, codes))
    relay(connection, [own for _, changed in found for own in changed])
    unders = [under for under, _ in found]
    for base in Base:
        own = [under for under in unders if under.layer.base == base]
        if own and base == Base.TRADES:
            _uncover_trades(connection, own)
        elif own:
            _uncover_bars(connection, base, own)
    version = connection.execute(sql.BUMP).fetchone()
    for base in {under.layer.base for under in unders}:
        touched = sorted({u.layer.instrument for u in unders if u.layer.base == base})
        connection.execute(sql.CHANGED, (touched, int(base), version and version[0]))
    drop_layers(connection, [under.layer for under in unders])
    return _counted(unders, put_away=_put_away_made(connection, import_id))


def _numbers(connection: psycopg.Connection, codes: Sequence[str] | None) -> list[int] | None:
    if codes is None:
        return None
    query = """
SELECT id FROM instruments WHERE code = ANY(%(codes)s)
UNION SELECT instrument_id FROM earlier_codes WHERE code = ANY(%(codes)s)
"""
    found = connection.execute(query, {"codes": list(codes)}).fetchall()
    return [number for (number,) in found]


def _uncovered(
    connection: psycopg.Connection, import_id: int, some: list[int] | None
) -> list[tuple[Uncovered, list[ImportLayer]]]:
    later = layers_over(connection, import_id, some)
    return [
        uncover(own, later.get((own.instrument, own.base), []))
        for own in layers_of(connection, import_id, some)
    ]


def _counted(unders: Sequence[Uncovered], put_away: int = 0) -> TakenBack:
    removed = restored = 0
    covered: Counter[int] = Counter()
    for under in unders:
        layer = under.layer
        again = int(under.shows(layer.before["time"]).sum())
        shown = int(under.shows(layer.touched).sum()) if layer.base != Base.TRADES else again
        restored += again
        removed += max(0, shown - again)
        covered.update(under.covered)
    return TakenBack(
        removed=removed,
        restored=restored,
        covered=tuple(Covered(own, count) for own, count in sorted(covered.items()) if count),
        put_away=put_away,
    )


def _again(unders: Sequence[Uncovered]) -> list[tuple[int, LayerRows]]:
    """The rows that stand there again, by the number of their instrument."""
    return [(u.layer.instrument, u.layer.before[u.shows(u.layer.before["time"])]) for u in unders]


def _uncover_bars(connection: psycopg.Connection, base: Base, unders: Sequence[Uncovered]) -> None:
    _incoming(
        connection,
        [(u.layer.instrument, u.layer.touched[u.shows(u.layer.touched)]) for u in unders],
        base,
    )
    for table in ("bars", "bar_extras"):
        connection.execute(_DELETE.format(table).encode())
    again = _again(unders)
    copy_in(
        connection,
        "bars",
        BAR,
        [_stored(BAR, rows, FIELDS, instrument_id=n, base=int(base)) for n, rows in again],
    )
    beside = [(n, rows[~np.all([np.isnan(rows[c]) for c in BESIDE], axis=0)]) for n, rows in again]
    copy_in(
        connection,
        "bar_extras",
        EXTRA,
        [_stored(EXTRA, rows, BESIDE, instrument_id=n, base=int(base)) for n, rows in beside],
    )
    connection.execute(sql.open_periods("incoming", base))
    connection.execute(sql.drop_touched(base))
    connection.execute("DROP TABLE incoming")
    connection.execute(_EMPTY_PERIODS, (sorted(u.layer.instrument for u in unders),))


def _uncover_trades(connection: psycopg.Connection, unders: Sequence[Uncovered]) -> None:
    gone = []
    for under in unders:
        layer = under.layer
        whole = sql.trades([layer.instrument], int(layer.touched[0]), int(layer.touched[-1]))
        times = np.unique(copy_out(connection, whole, TRADE)["time"])
        gone.append((layer.instrument, times[under.shows(times)]))
    _incoming(connection, gone, Base.TRADES)
    connection.execute(_DELETE_TRADES)
    copy_in(
        connection,
        "trades",
        TRADE,
        [_stored(TRADE, rows, ("place", *MEASURED), instrument_id=n) for n, rows in _again(unders)],
    )
    connection.execute("DROP TABLE incoming")


_PLACE = layout(instrument_id=">i4", base=">i2", time=">i8")


def _incoming(
    connection: psycopg.Connection, times: Sequence[tuple[int, Times]], base: Base
) -> None:
    """The places of what goes, by the number of its instrument."""
    connection.execute(_INCOMING)
    chunks = [block_rows(_PLACE, instrument_id=n, base=int(base), time=own) for n, own in times]
    copy_in(connection, "incoming", _PLACE, chunks)


def _stored(row: np.dtype[np.void], rows: LayerRows, names: Sequence[str], **of: int) -> LayerRows:
    """Rows of a layer as the database keeps them."""
    return block_rows(row, **of, time=rows["time"], **{name: rows[name] for name in names})


def _put_away_made(connection: psycopg.Connection, import_id: int) -> int:
    """Instruments that an import made go with it, or with the next that has bars of them."""
    row = connection.execute("SELECT made FROM imports WHERE id = %s", (import_id,)).fetchone()
    made = row[0] if row else []
    count = put_away_empty(connection, made)
    connection.execute(_HAND_ON, (made,))
    return count


def put_away_empty(connection: psycopg.Connection, codes: Collection[str]) -> int:
    """Put away those of some instruments that have no bars; returns how many."""
    gone = [number for (number,) in connection.execute(_PUT_AWAY, (list(codes),)).fetchall()]
    if gone:
        connection.execute("DELETE FROM findings WHERE instrument_id = ANY(%s)", (gone,))
        connection.execute(sql.BUMP_MARKET)
    return len(gone)
