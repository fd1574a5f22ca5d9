"""What changed between two versions of a sieve is told, all of it and nothing else."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from zealous_sieve.core.sieve.changes import changes, parts_changed
from zealous_sieve.core.sieve.definition import Condition, NamedFormula, Role, Side, Sieve

FORMULAS = (
    "close > sma(close, 50)",
    "close > sma(close, 51)",
    "volume > 3 * volume[1]",
    "mine > 2",
)
conditions = st.builds(
    Condition,
    role=st.sampled_from(Role),
    formula=st.sampled_from(FORMULAS),
    weight=st.sampled_from([1.0, 2.5]),
    off=st.booleans(),
    side=st.sampled_from([None, *Side]),
)
formulas = st.builds(
    NamedFormula, name=st.sampled_from(["mine", "other"]), text=st.sampled_from(FORMULAS)
)
sieves = st.builds(
    Sieve,
    name=st.sampled_from(["One", "Other"]),
    note=st.sampled_from(["", "Why."]),
    universe=st.sampled_from(["All shares", "Lamps"]),
    timeframes=st.sampled_from([("1d",), ("1w",)]),
    forming=st.booleans(),
    sides=st.sampled_from([(Side.LONG,), (Side.LONG, Side.SHORT)]),
    fired_within=st.integers(1, 3),
    formulas=st.lists(formulas, max_size=2, unique_by=lambda own: own.name).map(tuple),
    conditions=st.lists(conditions, min_size=1, max_size=4).map(tuple),
    rank=st.sampled_from(["", "rel_volume(18)"]),
)


@settings(max_examples=300, deadline=None)
@given(sieves, sieves)
def test_whatever_differs_is_told_and_what_is_the_same_is_not(one: Sieve, other: Sieve) -> None:
    assert changes(one, one) == parts_changed(one, one) == []
    told = changes(one, other)
    assert (told == []) == (one == other)
    for name in set(FORMULAS):
        if sum(c.formula == name for c in one.conditions) != sum(
            c.formula == name for c in other.conditions
        ):
            assert any(name in piece for piece in told), (name, told)


@settings(max_examples=100, deadline=None)
@given(sieves, st.sampled_from(list(Sieve.model_fields)), sieves)
def test_one_part_that_is_changed_is_told_alone(sieve: Sieve, part: str, other: Sieve) -> None:
    changed = sieve.model_copy(update={part: getattr(other, part)})
    told = changes(sieve, changed)
    if part not in ("conditions", "formulas"):
        assert len(told) == (sieve != changed)


def test_a_condition_that_was_changed_is_told_as_such() -> None:
    def sieve(*own: Condition) -> Sieve:
        return Sieve(name="One", universe="Lamps", conditions=own)

    must, other = Condition(formula=FORMULAS[0]), Condition(formula=FORMULAS[2])
    before = sieve(must, other)
    moved = other.model_copy(update={"role": Role.BOOST, "weight": 2.0})
    assert changes(before, sieve(Condition(formula=FORMULAS[1]), moved)) == [
        f"{FORMULAS[2]} as a boost 2 instead of as a must",
        f"{FORMULAS[1]} instead of {FORMULAS[0]}",
    ]
    assert changes(before, sieve(other, must)) == ["its conditions in another order"]
    assert changes(before, sieve(must)) == [f"without {FORMULAS[2]}"]
    fresh = Condition(formula="rsi(17) > 71", role=Role.VETO, off=True)
    assert changes(before, sieve(must, other, fresh)) == ["with rsi(17) > 71 as a veto, off"]
