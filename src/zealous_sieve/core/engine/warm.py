"""Compiling every kernel before anyone waits for one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from zealous_sieve.core.engine.incremental import IncrementalEvaluation
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.terms import Term, apply, source
from zealous_sieve.core.functions.catalogue import FAMILIES, FIELDS, functions
from zealous_sieve.core.functions.kernel import KERNELS

CONSTANTS = {"at_least_of": (1, 2)}
EXTERNAL = (
    "close on 1w",
    "close on 2m",
    "close on brick(1, 2)",
    "close on range(1)",
    "close on volume(2)",
    "rank(close)",
)
"""Formulas that between them build every kind of bar and look across instruments."""


def compile_part(part: int, parts: int) -> None:
    """Compile one of so many parts of the kernels, in a process beside others; the code is kept on disk."""
    evaluate(dict(list(_calls().items())[part::parts]), _few_bars())


def _few_bars() -> Panel:
    times = np.arange(8, dtype=np.int64) * 60
    return Panel.of({"A": (times, {field: np.arange(8.0) + 1 for field in FIELDS})})


def _calls() -> dict[str, Term]:
    """A call of each kernel."""
    assert FAMILIES
    terms: dict[str, Term] = {}
    for name, kernel in KERNELS.items():
        inputs = [source(field) for field in FIELDS[: kernel.inputs]]
        constants = CONSTANTS.get(name, (2,) * kernel.constants)
        terms[name] = apply(name, *inputs, constants=constants)
    return terms


def warm_cache() -> int:
    """Call everything compiled once on a few bars; the code is kept on disk. Returns how many kernels
    there are."""
    panel, terms = _few_bars(), _calls()
    evaluate(terms, panel)
    for text in EXTERNAL:
        evaluate({"": check(text).outputs["value"].term}, panel)
    forming = replace(panel, forming_at=int(panel.times[-1]) + 60)
    evaluate({"": check("ema(close, 2) on 2m").outputs["value"].term}, forming)
    going_on = IncrementalEvaluation({"": check("ema(close, 2)").outputs["value"].term}, panel)
    going_on.advance({"close": np.ones(1)})
    return len(terms)


def read_bodies() -> None:
    """Read what the functions of the catalogue stand for, so that a copy of this process need not."""
    for function in functions():
        for body in (function.body, function.line, *function.bodies.values()):
            if body:
                parse(body)
