"""Bars of a file of any shape, as the import page reads them: for commands, which have nobody to ask."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass, replace
from pathlib import Path

from zealous_sieve import clock
from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.intake.layout import Content
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import take_rows
from zealous_sieve.core.intake.tables import refusal, refused
from zealous_sieve.storage.files import read_bars
from zealous_sieve.storage.uploads import Uploads
from zealous_sieve.usecases.table.sources import pieces_of

NOT_OURS = ("wrong_columns", "unreadable_file")
"""Why a file is no table of our own form, and may be one of another."""


@dataclass(frozen=True, kw_only=True)
class FileOfBars:
    """The bars of a file by instrument, which columns it says nothing of, and what of it is not sure."""

    series: dict[str, Series]
    unsaid: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()


def read_any_bars(path: Path) -> FileOfBars:
    """The bars of a file in our own form or, where it has another, as its first rows tell.

    Raises DataError where a row can't be taken, where it holds something else than bars, and for what only
    its owner knows: then it is brought in on the page.
    """
    try:
        return FileOfBars(series=read_bars(path))
    except DataError as error:
        if error.problem.code not in NOT_OURS:
            raise
    try:
        return _foreign(path)
    except DataError as error:
        told = (
            p if p.subject == str(path) else replace(p, subject=str(path)) for p in error.problems
        )
        raise DataError(*told) from None


def _foreign(path: Path) -> FileOfBars:
    with tempfile.TemporaryDirectory() as folder:
        files = Uploads(Path(folder))
        _, name = files.keep(1, path.name, pieces_of(path))
        understood = files.glimpse(1, name, {}).understood
        layout = understood.layout
        if layout.asked:
            message = "the order of day and month can't be seen in its dates"
            mend = "write the year first, or bring it in on the page, which asks"
            raise DataError(Problem(code="import_asks", message=message, mend=mend))
        if layout.content != Content.BARS:
            message = f"it holds {layout.content}, and bars are wanted"
            mend = "bring it in with: zealous-sieve import files"
            raise DataError(Problem(code="wrong_columns", message=message, mend=mend))
        refusals = Refusals()
        rows = files.rows(1, name, layout, refusals, lambda done, total: None)
        series, _ = take_rows(rows, refusals, int(clock.seconds()) + DAY)
    if refusals.count:
        told = [
            refusal(str(path), one.line, one.column, one.value, one.reason)
            for one in refusals.listed
        ]
        raise refused(told)
    return FileOfBars(series=series, unsaid=layout.unsaid, doubts=understood.doubts)
