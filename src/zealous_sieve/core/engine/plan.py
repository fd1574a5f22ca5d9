"""Terms into steps: each distinct computation once, in order, with its own place in memory."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zealous_sieve.core.formula.terms import Apply, Constant, Source, Term, in_order
from zealous_sieve.core.functions.kernel import ALL, KERNELS, Kernel

ALL_BARS = ALL
"""A step that is needed from its first bar on."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Step:
    """One call of a kernel.

    ``inputs`` and ``outputs`` are places; ``need`` is how many of the last bars are wanted.
    """

    kernel: Kernel
    inputs: tuple[int, ...]
    constants: tuple[float, ...]
    outputs: tuple[int, ...]
    need: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Plan:
    """What to do for one tile of instruments.

    Places are numbered: bar columns first (``fields``), then constants (``constants``), then
    ``scratch`` columns that are reused once nobody needs them. ``roots`` gives the place of each
    wanted result, ``reads`` tells of how many of the last bars each field is read.
    """

    fields: tuple[str, ...]
    constants: tuple[float, ...]
    scratch: int
    steps: tuple[Step, ...]
    roots: Mapping[str, int]
    reads: Mapping[str, int]
    sure_up_to: int
    """Of instruments with more bars a missing result may only not be known yet, as a step began later than
    with the first of them."""


def plan(
    wanted: Mapping[str, Term],
    *,
    last: int | None = None,
    within: int | None = None,
    keep: bool = False,
) -> Plan:
    """Plan the wanted terms, for all bars or for the ``last`` few of every instrument.

    With ``within`` what settles is given that many bars more than are read of it, and not the whole
    history. With ``keep`` every step has places of its own, none is used twice.
    """
    order = list(in_order(wanted.values()))
    needs, sure_up_to = _needs(order, wanted, ALL_BARS if last is None else last, within)
    fields = tuple(t.field for t in order if isinstance(t, Source))
    constants = tuple(t.value for t in order if isinstance(t, Constant))
    places: dict[Term, int] = {}
    places.update((t, n) for n, t in enumerate(t for t in order if isinstance(t, Source)))
    fixed = (t for t in order if isinstance(t, Constant))
    places.update((t, len(fields) + n) for n, t in enumerate(fixed))
    shelf = _Shelf(len(fields) + len(constants), keep=keep)
    steps = _steps(order, set(wanted.values()), needs, places, shelf)
    return Plan(
        fields=fields,
        constants=constants,
        scratch=shelf.size,
        steps=tuple(steps),
        roots={name: places[term] for name, term in wanted.items()},
        reads={term.field: needs[term] for term in order if isinstance(term, Source)},
        sure_up_to=sure_up_to,
    )


def _needs(
    order: list[Term], wanted: Mapping[str, Term], last: int, within: int | None
) -> tuple[dict[Term, int], int]:
    """How many of the last bars of each term are read by those that use it, and up to how many that is all
    that can be asked for."""
    needs = dict.fromkeys(order, 0)
    for term in wanted.values():
        needs[term] = last
    sure: set[Term] = set()
    sure_up_to = ALL_BARS
    for term in reversed(order):
        if not isinstance(term, Apply):
            continue
        kernel = KERNELS[term.kernel]
        if kernel.fills or term in sure:
            sure.update(term.inputs)
        reach = kernel.reach
        if reach is None:
            cut = within is not None and kernel.settles and term not in sure
            needs[term] = min(ALL_BARS, needs[term] + (within or 0)) if cut else ALL_BARS
            sure_up_to = min(sure_up_to, needs[term])
            reach = kernel.resume if needs[term] < ALL_BARS else None
        for part in term.inputs:
            read = ALL_BARS if reach is None else needs[term] + reach(*term.constants) - 1
            needs[part] = min(ALL_BARS, max(needs[part], read))
    return needs, sure_up_to


class _Shelf:
    """Hands out scratch columns and takes them back."""

    def __init__(self, first: int, *, keep: bool) -> None:
        self.first = first
        self.keep = keep
        self.size = 0
        self.free: list[int] = []

    def give_back(self, place: int) -> None:
        if not self.keep:
            self.free.append(place)

    def take(self) -> int:
        if self.free:
            return self.free.pop()
        self.size += 1
        return self.first + self.size - 1


def _calls(order: list[Term]) -> dict[tuple[object, ...], list[Apply]]:
    """Terms by the kernel call that computes them: outputs of one call belong together."""
    calls: dict[tuple[object, ...], list[Apply]] = {}
    for term in order:
        if isinstance(term, Apply):
            key = (term.kernel, tuple(p.digest for p in term.inputs), term.constants)
            calls.setdefault(key, []).append(term)
    return calls


def _steps(
    order: list[Term],
    kept: set[Term],
    needs: dict[Term, int],
    places: dict[Term, int],
    shelf: _Shelf,
) -> list[Step]:
    calls = _calls(order)
    users = dict.fromkeys(order, 0)
    for members in calls.values():
        for part in set(members[0].inputs):
            users[part] += 1
    steps: list[Step] = []
    for members in calls.values():
        first = members[0]
        kernel = KERNELS[first.kernel]
        outputs = tuple(shelf.take() for _ in range(kernel.outputs))
        used = {member.output for member in members}
        for member in members:
            places[member] = outputs[member.output]
        steps.append(
            Step(
                kernel=kernel,
                inputs=tuple(places[part] for part in first.inputs),
                constants=first.constants,
                outputs=outputs,
                need=max(needs[member] for member in members),
            )
        )
        for n, place in enumerate(outputs):
            if n not in used:
                shelf.give_back(place)
        for part in set(first.inputs):
            users[part] -= 1
            if users[part] == 0 and isinstance(part, Apply) and part not in kept:
                shelf.give_back(places[part])
    return steps
