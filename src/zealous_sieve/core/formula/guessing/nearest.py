"""Formulas that work and are nearest to a text that is not understood at all, in the words of their sentences."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

_EXAMPLES = (
    ("close > sma(close, 45)", "price average above trend ma moving mean"),
    ("close crosses above sma(close, 45)", "price average crosses breaks goes over ma moving"),
    ("close > previous(highest(high, 30))", "breakout new high break broken breaks highest resistance"),
    ("close < previous(lowest(low, 30))", "breakdown new low broken breaks lowest support"),
    ("close within 3% of highest(high, 120)", "near high close to away from below high peak"),
    ("close < highest(high, 120) by 12%", "down from high fallen drawdown below peak drop"),
    ("close > previous(close) by 2%", "up more than change rise gain percent today yesterday"),
    ("close < previous(close) by 2%", "down fall loss percent drop today yesterday"),
    ("up_bar for 4 bars", "days in a row up green consecutive straight"),
    ("up_bar at least 4 of 6 bars", "days of the last out of up times most"),
    ("roc(close, 30) > 8", "change over days momentum return performance month weeks gained"),
    ("rank(roc(close, 60)) > 80", "strongest top rank percent best relative strength leaders universe"),
    ("rsi(close, 11) < 32", "rsi oversold overbought momentum"),
    ("rel_volume > 2", "volume average heavy high unusual times surge busy"),
    ("sma(close * volume, 20) > 5000000", "turnover money traded liquid liquidity million volume"),
    ("gap_percent > 2", "gap up open opened opening"),
    ("smallest(bar_range, 8)", "narrow narrowest range tight quiet small bar inside"),
    ("percentile(bollinger.bandwidth, 120) < 20", "tight squeeze bands volatility low contraction quiet width"),
    ("bar_range > 1.6 * atr", "wide large range bar big volatile candle"),
    ("supertrend.direction == 1", "trend up uptrend direction"),
    ("swing_trend == 1", "higher highs higher lows uptrend trend structure"),
    ('days_to_event("report") > 5', "report earnings results event days next before no after"),
    ('fact("market_cap") > 1000000000', "market cap size large small company billion fact"),
    ('fact("sector") == "glass"', "sector industry group branch is"),
    ("close > sma(close, 30) on 1w", "weekly week chart weeks monthly other timeframe"),
    ('roc(close, 40) > roc(close, 40) of "LANT40"', "index market outperforms better than stronger against relative"),
    ("minutes_from_open < 60", "first hour open minutes morning session time"),
    ("close > vwap", "vwap average price volume weighted session"),
    ("correlation(close, volume, 40) > 0.5", "correlation together moves"),
)  # fmt: skip
"""Formulas, and what one would say who means something like them."""
_USUAL = (0, 2, 6)
"""Those that are told where none is near."""
MOST_NEAR = 3
"""So many are told."""
_SMALL = frozenset(
    [
        "the",
        "a",
        "an",
        "of",
        "is",
        "are",
        "was",
        "in",
        "on",
        "at",
        "to",
        "and",
        "or",
        "for",
        "by",
        "than",
        "that",
        "its",
        "it",
        "with",
        "from",
        "as",
        "be",
        "has",
        "have",
    ]
)


def nearest(text: str) -> Iterator[str]:
    """Formulas in whose matter most of the words of a text lie, the nearest first; some of all kinds where
    none does. Not all of them can be read in every market."""
    words = set(_stems(text))
    weights = _weights()
    scored = sorted(
        ((sum(weights[word] for word in words & own), -n) for n, own in enumerate(_matters())),
        reverse=True,
    )
    near = [-n for score, n in scored if score]
    for n in dict.fromkeys((*near, *_USUAL)):
        yield _EXAMPLES[n][0]


def _stems(text: str) -> Iterator[str]:
    for word in re.findall(r"[a-z]{2,}", text.lower()):
        if word not in _SMALL:
            yield re.sub(r"(?:ies|ing|ed|es|s|y)$", "", word) if len(word) > 4 else word


@cache
def _matters() -> tuple[frozenset[str], ...]:
    return tuple(frozenset(_stems(f"{formula} {said}")) for formula, said in _EXAMPLES)


@cache
def _weights() -> dict[str, float]:
    """Rare words tell more."""
    count: dict[str, int] = {}
    for own in _matters():
        for word in own:
            count[word] = count.get(word, 0) + 1
    return {word: 1 / n for word, n in count.items()}
