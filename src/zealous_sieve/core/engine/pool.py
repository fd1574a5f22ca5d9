"""The threads that compute, and how work is divided among them."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache

THREADS = os.cpu_count() or 1
WORTH_IT = 64
"""Instruments for which a second thread pays."""


@cache
def pool() -> ThreadPoolExecutor:
    """The threads of this process; compiled code in them runs at the same time."""
    return ThreadPoolExecutor(max_workers=THREADS, thread_name_prefix="engine")


def in_portions(count: int, work: Callable[[slice], None]) -> None:
    """Do work on ``count`` things in equal portions, one for each thread."""
    portions = THREADS if count >= WORTH_IT else 1
    edges = [count * n // portions for n in range(portions + 1)]
    parts = [slice(edges[n], edges[n + 1]) for n in range(portions)]
    others = [pool().submit(work, part) for part in parts[1:]]
    work(parts[0])
    for other in others:
        other.result()
