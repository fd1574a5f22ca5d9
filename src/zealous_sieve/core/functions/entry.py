"""Kernels behind one signature, so that a whole plan runs without the interpreter.

A kernel's entry takes addresses only: ``entry(spans, count, columns, rows, places, constants)``. It is a
few generated lines that find the columns and call the compiled loop, compiled once and kept on disk like
the loops themselves.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numba
import numpy as np
from llvmlite import ir  # type: ignore[import-untyped]
from numba import carray, types
from numba.core import cgutils
from numba.extending import intrinsic

from zealous_sieve.core.functions.kernel import KERNELS, SPAN, WHOLE, Kernel

ARGUMENTS = 6
MOST_PLACES, MOST_CONSTANTS = 16, 8


@intrinsic  # type: ignore[untyped-decorator]
def pointer(_: Any, address: Any) -> Any:
    """An address as a pointer that ``carray`` takes."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], cgutils.voidptr_t)

    return types.voidptr(types.int64), generate


@intrinsic  # type: ignore[untyped-decorator]
def call(_: Any, entry: Any, spans: Any, count: Any, columns: Any, rows: Any, places: Any,
         constants: Any) -> Any:  # fmt: skip
    """Call the entry at an address."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        shape = ir.FunctionType(ir.VoidType(), [ir.IntType(64)] * ARGUMENTS)
        builder.call(builder.inttoptr(args[0], shape.as_pointer()), args[1:])
        return context.get_dummy_value()

    return types.void(*[types.int64] * (ARGUMENTS + 1)), generate


@cache
def entry_of(name: str) -> int:
    """The address of a kernel's entry; compiles it where no compiled one is kept."""
    kernel = KERNELS[name]
    scope = {
        "__name__": kernel.run.py_func.__module__,  # type: ignore[attr-defined]
        "carray": carray,
        "pointer": pointer,
        "run": kernel.run,
        "SPAN": SPAN,
        "i8": np.int64,
        "f8": np.float64,
    }
    file = kernel.run.py_func.__code__.co_filename  # type: ignore[attr-defined]
    exec(compile(_source(kernel), file, "exec"), scope)
    function = scope[f"enter_{kernel.name}"]
    shape = types.void(*[types.int64] * ARGUMENTS)
    _ENTRIES[name] = numba.cfunc(shape, cache=True)(function)
    return int(_ENTRIES[name].address)


_ENTRIES: dict[str, Any] = {}
"""Keeps the compiled entries alive, whose addresses are handed out."""


def _source(kernel: Kernel) -> str:
    whole = WHOLE.get(kernel.name, (True,) * kernel.constants)
    constants = [f"int(numbers[{n}])" if w else f"numbers[{n}]" for n, w in enumerate(whole)]
    columns = [f"c{n}" for n in range(kernel.inputs + kernel.outputs)]
    arguments = [*columns[: kernel.inputs], *constants, *columns[kernel.inputs :]]
    lines = [
        f"def enter_{kernel.name}(spans, count, columns, rows, places, constants):",
        f"    found = carray(pointer(columns), {1 << 20}, i8)",
        f"    where = carray(pointer(places), {MOST_PLACES}, i8)",
        f"    numbers = carray(pointer(constants), {MOST_CONSTANTS}, f8)",
        *(f"    {c} = carray(pointer(found[where[{n}]]), rows, f8)" for n, c in enumerate(columns)),
        f"    run(carray(pointer(spans), count, SPAN), {', '.join(arguments)})",
    ]
    return "\n".join(lines)
