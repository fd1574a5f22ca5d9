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
from typing import Any

import numba
import numpy as np

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


KERNELS: dict[str, Kernel] = {}
WHOLE: dict[str, tuple[bool, ...]] = {}
"""Which constants of a kernel are whole numbers; all of them where nothing is said."""


def compiled(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile with numba, without the interpreter lock, and keep the result on disk."""
    return numba.njit(nogil=True, cache=True, error_model="numpy")(function)  # type: ignore[no-any-return]


def kernel(
    *,
    inputs: int = 1,
    outputs: int = 1,
    warmup: Bars | int = 0,
    reach: Bars | int | None = -1,
    resume: Bars | int | None = None,
    dense: bool = False,
    elementwise: bool = False,
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
        )
        if name in KERNELS:
            raise ValueError(f"two kernels are called {name}")
        KERNELS[name] = entry
        return entry

    return register


@compiled
def second(span, out):  # type: ignore[no-untyped-def]
    """The first bar from ``begin`` on that has one before it; a first bar without is made missing."""
    if span.begin == span.first and span.begin < span.end:
        out[span.begin] = np.nan
    return max(span.begin, span.first + 1)


def elementwise(inputs: int) -> Callable[[Callable[..., None]], Kernel]:
    """A kernel that looks at the present bar only."""
    return kernel(inputs=inputs, dense=True, elementwise=True)


def _as_bars(bars: Bars | int) -> Bars:
    return bars if callable(bars) else lambda *_: bars


def _reach(reach: Bars | int | None, warmup: Bars) -> Bars | None:
    if reach is None:
        return None
    return (lambda *constants: warmup(*constants) + 1) if reach == -1 else _as_bars(reach)
