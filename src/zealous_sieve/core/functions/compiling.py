"""Compiling of loops, which a process that computes nothing does without."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

_MEANT_ONLY: list[bool] = []


def compile_nothing() -> None:
    """Let loops stay plain functions, for a process that says what formulas mean and computes none: it
    starts in half the time. To be called before the catalogue is loaded."""
    _MEANT_ONLY.append(True)


def compiled(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile with numba, without the interpreter lock, and keep the result on disk."""
    return _compile(function)


def compiled_within(function: Callable[..., Any]) -> Callable[..., Any]:
    """As ``compiled``, for a part that compiled loops alone call: it compiles in two thirds of the time."""
    return _compile(function, no_cpython_wrapper=True, no_cfunc_wrapper=True)


def _compile(function: Callable[..., Any], **more: bool) -> Callable[..., Any]:
    if _MEANT_ONLY:
        return function
    import numba  # takes a third of a second

    own = numba.njit(nogil=True, cache=True, error_model="numpy", **more)
    return own(function)  # type: ignore[no-any-return]
