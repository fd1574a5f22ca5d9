"""Kernels: small serial loops, compiled once, that run over a tile of instruments.

A kernel is called as ``kernel(spans, *inputs, *constants, *outputs)``. Inputs and outputs are
contiguous float64 columns that hold the bars of several instruments one after another. Each span
is one instrument: its bars are ``first … end - 1`` and outputs are wanted from ``begin`` on; a
kernel never reads across ``first`` or past the bar it computes. Outputs arrive filled with NaN from
the bar before ``begin`` on, or there with what was computed for it, to go on from; those of a *dense*
kernel, which writes every bar from ``begin`` on, only where it goes on from all that went before.

Truths are numbers too: 1 yes, 0 no, NaN unknown.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np

from zealous_sieve.core.functions.compiling import compiled

Rule = TypeVar("Rule", bound=Callable[..., float])

FEW = 8
"""Fewer bars than that are each looked at on their own, and not prepared for together."""
ALL = 1 << 60
"""More bars than any series has."""
SPAN = np.dtype([("first", np.int64), ("begin", np.int64), ("end", np.int64)], align=True)

Bars = Callable[..., int]
"""A number of bars, from the constants a kernel is called with."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Kernel:
    """A compiled loop and what the planner has to know about it.

    ``warmup`` is how many bars beyond its inputs it needs before its first value. ``reach`` is how
    many bars of its inputs, the present one included, it reads for one bar of output; ``None``
    means all that went before, so a recursion or a running total. Of these, ``resume`` is how many
    bars of its inputs it reads when its own outputs at the bar before are there to go on from;
    ``None`` where they do not say enough.
    """

    name: str
    run: Callable[..., None]
    inputs: int
    constants: int
    outputs: int
    warmup: Bars
    reach: Bars | None
    resume: Bars | None
    dense: bool
    elementwise: bool
    """Looks at the present bar only."""
    settles: bool
    """Begun at any later bar, with nothing to go on from, it gives what it would have given, or a missing
    value until it has seen what decides: the last session's open, the last yes."""
    fills: bool
    """Makes something of a missing input: what is missing below it has to be so, and not merely not yet
    seen."""

    def __reduce__(self) -> tuple[Callable[[str], Kernel], tuple[str]]:
        """A kernel travels by its name: compiled code stays where it is."""
        return kernel_named, (self.name,)


KERNELS: dict[str, Kernel] = {}
WHOLE: dict[str, tuple[bool, ...]] = {}
"""Which constants of a kernel are whole numbers; all of them where nothing is said."""


def kernel(
    *,
    inputs: int = 1,
    outputs: int = 1,
    warmup: Bars | int = 0,
    reach: Bars | int | None = -1,
    resume: Bars | int | None = None,
    dense: bool = False,
    elementwise: bool = False,
    settles: bool = False,
    fills: bool = False,
) -> Callable[[Callable[..., None]], Kernel]:
    """Register a loop under its own name; ``reach`` defaults to ``warmup + 1``."""

    def register(function: Callable[..., None]) -> Kernel:
        name = function.__name__.rstrip("_")
        warm = _as_bars(warmup)
        entry = Kernel(
            name=name,
            run=compiled(function),
            inputs=inputs,
            constants=function.__code__.co_argcount - 1 - inputs - outputs,
            outputs=outputs,
            warmup=warm,
            reach=_reach(reach, warm),
            resume=None if resume is None else _as_bars(resume),
            dense=dense,
            elementwise=elementwise,
            settles=settles,
            fills=fills,
        )
        if name in KERNELS:
            raise ValueError(f"two kernels are called {name}")
        KERNELS[name] = entry
        return entry

    return register


def kernel_named(name: str) -> Kernel:
    """A kernel by its name. Raises KeyError."""
    return KERNELS[name]


def scalar(rule: Rule) -> Rule:
    """Compile a function of single numbers, for use inside of loops."""
    return compiled(rule)  # type: ignore[return-value]


@scalar
def there(x: float) -> bool:
    """Whether a value is not missing."""
    return x == x


@compiled
def second(span, out):  # type: ignore[no-untyped-def]
    """The first bar from ``begin`` on that has one before it; a first bar without is made missing."""
    if span.begin == span.first and span.begin < span.end:
        out[span.begin] = np.nan
    return max(span.begin, span.first + 1)


def elementwise(inputs: int, *, fills: bool = False) -> Callable[[Callable[..., float]], Kernel]:
    """Make a kernel of what holds at one bar: ``rule(*inputs, *constants)`` gives the output there, and
    the loop around it is generated."""

    def register(rule: Callable[..., float]) -> Kernel:
        loop = _loop_around(rule, inputs)
        return kernel(inputs=inputs, dense=True, elementwise=True, fills=fills)(loop)

    return register


def _loop_around(rule: Callable[..., float], inputs: int) -> Callable[..., None]:
    name = rule.__name__
    arguments = rule.__code__.co_varnames[: rule.__code__.co_argcount]
    series = [*arguments[:inputs], "out"]
    at_bar = [f"{x}_[t]" for x in arguments[:inputs]]
    lines = [
        f"def {name}(spans, {', '.join([*arguments, 'out'])}):",
        "    for s in spans:",
        "        bars = slice(s.begin, s.end)",
        f"        {', '.join(f'{x}_' for x in series)} = {', '.join(f'{x}[bars]' for x in series)}",
        "        for t in range(len(out_)):",
        f"            out_[t] = rule({', '.join([*at_bar, *arguments[inputs:]])})",
    ]
    scope: dict[str, Any] = {"__name__": rule.__module__, "rule": compiled(rule)}
    exec(compile("\n".join(lines), rule.__code__.co_filename, "exec"), scope)
    return scope[name]  # type: ignore[no-any-return]


def _as_bars(bars: Bars | int) -> Bars:
    return bars if callable(bars) else lambda *_: bars


def _reach(reach: Bars | int | None, warmup: Bars) -> Bars | None:
    if reach is None:
        return None
    return (lambda *constants: warmup(*constants) + 1) if reach == -1 else _as_bars(reach)
