"""Two owners on one database: neither sees, changes or is troubled by what the other has."""

from __future__ import annotations

import pytest

from zealous_sieve import bootstrap
from zealous_sieve.core.market.universes import Universe
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.storage.database import Database
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.records.hits import HitsQuery, VerdictKind
from zealous_sieve.usecases.records.runs import RUN, RunState
from zealous_sieve.usecases.review.verdicts import give_verdict
from zealous_sieve.usecases.shaping.library import add_formula
from zealous_sieve.usecases.shaping.sieves import delete_sieve, save_sieve
from zealous_sieve.usecases.sifting.outcome import view_run
from zealous_sieve.usecases.sifting.runs import execute_run, start_run


def test_what_belongs_to_another_is_not_there(address: str) -> None:
    database = Database(address)
    desk, other = (bootstrap.for_owner(database, name) for name in ("desk", "mole"))
    assert desk.sieves.all()
    assert other.sieves.all() == other.formulas.all() == other.universes.all() == []
    with pytest.raises(NotFoundError):
        start_run(other, 2)
    with pytest.raises(NotFoundError):
        save_sieve(other, 2, EXAMPLES[0], 1)
    with pytest.raises(NotFoundError):
        delete_sieve(other.sieves, 2)
    assert not desk.sieves.get(2).deleted  # type: ignore[union-attr]

    run = start_run(desk, 2)
    execute_run(desk, run.id)
    assert other.runs.get(run.id) is None
    assert other.runs.recent(10) == []
    assert other.runs.marks(10) == other.runs.before(2, run.id + 1) == []
    assert (desk.runs.count(), other.runs.count()) == (1, 0)
    assert other.work.told(RUN, [run.id]) == {}
    assert not other.work.ask(RUN, run.id, RunState.CANCELLED, *RunState, reason="not mine")
    with pytest.raises(NotFoundError):
        view_run(other, run.id)

    # The same names and setups, without touching each other.
    taken = desk.formulas.all()[0].name
    add_formula(other, taken, "close", "")
    other.universes.add([Universe(name="All shares")])
    other.sieves.add(desk.sieves.get(2).sieve)  # type: ignore[union-attr]
    (own,) = other.sieves.all()
    theirs = start_run(other, own.id)
    execute_run(other, theirs.id)
    hit = desk.hits.page(run)[1][0]
    with pytest.raises(NotFoundError):
        give_verdict(other, hit.id, VerdictKind.TAKE)
    give_verdict(desk, hit.id, VerdictKind.TAKE)
    _, seen = other.hits.page(theirs, None, HitsQuery(words=hit.hit.code))
    assert [one.verdict for one in seen] == [None]
