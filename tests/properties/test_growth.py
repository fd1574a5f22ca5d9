"""Reading takes work in proportion to what is written: counted in calls, not seconds."""

from __future__ import annotations

import sys
from collections.abc import Callable

import pytest

from zealous_sieve.core.formula.limits import MAX_CALLS, MAX_SOUGHT
from zealous_sieve.core.formula.names import Market
from zealous_sieve.usecases.shaping.formulas import Reading, read_formula

Written = tuple[str, dict[str, str]]
"""A condition, and the formulas that it may call."""


def chain(depth: int, step: str, first: str, head: str = "") -> Written:
    """Formulas that call each other; in ``step`` and ``head`` ``{0}`` is the one below."""
    library = {"f0": head + first}
    library |= {f"f{n}": head + step.format(f"f{n - 1}", n) for n in range(1, depth)}
    return f"f{depth - 1} > 0", library


def nested(step: str, depth: int) -> Written:
    """Calls within each other."""
    text = "close"
    for _ in range(depth):
        text = step.format(text)
    return f"{text} > 0", {}


INPUT = "input k = 1 between 0 and 1000000000000000\n"
SHAPES: dict[str, Callable[[int], Written]] = {
    "right": lambda n: chain(n, "{0} + prev({0})", "close"),
    "wrong below": lambda n: chain(n, "{0} + prev({0})", "clse + 1"),
    "wrong everywhere": lambda n: chain(n, "{0} + prev({0}) + nothing", "close"),
    "in a circle": lambda n: chain(n, "{0} + prev({0})", f"f{n - 1}"),
    "with two inputs": lambda n: chain(n, "{0}(k=1) + {0}(k=2)", "close * k", INPUT),
    "with ever more inputs": lambda n: chain(n, "{0}(k=2*k) + {0}(k=2*k+1)", "close * k", INPUT),
    "on slower bars": lambda n: chain(n, "({0} on 1w) + ({0} on 1mo)", "close"),
    "of others": lambda n: chain(n, '({0} of "A") + ({0} of "B")', "close"),
    "names": lambda n: (
        "a0 = close\n" + "".join(f"a{m} = a{m - 1} + a{m - 1}\n" for m in range(1, n)) + "a0 > 1",
        {},
    ),
    "unknown names": lambda n: (
        "".join(f"a{m} = {{0}}nowhere{m} + 1\n".format("") for m in range(n)) + "close > 1",
        {f"known{m}": "close" for m in range(200)},
    ),
    "unknown instruments": lambda n: (
        "".join(f'a{m} = close of "X{m}"\n' for m in range(n)) + "close > 1",
        {},
    ),
    "conditions": lambda n: (" and ".join(f"close > ago(close, {m + 1})" for m in range(n)), {}),
    "calls within each other": lambda n: nested("sma({0}, 2)", n),
    "lines of lines": lambda n: nested("swing_high({0}, 2).price", n // 2),
    "calls with other inputs": lambda n: (
        "".join(f"a{m} = f6(k={m + 1000})\n" for m in range(n)) + "a1 > 0",
        chain(7, "{0}(k=2*k) + {0}(k=2*k+1)", "close * k", INPUT)[1],
    ),
}
MARKET = Market(codes=frozenset({"A", "B", *(f"C{n}" for n in range(500))}))


def calls(shape: str, size: int) -> tuple[int, Reading]:
    """How many calls reading takes, nothing of it read before."""
    made = 0

    def count(*_: object) -> None:
        nonlocal made
        made += 1

    # A formula that is different each time, so that nothing is known of it.
    calls.turn = getattr(calls, "turn", 0) + 1  # type: ignore[attr-defined]
    text, library = SHAPES[shape](size)
    own = {name: f"# {calls.turn}\n{body}" for name, body in library.items()}  # type: ignore[attr-defined]
    sys.setprofile(count)
    try:
        reading = read_formula(f"# {calls.turn}\n{text}", "condition", own, MARKET)  # type: ignore[attr-defined]
    finally:
        sys.setprofile(None)
    return made, reading


@pytest.mark.parametrize("shape", SHAPES)
def test_twice_as_much_takes_at_most_about_twice_the_work(shape: str) -> None:
    assert max(MAX_SOUGHT, 12) < 20 < MAX_CALLS
    calls(shape, 4)
    one, _ = calls(shape, 20)
    two, reading = calls(shape, 40)
    assert two < 2.6 * one
    if shape in ("right", "names", "conditions", "with two inputs"):
        assert reading.ok, reading.problems


def test_so_many_calls_are_allowed_to_a_formula_and_not_to_each_of_its_lines() -> None:
    few, _ = calls("calls with other inputs", 2)
    many, reading = calls("calls with other inputs", 40)
    assert many < 4 * few
    assert not reading.ok
