"""Trades that make up minute bars: prices, sizes, sides, jumps over the book, and the feed's delay."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.demo.intraday import MINUTE, DaySeries
from zealous_sieve.core.demo.paths import Array

MOST_A_MINUTE = 40


def trades_of(rng: np.random.Generator, minutes: DaySeries, tick: float) -> DaySeries:
    """Trades from which exactly these minute bars follow.

    Each trade is a bar without length: all four prices equal, ``trades`` 1, its size on the side that
    took the initiative.
    """
    times, bars = minutes
    usual = max(1.0, float(np.median(bars["volume"])))
    wanted = rng.poisson(14 * np.sqrt(bars["volume"] / usual))
    counts = np.clip(np.minimum(wanted, bars["volume"]), 0, MOST_A_MINUTE).astype(np.int64)
    counts = np.where(bars["volume"] >= 4, np.maximum(counts, 4), counts)
    parts = [
        _minute(rng, {name: float(bars[name][n]) for name in bars}, int(count), tick)
        for n, count in enumerate(counts)
        if count
    ]
    some = np.flatnonzero(counts)
    offsets = [np.sort(rng.integers(0, MINUTE, counts[n])) for n in some]
    moments = np.concatenate([times[n] + own for n, own in zip(some, offsets, strict=True)])
    price = np.concatenate([own[0] for own in parts])
    size = np.concatenate([own[1] for own in parts])
    return moments, _columns(rng, price, size, tick)


def _minute(
    rng: np.random.Generator, bar: Mapping[str, float], count: int, tick: float
) -> tuple[Array, Array]:
    """Prices and sizes of the trades of one bar; with four or more all its prices occur."""
    first, last = bar["open"], bar["close"]
    steps = round((bar["high"] - bar["low"]) / tick)
    price = bar["low"] + tick * np.round(rng.random(count) * steps)
    price = np.sort(price)[:: 1 if last >= first else -1]
    swapped = rng.permutation(count)[: count // 2]
    price[np.sort(swapped)] = price[swapped]
    if count >= 4:
        inner = rng.permutation(np.arange(1, count - 1))[:2]
        price[inner[0]], price[inner[1]] = bar["high"], bar["low"]
        price = np.clip(price, bar["low"], bar["high"])
    price[0] = first
    price[-1] = last
    bounds = np.sort(rng.integers(0, int(bar["volume"]) - count + 1, count - 1))
    size = np.diff(np.concatenate([[0], bounds, [bar["volume"] - count]])) + 1.0
    return price, size


def _columns(
    rng: np.random.Generator, price: Array, size: Array, tick: float
) -> dict[str, NDArray[np.float64]]:
    decimals = max(0, round(-np.log10(tick)) + 2)
    price = np.round(price, decimals)
    move = np.diff(price, prepend=price[0])
    lifted = np.where(move == 0, rng.random(len(price)) < 0.5, move > 0)
    levels = np.rint(np.abs(move) / tick)
    busy = rng.random(len(price)) < 0.01
    lag = np.round(rng.gamma(4.0, 9.0, len(price)) + busy * rng.gamma(2.0, 400.0, len(price)))
    prices = dict.fromkeys(("open", "high", "low", "close"), price)
    return prices | {
        "volume": size,
        "trades": np.ones(len(price)),
        "buy_volume": np.where(lifted, size, 0.0),
        "sell_volume": np.where(lifted, 0.0, size),
        "skipped_levels": np.maximum(levels - 1.0, 0.0),
        "feed_lag_ms": lag,
    }
