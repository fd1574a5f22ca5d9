"""Sums over a moving window that keep no residue of what has left it.

A sum is carried as two numbers, what it is and what rounding left over (Kahan and Neumaier), so that a
window of small values after one of large ones is summed as if the large ones had never been there. A
window of equal values has exactly n times the value as its sum and the value itself as its mean.
"""

from __future__ import annotations

import math

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel

ANCHOR = 64
"""A sliding sum starts afresh at every so many bars, so that its rounding can't build up and a sum
that is begun late equals one that is begun early."""
SPLITTER = 134_217_729.0
"""2^27 + 1: parts a number into two halves whose products are exact (T. J. Dekker, 1971)."""
SPLITTABLE = 1e290


@compiled
def anchored(first, begin, n):  # type: ignore[no-untyped-def]
    """The last bar at or before ``begin`` at which a sliding sum over n bars starts afresh."""
    earliest = first + n - 1
    if begin <= earliest:
        return earliest
    return earliest + (begin - earliest) // ANCHOR * ANCHOR


@compiled
def equal_before(x, first, bar, n):  # type: ignore[no-untyped-def]
    """How many values in a row up to a bar, the bar's own included, are equal; at most n."""
    run = 1
    while run < n and bar - run >= first and x[bar - run] == x[bar]:
        run += 1
    return run


@compiled
def lost(total, term, result):  # type: ignore[no-untyped-def]
    """What rounding took away when ``total + term`` became ``result`` (D. E. Knuth)."""
    taken = result - total
    return (total - (result - taken)) + (term - taken)


@compiled
def times(value, n):  # type: ignore[no-untyped-def]
    """n · value as the nearest number and what that leaves over; exact."""
    if not abs(value) < SPLITTABLE:
        return n * value, 0.0
    scaled = SPLITTER * value
    upper = scaled - (scaled - value)
    lower = value - upper
    product = n * upper + n * lower
    return product, (n * upper - product) + n * lower


@compiled
def afresh(x):  # type: ignore[no-untyped-def]
    """The sum of what is known, what rounding left over, and how many are missing."""
    level, rest = 0.0, 0.0
    known = 0
    for i in range(len(x)):
        value = x[i] if x[i] == x[i] else 0.0
        known += x[i] == x[i]
        result = level + value
        rest += lost(level, value, result)
        level = result
    return level, rest, len(x) - known


@compiled
def sliding(first, begin, end, x, n, columns):  # type: ignore[no-untyped-def]
    """Sums and means of x[t-n+1 … t] from ``begin`` on, missing where one of them is; goes on from the
    sum before ``begin`` where there is one. ``columns`` are those that ``sums`` writes."""
    total, _, levels, rests = columns
    anchor = anchored(first, begin, n)
    if begin > anchor and total[begin - 1] == total[begin - 1]:
        anchor = min(anchor + ANCHOR, end)
        run = equal_before(x, first, begin - 1, n)
        slide(begin, anchor, begin, x, n, levels[begin - 1], rests[begin - 1], 0, run, columns)
    for start in range(anchor, end, ANCHOR):
        level, rest, missing = afresh(x[start - n + 1 : start + 1])
        run = equal_before(x, first, start, n)
        if run >= n:
            level, rest = times(x[start], n)
        if start >= begin:
            write(start, x, n, level, rest, missing, run, columns)
        stop = min(start + ANCHOR, end)
        slide(start + 1, stop, begin, x, n, level, rest, missing, run, columns)


@compiled
def slide(start, stop, begin, x, n, level, rest, missing, run, columns):  # type: ignore[no-untyped-def]
    """Go on from the sum of what is known among the n bars before ``start``, the last ``run`` of which
    are equal."""
    for t in range(start, stop):
        new, old = x[t], x[t - n]
        run = run + 1 if new == x[t - 1] else 1
        missing += (new != new) - (old != old)
        new, old = new if new == new else 0.0, old if old == old else 0.0
        added = level + new
        taken = added - old
        rest += lost(level, new, added) + lost(added, -old, taken)
        level = taken
        if run >= n:
            level, rest = times(new, n)
        if t >= begin:
            write(t, x, n, level, rest, missing, run, columns)


@compiled
def write(t, x, n, level, rest, missing, run, columns):  # type: ignore[no-untyped-def]
    """The sum and mean at a bar; missing where a value of the window is."""
    total, mean, levels, rests = columns
    whole = level + rest if missing == 0 else math.nan
    total[t], levels[t], rests[t] = whole, level, rest
    mean[t] = x[t] if run >= n else whole / n


@kernel(outputs=4, warmup=lambda n: n - 1, reach=lambda n: n + ANCHOR - 1)
def sums(spans, x, n, total, mean, level, rest):  # type: ignore[no-untyped-def]
    """Sum and mean of n values, and the two numbers that the sum is carried as."""
    for s in spans:
        sliding(s.first, s.begin, s.end, x, n, (total, mean, level, rest))
