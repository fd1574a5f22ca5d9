"""Compiling every kernel before anyone waits for one."""

from __future__ import annotations

import numpy as np

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Term, apply, source
from zealous_sieve.core.functions.catalogue import FAMILIES, FIELDS
from zealous_sieve.core.functions.kernel import KERNELS

CONSTANTS = {"at_least_of": (1, 2)}


def warm_cache() -> int:
    """Call every kernel once on a few bars; compiled code is kept on disk. Returns how many."""
    assert FAMILIES
    times = np.arange(8, dtype=np.int64)
    panel = Panel.of({"A": (times, {field: np.arange(8.0) + 1 for field in FIELDS})})
    terms: dict[str, Term] = {}
    for name, kernel in KERNELS.items():
        inputs = [source(field) for field in FIELDS[: kernel.inputs]]
        constants = CONSTANTS.get(name, (2,) * kernel.constants)
        terms[name] = apply(name, *inputs, constants=constants)
    evaluate(terms, panel)
    return len(terms)
