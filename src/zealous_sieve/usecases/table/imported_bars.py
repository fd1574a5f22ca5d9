"""Bars and trades of a file against those that are kept."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from zealous_sieve import clock
from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.intake.adjusted import BECAUSE, Adjustments, told_by
from zealous_sieve.core.intake.difference import (
    BarChange,
    Difference,
    completed,
    difference,
    tape_difference,
)
from zealous_sieve.core.intake.layout import LONGEST_CODE_TEXT, Adjusted, Content, Layout
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import renamed, take_rows
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.market.bases import Base, series_of
from zealous_sieve.core.market.data_quality import causes
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.soundness import PRICES
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.imports import (
    TOLD_ONE_BY_ONE,
    Account,
    Import,
    ImportLine,
    ImportState,
    RowsDone,
)
from zealous_sieve.usecases.table.bars import Imported, codes_of_bars, import_bars
from zealous_sieve.usecases.table.mending import mend_all

_Bars = Mapping[Base, Mapping[str, Series]]


def take_bars(
    outside: Outside, imported: Import, refusals: Refusals, report: RowsDone, *, taken: bool
) -> tuple[Account, list[ImportLine]]:
    """Read bars or trades of a file and say what they change, in all and by instrument; with ``taken``,
    they are kept, but for the instruments that are left out.

    Raises DataError for bars of a length that is not kept, CancelledError.
    """
    trades = imported.layout.content == Content.TRADES
    series, doubled = _read(outside, imported, refusals, _half(report, taken), keep=not taken)
    series, adjusted = _parted(series, imported.layout)
    bars: _Bars = {Base.TRADES: series} if trades else joined_files([(imported.name, series)])
    if taken:
        bars = _without(bars, imported.left_out)
    told_of = _told_by(bars, adjusted)
    mendings = _not_in_force(outside, told_of.mendings)
    account, lines, wanted = _compared(outside, bars, imported.layout.unsaid)
    account = replace(
        account,
        doubled=doubled,
        refused=refusals.count,
        refusals=tuple(refusals.listed[:TOLD_ONE_BY_ONE]),
        mending_count=len(mendings),
        mendings=tuple(str(mending) for mending in mendings[:TOLD_ONE_BY_ONE]),
        unexplained=told_of.unexplained,
        findings=_write(outside, imported, wanted, report) if taken else None,
    )
    if taken and told_of.mendings:
        mend_all(outside, mendings)
        account = replace(account, mended=_made(outside, imported, told_of.mendings))
    return account, lines


Adjusting = Mapping[str, tuple[Times, Column]]
"""Adjusted closes by instrument, with the times of their rows."""


def _parted(series: Mapping[str, Series], layout: Layout) -> tuple[dict[str, Series], Adjusting]:
    """The bars of a table, and its adjusted closes; these are bars of one price where they are a line of
    their own."""
    if not layout.adjusts:
        return dict(series), {}
    adjusted: dict[str, tuple[Times, Column]] = {}
    bars: dict[str, Series] = {}
    for code, (times, columns) in series.items():
        bars[code] = (times, {n: c for n, c in columns.items() if n != "adjusted"})
        adjusted[code] = (times, columns["adjusted"])
    if layout.adjusted == Adjusted.MEND:
        return bars, adjusted
    for code, (times, own) in adjusted.items():
        there = np.isfinite(own) & ((own > 0) | layout.negative)
        prices = dict.fromkeys(PRICES, own[there])
        line = (times[there], {**prices, "volume": np.zeros(int(there.sum()))})
        bars[code_of_line(code)] = line
    return bars, {}


LINE = " adjusted"


def code_of_line(code: str) -> str:
    """What the line of the adjusted closes of an instrument is called."""
    return code[: LONGEST_CODE_TEXT - len(LINE)] + LINE


def _told_by(bars: _Bars, adjusted: Adjusting) -> Adjustments:
    """What adjusted closes tell of daily bars."""
    own = {code: bar for code, bar in bars.get(Base.DAY, {}).items() if code in adjusted}
    told = [told_by(code, t, c["close"], adjusted[code][1]) for code, (t, c) in own.items()]
    return Adjustments(
        mendings=tuple(mending for one in told for mending in one.mendings),
        unexplained=sum(one.unexplained for one in told),
    )


def _of(mending: Mending) -> tuple[str, str, int]:
    """By what two mendings of adjusted closes are the same, whatever was rounded."""
    return mending.code, mending.kind, mending.first


def _not_in_force(outside: Outside, mendings: Sequence[Mending]) -> list[Mending]:
    known = {_of(stored.mending) for stored in outside.mendings.all()} if mendings else set()
    return [mending for mending in mendings if _of(mending) not in known]


def _made(outside: Outside, imported: Import, mendings: Sequence[Mending]) -> tuple[int, ...]:
    """The numbers of those of some mendings that an import made, in whichever attempt."""
    wanted = {_of(mending) for mending in mendings}
    return tuple(
        stored.id
        for stored in outside.mendings.all()
        if _of(stored.mending) in wanted
        and stored.mending.reason == BECAUSE
        and stored.created_at >= imported.created_at
    )


def _without(bars: _Bars, codes: Collection[str]) -> _Bars:
    """Bars but for those of some instruments."""
    return {b: {c: own for c, own in s.items() if c not in codes} for b, s in bars.items()}


def keep_bars(outside: Outside, name: str, bars: _Bars, unsaid: Collection[str] = ()) -> Imported:
    """Keep checked bars as an import that is done: it is listed, and can be taken back. They say nothing of
    the ``unsaid`` columns, which stay as they are.

    Raises DataError where bars of an instrument stand under an earlier code and the present one.
    """
    bars = {base: _by_present(outside, series) for base, series in bars.items()}
    account, _, wanted = _compared(outside, bars, unsaid)
    if unsaid:
        bars = wanted
    own = outside.imports.add(name)
    try:
        done = import_bars(outside, bars, import_id=own.id)
    except BaseException:
        outside.imports.forget(own.id)
        raise
    account = replace(account, findings=len(causes(done.findings)))
    outside.imports.finish(own.id, own.turn, ImportState.DONE, account)
    return done


def _by_present(outside: Outside, series: Mapping[str, Series]) -> dict[str, Series]:
    reference = outside.market.reference()
    found: dict[str, Series] = {}
    for code, own in series.items():
        present = reference.present(code)
        if present in found or (present != code and present in series):
            message = f"{code} is an earlier name of {present}, and both have bars here"
            raise DataError(
                Problem(code="renamed", message=message, mend="import one after the other")
            )
        found[present] = own
    return found


@dataclass(frozen=True)
class _Reading:
    """A file as it was read and sifted, so that what was looked at is not read again to be taken."""

    of: tuple[int, datetime, Layout, tuple[tuple[str, str], ...]]
    series: dict[str, Series]
    doubled: int
    refusals: Refusals


_MOST_KEPT = 3_000_000
"""Rows of a reading that are kept; a larger file is read again."""


def _read(
    outside: Outside, imported: Import, refusals: Refusals, report: RowsDone, *, keep: bool
) -> tuple[dict[str, Series], int]:
    """The bars of a file by instrument, and how many rows said again what another had said."""
    last = outside.files.reading(imported.id)
    earlier = outside.market.reference().earlier
    of = (imported.id, imported.created_at, imported.layout, tuple(earlier.items()))
    if isinstance(last, _Reading) and last.of == of:
        refusals.count, refusals.listed = last.refusals.count, last.refusals.listed
        return last.series, last.doubled
    rows = renamed(
        outside.files.rows(imported.id, imported.name, imported.layout, refusals, report), earlier
    )
    count, trades = len(rows.times), imported.layout.content == Content.TRADES
    latest, negative = int(clock.seconds()) + DAY, imported.layout.negative
    series, doubled = take_rows(rows, refusals, latest, trades=trades, negative=negative)
    if keep and count <= _MOST_KEPT:
        outside.files.keep_reading(imported.id, _Reading(of, series, doubled, refusals))
    return series, doubled


def _half(report: RowsDone, taken: bool) -> RowsDone:
    """Reading is the first half of taking."""
    return (lambda done, total: report(done, 2 * total)) if taken else report


def _write(outside: Outside, imported: Import, wanted: _Bars, report: RowsDone) -> int:
    """Keep what is not the same; returns how much the data check doubts, one cause of many instruments
    counted once."""
    total = sum(len(times) for series in wanted.values() for times, _ in series.values())
    if not total:
        return 0
    done = 0

    def wrote(rows: int) -> None:
        nonlocal done
        done += rows
        report(total + min(done, total), 2 * total)

    kept = import_bars(
        outside,
        wanted,
        wrote,
        kind=imported.layout.kind,
        currency=imported.layout.currency,
        lines=[code for code in codes_of_bars(wanted) if code.endswith(LINE)]
        if imported.layout.adjusts
        else (),
        import_id=imported.id,
    )
    return len(causes(kept.findings))


def _compared(
    outside: Outside, bars: _Bars, unsaid: Collection[str]
) -> tuple[Account, list[ImportLine], _Bars]:
    """What bars would change that say nothing of the ``unsaid`` columns, in all and by instrument, and
    those that are not the same."""
    codes = sorted(codes_of_bars(bars))
    known = {instrument.code for instrument in outside.market.instruments()}
    away = {instrument.code for instrument in outside.market.archived_instruments()}
    kept_ones = known | away
    there = [code for code in codes if code in kept_ones]
    held = outside.bars.some(there, tuple(bars), raw=True)
    found: list[Difference] = []
    lines: dict[str, list[tuple[Difference, Times]]] = {}
    kept = 0
    beyond: list[BarChange] = []
    wanted: dict[Base, dict[str, Series]] = {}
    for base, series in bars.items():
        compare = tape_difference if base == Base.TRADES else difference
        for code, fresh in series.items():
            known_bars = series_of(held, base, code)
            whole = completed(code, known_bars, fresh, unsaid)
            kept += whole.kept
            beyond += whole.outside
            found.append(compare(code, known_bars, whole.series))
            lines.setdefault(code, []).append((found[-1], fresh[0]))
            if len(found[-1].series[0]):
                wanted.setdefault(base, {})[code] = found[-1].series
    fresh_ones = [code for code in codes if code not in known]
    times = [times for series in bars.values() for times, _ in series.values() if len(times)]
    changes = [change for one in found for change in one.changes]
    account = Account(
        nouns=_nouns(bars),
        new=sum(one.new for one in found),
        same=sum(one.same for one in found),
        changed=sum(one.changed for one in found),
        doubled=0,
        refused=0,
        changes=tuple(changes[:TOLD_ONE_BY_ONE]),
        unsaid=tuple(unsaid),
        kept=kept,
        beyond_count=len(beyond),
        beyond=tuple(beyond[:TOLD_ONE_BY_ONE]),
        instruments=len(codes),
        codes=tuple(codes[:TOLD_ONE_BY_ONE]),
        fresh_count=len(fresh_ones),
        fresh=tuple(fresh_ones[:TOLD_ONE_BY_ONE]),
        first=min((int(own[0]) for own in times), default=None),
        last=max((int(own[-1]) for own in times), default=None),
    )
    by_code = [_line(code, own, fresh=code not in known) for code, own in lines.items()]
    return account, by_code, wanted


def _line(code: str, differences: Sequence[tuple[Difference, Times]], *, fresh: bool) -> ImportLine:
    """What bars of all bases would change of one instrument."""
    return ImportLine(
        code=code,
        fresh=fresh,
        new=sum(one.new for one, _ in differences),
        changed=sum(one.changed for one, _ in differences),
        same=sum(one.same for one, _ in differences),
        first=min(int(times[0]) for _, times in differences),
        last=max(int(times[-1]) for _, times in differences),
    )


def _nouns(bars: _Bars) -> str:
    words = " and ".join(base.word for base in sorted(bars, key=lambda b: -b.seconds))
    return "trades" if Base.TRADES in bars else f"bars of {words}"
