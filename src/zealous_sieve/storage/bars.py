"""Reading and writing bars in bulk.

Rows are the truth. Blocks of closed periods (a month, of minutes a day) are derived from them, can be
dropped and are rebuilt by a job; loading reads blocks, and rows for all that has no block.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import pairwise
from threading import Lock
from typing import Any

import numpy as np
import psycopg
from numpy.typing import NDArray
from psycopg.types.json import Jsonb
from sqlalchemy import text

from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.engine.panel import BESIDE, NEVER, Panel
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.market.bases import Base, base_of
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.mending import mended
from zealous_sieve.storage import bar_statements as sql
from zealous_sieve.storage.blocks import BAR, EXTRA, TRADE, block_rows, pack, unpack
from zealous_sieve.storage.copying import RowsCopied, by_instrument, copy_in, copy_out, unheard
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.layers import ImportLayer, LayerRows, forget_layers, lay, row_of
from zealous_sieve.storage.mendings import in_force
from zealous_sieve.storage.uncovering import count_uncovered, put_away_empty, take_layers_back
from zealous_sieve.usecases.records.imports import TakenBack

_BARS = tuple(base for base in Base if base != Base.TRADES)
Block = tuple[int, int, datetime, int, bytes]


@dataclass(frozen=True)
class _Writing:
    """A transaction in which bars are written: numbers of instruments by code, who hears of it, and, where
    it is to be taken back, what is laid over the bars."""

    connection: psycopg.Connection
    ids: Mapping[str, int]
    told: RowsCopied
    layers: list[ImportLayer] | None

    def lay(
        self, series: Mapping[str, Series], base: Base, before: Mapping[int, LayerRows]
    ) -> None:
        """Note what is written, over the rows that stood there before."""
        if self.layers is None:
            return
        for code, (times, _) in series.items():
            if len(times):
                number = self.ids[code]
                rows = before.get(number, np.empty(0, row_of(base)))
                touched = times[[0, -1]] if base == Base.TRADES else times
                self.layers.append(
                    ImportLayer(instrument=number, base=base, touched=touched, before=rows)
                )


_AT_ONCE = 50_000
"""Rows that are written before it is told how far the writing is."""
MOST_RENEWED = 0.5
"""Where more than such a share of all series changed, all are read anew."""


class BarStore:
    """Bars of one database; the panel is kept in memory, and what changes of the data is renewed in it."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self._lock = Lock()
        self._kept: tuple[int, Panel] | None = None

    def write(
        self,
        bars: Mapping[Base, Mapping[str, Series]],
        fresh: Sequence[Instrument] = (),
        report: RowsCopied = unheard,
        import_id: int | None = None,
    ) -> int:
        """Add bars by base and instrument code, replacing those of the same time; returns how many. What an
        import replaces is kept, so that it can be taken back.

        All or nothing: one transaction; ``report`` hears how many rows more went in, and ends it by
        raising. Instruments have to exist or to be among the ``fresh`` ones, which are added. Trades
        replace all that were kept between the first and the last of them. Blocks of the periods that were
        touched are dropped.
        """
        with self.database.raw() as connection:
            connection.execute(sql.IN_BULK)
            made = _not_there(connection, fresh)
            _add_instruments(connection, fresh)
            ids = dict(connection.execute("SELECT code, id FROM instruments").fetchall())
            to = _Writing(connection, ids, report, None if import_id is None else [])
            count = 0
            empty = connection.execute("SELECT NOT EXISTS (SELECT 1 FROM bars)").fetchone()
            if empty and empty[0]:
                count += _fill(to, {b: s for b, s in bars.items() if b in _BARS})
            else:
                for base in _BARS:
                    count += _merge(to, bars.get(base, {}), base)
            count += _write_trades(to, bars.get(Base.TRADES, {}))
            version = connection.execute(sql.BUMP).fetchone()
            for changed, series in bars.items():
                touched = sorted(ids[code] for code in series)
                connection.execute(sql.CHANGED, (touched, int(changed), version and version[0]))
            if import_id is not None:
                lay(connection, import_id, to.layers or ())
                # Last of all: until then how far it is is written there from outside.
                connection.execute(sql.MADE, (Jsonb(made), import_id))
        return count

    def count_back(self, import_id: int) -> TakenBack:
        """What taking an import back would do to bars."""
        with self.database.raw() as connection:
            return count_uncovered(connection, import_id)

    def take_back(self, import_id: int, codes: Sequence[str] | None = None) -> TakenBack:
        """Undo what an import did to bars, of all instruments or of some, but where a later one lies on it;
        all or nothing."""
        with self.database.raw() as connection:
            return take_layers_back(connection, import_id, codes)

    def newest(self) -> dict[Base, int]:
        """When the newest bar of each base opened, in seconds since 1970."""
        with self.database.raw() as connection:
            found: dict[Base, Any] = {
                b: connection.execute(sql.NEWEST_BAR, (int(b),)).fetchone() for b in _BARS
            }
            found[Base.TRADES] = connection.execute(sql.NEWEST_TRADE).fetchone()
            return {b: int(row[0].timestamp()) for b, row in found.items() if row and row[0]}

    def put_away_empty(self, codes: Sequence[str]) -> int:
        """Put away those of some instruments that have no bars; returns how many."""
        with self.database.raw() as connection:
            return put_away_empty(connection, codes)

    def pack_periods(self) -> int:
        """Make blocks of the open periods that have closed; returns how many."""
        with self.database.raw() as connection:
            connection.execute(sql.IN_BULK)
            return sum(_pack_open(connection, base) for base in _BARS)

    def drop(self, codes: Sequence[str]) -> None:
        """Delete all bars and trades of some instruments."""
        with self.database.raw() as connection:
            found = connection.execute(
                "SELECT id FROM instruments WHERE code = ANY(%s)", (list(codes),)
            )
            numbers = [number for (number,) in found.fetchall()]
            for table in ("bars", "bar_extras", "trades", "bar_blocks", "open_periods"):
                query = f"DELETE FROM {table} WHERE instrument_id = ANY(%s)"
                connection.execute(query.encode(), (numbers,))
            forget_layers(connection, numbers)
            version = connection.execute(sql.BUMP).fetchone()
            for base in Base:
                connection.execute(sql.CHANGED, (numbers, int(base), version and version[0]))

    def drop_blocks(self) -> None:
        """Forget all blocks; loading falls back to rows until they are packed again."""
        with self.database.raw() as connection:
            connection.execute("TRUNCATE bar_blocks")
            for base in _BARS:
                connection.execute(sql.open_periods("bars", base))

    def panel(self) -> Panel:
        """All daily bars, of all instruments in the order of their ids, with the other bases."""
        with self._lock:
            version = self._version()
            if self._kept is None:
                self._kept = (version, self._load_bases())
            elif self._kept[0] != version:
                self._kept = (version, self._renewed(*self._kept))
            return self._kept[1]

    def some(
        self,
        codes: Sequence[str],
        bases: Collection[Base] = tuple(Base),
        since: int = 0,
        *,
        raw: bool = False,
    ) -> Panel:
        """As ``panel``, of some instruments, bases and bars from a moment on (seconds since 1970); read
        anew each time. ``raw`` ones are as they came in, mendings left out."""
        return _with_bases(
            {b: self.load(b, codes, since if b in bases else NEVER, raw=raw) for b in Base}
        )

    def load(
        self,
        base: Base = Base.DAY,
        codes: Sequence[str] | None = None,
        since: int = 0,
        *,
        raw: bool = False,
    ) -> Panel:
        """Read the bars of a base from the database, of all or of some instruments."""
        with self.database.raw() as connection:
            wanted = None if codes is None else list(codes)
            known = connection.execute(sql.NUMBERS, (wanted, wanted)).fetchall()
            some = None if codes is None else [number for number, _ in known]
            read = _trades if base == Base.TRADES else _bars
            parts = read(connection, base, some, since) if since < NEVER else {}
            changed = {} if raw else in_force(connection)
        series = {code: _from(since, _joined(parts.get(number, []))) for number, code in known}
        for code in changed.keys() & series.keys():
            own = changed[code]
            series[code] = mended(series[code], own.mendings, base.seconds, own.clock)
        return replace(Panel.of(series), duration=base.seconds)

    def _load_bases(self) -> Panel:
        return _with_bases({base: self.load(base) for base in Base})

    def _renewed(self, version: int, kept: Panel) -> Panel:
        """All bars as they are now: what changed since a version is read, the rest is taken over."""
        with self.database.raw() as connection:
            found = connection.execute(sql.CHANGED_SINCE, (version,)).fetchall()
            codes = [code for _, code in connection.execute(sql.NUMBERS, (None, None)).fetchall()]
        changed = {Base(base): list(own) for base, own in found}
        before = {
            base_of(base.duration) if base.duration else Base.TRADES: base for base in kept.bases
        }
        if sum(map(len, changed.values())) > MOST_RENEWED * len(codes):
            return self._load_bases()
        return _with_bases(
            {
                base: _spliced(before.get(base), self.load(base, changed.get(base, [])), codes)
                for base in Base
            }
        )

    def _version(self) -> int:
        with self.database.connection() as connection:
            query = "SELECT value FROM settings WHERE key = 'data_version'"
            return int(connection.execute(text(query)).scalar() or 0)


def _with_bases(loaded: Mapping[Base, Panel]) -> Panel:
    """The daily bars, with all bases that hold any."""
    bases = tuple(panel for panel in loaded.values() if panel.bars)
    return replace(loaded[Base.DAY], bases=bases)


def _spliced(before: Panel | None, fresh: Panel, codes: Sequence[str]) -> Panel:
    """The bars of ``codes``: fresh ones where there are, else those from before."""
    if before is not None and not fresh.codes and before.codes == tuple(codes):
        return before
    series: dict[str, Series] = {}
    for code in codes:
        own = fresh if before is None or code in fresh.places else before
        series[code] = own.series(code) if code in own.places else _joined([])
    return replace(Panel.of(series), duration=fresh.duration)


def _from(since: int, series: Series) -> Series:
    """What of a series is not before a moment."""
    times, columns = series
    first = int(np.searchsorted(times, since)) if since else 0
    return (times[first:], {n: c[first:] for n, c in columns.items()}) if first else series


def _not_there(connection: psycopg.Connection, fresh: Sequence[Instrument]) -> list[str]:
    """The codes of those that are not there, or were put away."""
    codes = [instrument.code for instrument in fresh]
    query = "SELECT code FROM instruments WHERE deleted_at IS NULL AND code = ANY(%s)"
    there = {code for (code,) in connection.execute(query, (codes,)).fetchall()}
    return [code for code in codes if code not in there]


def _add_instruments(connection: psycopg.Connection, fresh: Sequence[Instrument]) -> None:
    rows = [
        (
            i.code,
            i.name,
            str(i.kind),
            i.venue,
            i.currency,
            i.tick,
            i.point_value,
            Jsonb(dict(i.facts)),
        )
        for i in fresh
    ]
    if rows:
        with connection.cursor() as cursor:
            cursor.executemany(sql.ADD_INSTRUMENT, rows)
        connection.execute(sql.BUMP_MARKET)


Parts = dict[int, list[tuple[Times, dict[str, Column]]]]
"""Pieces of bars by the number of their instrument."""


def _bars(connection: psycopg.Connection, base: Base, some: sql.Some, since: int) -> Parts:
    query = sql.blocks(base, some, since).encode()
    blocks = connection.execute(query, binary=True).fetchall()
    parts: Parts = defaultdict(list)
    for instrument, count, payload in blocks:
        times, matrix = unpack(payload, count)
        parts[instrument].append((times, dict(zip(FIELDS, matrix, strict=True))))
    for chunk in by_instrument(copy_out(connection, sql.open_rows(base, some, since), BAR)):
        columns = {field: chunk[field].astype(np.float64) for field in FIELDS}
        parts[int(chunk["instrument_id"][0])].append((chunk["time"].astype(np.int64), columns))
    extras = {
        int(chunk["instrument_id"][0]): chunk
        for chunk in by_instrument(copy_out(connection, sql.extras(base, some, since), EXTRA))
    }
    for instrument, chunk in extras.items():
        parts[instrument] = [_with_extras(_joined(parts[instrument]), chunk)]
    return parts


def _with_extras(series: Series, chunk: NDArray[np.void]) -> tuple[Times, dict[str, Column]]:
    times, columns = series
    place = np.searchsorted(times, chunk["time"].astype(np.int64))
    added = {}
    for name in BESIDE:
        if not np.isnan(chunk[name]).all():
            added[name] = np.full(len(times), np.nan)
            added[name][place] = chunk[name]
    return times, {**columns, **added}


def _trades(connection: psycopg.Connection, _: Base, some: sql.Some, since: int) -> Parts:
    parts: Parts = {}
    for chunk in by_instrument(copy_out(connection, sql.trades(some, since), TRADE)):
        price, size, bought = (chunk[n].astype(np.float64) for n in ("price", "size", "bought"))
        columns = dict.fromkeys(("open", "high", "low", "close"), price)
        columns |= {"volume": size, "trades": np.ones(len(size))}
        columns |= {"buy_volume": bought, "sell_volume": size - bought}
        for name in ("skipped_levels", "feed_lag_ms"):
            columns[name] = chunk[name].astype(np.float64)
        parts[int(chunk["instrument_id"][0])] = [(chunk["time"].astype(np.int64), columns)]
    return parts


def _bar_rows(
    ids: Mapping[str, int], series: Mapping[str, Series], base: Base
) -> Iterator[NDArray[np.void]]:
    for code, (times, columns) in series.items():
        for first in range(0, len(times), _AT_ONCE):
            part = slice(first, first + _AT_ONCE)
            own = {field: columns[field][part] for field in FIELDS}
            yield block_rows(BAR, instrument_id=ids[code], base=int(base), time=times[part], **own)


def _extra_rows(
    ids: Mapping[str, int], series: Mapping[str, Series], base: Base
) -> Iterator[NDArray[np.void]]:
    for code, (times, columns) in series.items():
        if len(times) and any(name in columns for name in BESIDE):
            missing = np.full(len(times), np.nan)
            own = {name: columns.get(name, missing) for name in BESIDE}
            yield block_rows(EXTRA, instrument_id=ids[code], base=int(base), time=times, **own)


def _fill(
    to: _Writing,
    bars: Mapping[Base, Mapping[str, Series]],
) -> int:
    """Into an empty table: the key is made after the rows, blocks come from what is at hand."""
    to.connection.execute("ALTER TABLE bars DROP CONSTRAINT bars_pkey")
    count = 0
    for base, series in bars.items():
        count += copy_in(to.connection, "bars", BAR, _bar_rows(to.ids, series, base), to.told)
        to.lay(series, base, {})
        copy_in(to.connection, "bar_extras", EXTRA, _extra_rows(to.ids, series, base))
    to.connection.execute("ALTER TABLE bars ADD PRIMARY KEY (instrument_id, base, time)")
    for base, series in bars.items():
        _pack_series(to, series, base)
    return count


def _merge(
    to: _Writing,
    series: Mapping[str, Series],
    base: Base,
) -> int:
    count = _add(to, series, base)
    series = {code: own for code, own in series.items() if code not in count}
    return sum(count.values()) + _replace(to, series, base)


def _add(
    to: _Writing,
    series: Mapping[str, Series],
    base: Base,
) -> dict[str, int]:
    """Bars of instruments that have none of the base yet: there is nothing to replace, and blocks come
    from what is at hand. Returns how many by code."""
    wanted = [to.ids[code] for code in series]
    empty = {n for (n,) in to.connection.execute(sql.WITHOUT_BARS, (wanted, int(base))).fetchall()}
    fresh = {code: own for code, own in series.items() if to.ids[code] in empty}
    if fresh:
        to.lay(fresh, base, {})
        copy_in(to.connection, "bars", BAR, _bar_rows(to.ids, fresh, base), to.told)
        copy_in(to.connection, "bar_extras", EXTRA, _extra_rows(to.ids, fresh, base))
        _pack_series(to, fresh, base)
    return {code: len(times) for code, (times, _) in fresh.items()}


def _bars_before(connection: psycopg.Connection) -> dict[int, LayerRows]:
    """The bars that those of ``incoming`` replace, with what they hold beside, by instrument."""
    found = {}
    beside = {
        int(chunk["instrument_id"][0]): chunk
        for chunk in by_instrument(copy_out(connection, sql.replaced("bar_extras", BESIDE), EXTRA))
    }
    for chunk in by_instrument(copy_out(connection, sql.replaced("bars", FIELDS), BAR)):
        number = int(chunk["instrument_id"][0])
        rows = found[number] = _native(chunk, Base.DAY)
        for name in BESIDE:
            rows[name] = np.nan
        if number in beside:
            own = beside[number]
            place = np.searchsorted(rows["time"], own["time"])
            for name in BESIDE:
                rows[name][place] = own[name]
    return found


def _native(chunk: LayerRows, base: Base) -> LayerRows:
    """Rows of the database as a layer keeps them."""
    rows = np.zeros(len(chunk), row_of(base))
    for name in set(rows.dtype.names or ()) & set(chunk.dtype.names or ()):
        rows[name] = chunk[name]
    return rows


def _replace(
    to: _Writing,
    series: Mapping[str, Series],
    base: Base,
) -> int:
    """Bars of instruments that have some already; those of the same time are replaced."""
    if not series:
        return 0
    to.connection.execute(sql.incoming("bars"))
    copy_in(to.connection, "incoming", BAR, _bar_rows(to.ids, series, base), to.told)
    if to.layers is not None:
        to.lay(series, base, _bars_before(to.connection))
    count = to.connection.execute(sql.merge("bars", FIELDS)).rowcount
    to.connection.execute(sql.open_periods("incoming", base))
    to.connection.execute(sql.drop_touched(base))
    to.connection.execute("DROP TABLE incoming")
    to.connection.execute(sql.incoming("bar_extras"))
    if copy_in(to.connection, "incoming", EXTRA, _extra_rows(to.ids, series, base)):
        to.connection.execute(sql.merge("bar_extras", BESIDE))
    to.connection.execute("DROP TABLE incoming")
    return count


def _write_trades(to: _Writing, series: Mapping[str, Series]) -> int:
    chunks = []
    for code, (times, columns) in series.items():
        if not len(times):
            continue
        first, last = (datetime.fromtimestamp(int(times[n]), UTC) for n in (0, -1))
        if to.layers is not None:
            whole = sql.trades([to.ids[code]], int(times[0]), int(times[-1]))
            gone = _native(copy_out(to.connection, whole, TRADE), Base.TRADES)
            to.lay({code: (times, columns)}, Base.TRADES, {to.ids[code]: gone})
        to.connection.execute(sql.DROP_TRADES, (to.ids[code], first, last))
        new = np.flatnonzero(np.diff(times, prepend=times[0] - 1))
        place = np.arange(len(times)) - np.repeat(new, np.diff(np.append(new, len(times))))
        own = {
            "price": columns["close"],
            "size": columns["volume"],
            "bought": columns["buy_volume"],
            "skipped_levels": columns["skipped_levels"],
            "feed_lag_ms": columns["feed_lag_ms"],
        }
        chunks.append(block_rows(TRADE, instrument_id=to.ids[code], time=times, place=place, **own))
    return copy_in(to.connection, "trades", TRADE, chunks, to.told) if chunks else 0


def _periods(times: Times, base: Base) -> NDArray[np.datetime64]:
    unit = sql.period_of(base)
    return times.astype("datetime64[s]").astype(
        "datetime64[D]" if unit == "day" else "datetime64[M]"
    )


def _pack_series(
    to: _Writing,
    series: Mapping[str, Series],
    base: Base,
) -> None:
    """Blocks of the closed periods of bars that have just been written into an empty table."""
    own = {code: (times, columns) for code, (times, columns) in series.items() if len(times)}
    periods = {code: _periods(times, base) for code, (times, _) in own.items()}
    newest = max((own[-1] for own in periods.values()), default=None)
    known = to.connection.execute(sql.NEWEST_PERIOD, (int(base),)).fetchone()
    if known is not None and newest is not None:
        newest = max(newest, _periods(np.array([known[0].timestamp()], np.int64), base)[0])
    blocks: list[Block] = []
    for code, (times, columns) in own.items():
        blocks += _cut_blocks(to.ids[code], base, times, columns, periods[code], newest)
    with to.connection.cursor() as cursor:
        with cursor.copy(sql.COPY_BLOCKS) as out:
            out.set_types(("int4", "int2", "timestamptz", "int4", "bytea"))
            for block in blocks:
                out.write_row(block)
        open_ones = [
            (to.ids[c], int(base), _moment(newest)) for c, p in periods.items() if newest in p
        ]
        cursor.executemany(sql.ADD_OPEN, open_ones)


def _pack_open(connection: psycopg.Connection, base: Base) -> int:
    newest = connection.execute(sql.NEWEST_PERIOD, (int(base),)).fetchone()
    if newest is None:
        return 0
    before = int(newest[0].timestamp())
    rows = copy_out(connection, sql.open_rows(base, before=before), BAR)
    last = _periods(np.array([before], np.int64), base)[0]
    blocks: list[Block] = []
    for chunk in by_instrument(rows):
        times = chunk["time"].astype(np.int64)
        columns = {field: chunk[field].astype(np.float64) for field in FIELDS}
        instrument = int(chunk["instrument_id"][0])
        blocks += _cut_blocks(instrument, base, times, columns, _periods(times, base), last)
    with connection.cursor() as cursor:
        cursor.executemany(sql.ADD_BLOCK, blocks)
    connection.execute(sql.CLOSE_PACKED)
    return len(blocks)


def _cut_blocks(
    instrument: int,
    base: Base,
    times: Times,
    columns: Mapping[str, Column],
    periods: NDArray[np.datetime64],
    newest: np.datetime64 | None,
) -> Iterator[Block]:
    """The blocks of all periods before the newest."""
    bounds = [0, *(np.flatnonzero(periods[1:] != periods[:-1]) + 1), len(times)]
    for first, end in pairwise(bounds):
        if newest is not None and periods[first] < newest:
            part = {field: columns[field][first:end] for field in FIELDS}
            payload = pack(times[first:end], part)
            yield instrument, int(base), _moment(periods[first]), int(end - first), payload


def _moment(period: np.datetime64 | None) -> datetime:
    assert period is not None
    moment: datetime = period.astype("datetime64[s]").astype(datetime)
    return moment.replace(tzinfo=UTC)


def _joined(parts: list[tuple[Times, dict[str, Column]]]) -> Series:
    if not parts:
        return np.empty(0, np.int64), {field: np.empty(0) for field in FIELDS}
    if len(parts) == 1:
        return parts[0]
    times = np.concatenate([times for times, _ in parts])
    order = np.argsort(times, kind="stable")
    names = parts[0][1]
    return times[order], {n: np.concatenate([c[n] for _, c in parts])[order] for n in names}
