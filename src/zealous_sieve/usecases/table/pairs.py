"""Instruments made of two others."""

from __future__ import annotations

from zealous_sieve.core.engine.made_of import LegRelation
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.pairs import make_pair
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.table.data_check import check_data


def add_pair(
    outside: Outside, code: str, name: str, left: str, right: str, relation: LegRelation
) -> Instrument:
    """Define ``left - right`` or ``left ÷ right`` as an instrument.

    Raises ConflictError for a code that is taken, NotFoundError for a leg that does not exist, DataError
    for legs that make no pair.
    """
    known = {instrument.code: instrument for instrument in outside.market.instruments()}
    if code in known:
        raise _taken(code, known[code].name)
    for leg in (left, right):
        if leg not in known:
            raise NotFoundError("instrument", leg)
    if not code.isalnum() or not code.isascii():
        message = f"{code!r} can't be a code: letters and digits only"
        raise DataError(Problem(code="bad_code", message=message, mend="write it like LANTPR"))
    pair = make_pair(code, name or f"{left} to {right}", known[left], known[right], relation)
    if not outside.market.add_instrument(pair):
        raise _taken(code, "made just now")
    check_data(outside)
    return pair


def _taken(code: str, what: str) -> ConflictError:
    message = f"there is an instrument {code} already: {what}"
    return ConflictError("code_taken", message, "choose another code")
