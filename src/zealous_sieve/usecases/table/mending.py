"""Mending bars, and taking it back."""

from __future__ import annotations

from collections.abc import Sequence

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.bases import Base, base_of, series_of
from zealous_sieve.core.market.instruments import Event, InstrumentKind
from zealous_sieve.core.market.mending import Mending, MendingKind, check_mending, check_moments
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.records.table import StoredMending
from zealous_sieve.usecases.table.data_check import check_some


def mend(outside: Outside, mending: Mending) -> StoredMending:
    """Mend bars of an instrument; a split is an event of its day too. Raises NotFoundError, DataError
    ``bad_mending``, ConflictError where the same is in force already."""
    known = outside.market.reference().by_code.get(mending.code)
    if known is None:
        raise NotFoundError("instrument", mending.code)
    if known.kind == InstrumentKind.PAIR:
        message = f"{mending.code} is made of two others: it has no bars of its own"
        mend_it = "correct the bars of its legs"
        raise DataError(Problem(code="bad_mending", message=message, mend=mend_it))
    check_mending(mending, _bars(outside, mending))
    stored = outside.mendings.add(mending)
    if stored is None:
        raise _mended_already()
    _split_events(outside, [mending], there=True)
    check_some(outside, [mending.code])
    return stored


def mend_all(outside: Outside, mendings: Sequence[Mending]) -> list[int]:
    """Mend bars of several instruments, all or none; returns the numbers of the mendings. What is in force
    already stays so; splits are events of their days too."""
    numbers = outside.mendings.add_all(mendings)
    _split_events(outside, mendings, there=True)
    check_some(outside, list(dict.fromkeys(own.code for own in mendings)))
    return numbers


def accept_cause(outside: Outside, accepted: Sequence[Mending]) -> list[int]:
    """Accept what was found of several instruments, of all of them or of none; returns the numbers of the
    mendings, by which they are taken back. What is accepted already stays so.

    Raises NotFoundError, DataError ``bad_mending`` for mendings of another kind.
    """
    known = outside.market.reference().by_code
    for own in accepted:
        if own.code not in known:
            raise NotFoundError("instrument", own.code)
        if own.kind != MendingKind.ACCEPT:
            message = f"{own.code}: only what was found is accepted of many at once"
            raise DataError(Problem(code="bad_mending", message=message))
        check_moments(own)
    numbers = outside.mendings.add_all(accepted)
    check_some(outside, list(dict.fromkeys(own.code for own in accepted)))
    return numbers


def take_all_back(outside: Outside, numbers: Sequence[int]) -> None:
    """Take several mendings back. Raises NotFoundError; then none is."""
    stored = [outside.mendings.get(number) for number in numbers]
    for number, own in zip(numbers, stored, strict=True):
        if own is None:
            raise NotFoundError("mending", number)
    outside.mendings.drop_all(numbers)
    _split_events(outside, [own.mending for own in stored if own], there=False)
    check_some(outside, list(dict.fromkeys(own.mending.code for own in stored if own)))


def _bars(outside: Outside, mending: Mending) -> Series:
    """The bars that a mending is about, as they came in."""
    base = Base.DAY
    if mending.kind in (MendingKind.LEAVE_OUT, MendingKind.CORRECT):
        base = base_of(mending.seconds)
    return series_of(outside.bars.some([mending.code], (base,), raw=True), base, mending.code)


def take_mending_back(outside: Outside, mending_id: int) -> None:
    """Take a mending back: the bars are as they came in, other mendings apart. Raises NotFoundError."""
    _turn(outside, mending_id, deleted=True)


def restore(outside: Outside, mending_id: int) -> StoredMending:
    """Bring a mending back that was taken back. Raises NotFoundError, ConflictError where the same is in
    force already."""
    return _turn(outside, mending_id, deleted=False)


def _turn(outside: Outside, mending_id: int, *, deleted: bool) -> StoredMending:
    stored = outside.mendings.get(mending_id)
    if stored is None:
        raise NotFoundError("mending", mending_id)
    if not outside.mendings.set_deleted(mending_id, deleted):
        raise _mended_already()
    _split_events(outside, [stored.mending], there=not deleted)
    check_some(outside, [stored.mending.code])
    return stored


def _mended_already() -> ConflictError:
    return ConflictError("mended_already", "just that is in force already")


def _split_events(outside: Outside, mendings: Sequence[Mending], *, there: bool) -> None:
    """Let splits be events of their days, or no more."""
    events = [
        Event(
            kind="split",
            day=own.first // 86_400 * 86_400,
            title=f"{own.new:g} for {own.old:g}",
            code=own.code,
        )
        for own in mendings
        if own.kind == MendingKind.SPLIT
    ]
    if events:
        others = [known for known in outside.market.events() if known not in events]
        outside.market.replace_events([*others, *events] if there else others)
