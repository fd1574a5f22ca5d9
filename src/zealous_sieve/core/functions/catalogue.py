"""The whole catalogue: importing this module registers every family."""

from __future__ import annotations

from zealous_sieve.core.functions import (
    anatomy,
    averages,
    maths,
    memory,
    momentum,
    operators,
    over_bars,
    patterns,
    session,
    structure,
    trend,
    universe,
    volatility,
    volume,
)
from zealous_sieve.core.functions.kernel import KERNELS, Kernel
from zealous_sieve.core.functions.specification import CATALOGUE, HIDDEN, Function

FAMILIES = (
    averages,
    momentum,
    trend,
    volatility,
    volume,
    anatomy,
    structure,
    patterns,
    over_bars,
    memory,
    session,
    universe,
    maths,
    operators,
)

GROUPS = (
    "Averages",
    "Momentum",
    "Trend",
    "Volatility",
    "Volume",
    "Bar anatomy",
    "Structure",
    "Over bars",
    "Universe",
    "Session",
    "Plain maths",
)
"""The order in which the groups are shown."""

FIELDS = ("open", "high", "low", "close", "volume")
"""The columns of a bar."""

DERIVED = {
    "hl2": "(high + low) / 2",
    "hlc3": "low + ((high - low) + (close - low)) / 3",
    "ohlc4": "((open + high) + (low + close)) / 4",
    "delta": "buy_volume - sell_volume",
}
"""Sources that are computed from the columns, so that a bar without range gives exactly its price."""

TIME = "bar_time"
"""The moment a bar opened, in seconds since 1970 UTC."""

EXTRAS = ("trades", "buy_volume", "sell_volume", "skipped_levels", "feed_lag_ms")
"""Columns that only some data hold: trades counted, volume by the side that took the initiative, price
levels that a trade jumped over, and the longest delay of the feed in milliseconds."""

FORM_SECONDS = "form_seconds"
"""How long a bar took to form."""

HIDDEN_SOURCES = (
    "_local_time",
    "_bar_closes",
    "_session_opens",
    "_session_closes",
    "_tick",
    "_bars_a_year",
)
"""What bodies of functions may read beside the bars: moments in seconds since 1970, the price step, and
how many such bars a year has."""

SOURCES = (*FIELDS, *DERIVED, TIME, *EXTRAS, FORM_SECONDS)


SOURCE_SYNONYMS = {
    "close": (
        "price",
        "last",
        "last price",
        "closing price",
        "close price",
        "settlement",
        "settle",
    ),
    "open": ("opening price", "opening", "open price"),
    "high": ("high price", "highs"),
    "low": ("low price", "lows"),
    "volume": ("vol", "traded volume", "shares traded"),
    "hl2": ("mid price", "midpoint"),
    "hlc3": ("typical price",),
    "ohlc4": ("mean price",),
    "trades": ("number of trades", "trade count"),
}
"""What else sources are called."""


def find(name: str, *, hidden: bool = False) -> Function | None:
    """The function of that name; hidden steps only where asked for."""
    return CATALOGUE.get(name) or (HIDDEN.get(name) if hidden else None)


def functions() -> list[Function]:
    """Every function of the language, by group, then as declared."""
    return sorted(CATALOGUE.values(), key=lambda function: GROUPS.index(function.group))


def kernel(name: str) -> Kernel:
    """The compiled loop of that name."""
    return KERNELS[name]
