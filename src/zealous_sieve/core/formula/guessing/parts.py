"""What rules of guessing are made of: patterns of names, values, spans, and the words that mean the same."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import cache

from zealous_sieve.core.functions.catalogue import SOURCE_SYNONYMS
from zealous_sieve.core.functions.specification import CATALOGUE


@cache
def synonyms() -> Mapping[str, str]:
    """Every other way to call a source or function."""
    own = {f.name: f.synonyms for f in CATALOGUE.values()} | SOURCE_SYNONYMS
    return {phrase: name for name, phrases in own.items() for phrase in phrases}


BARS_SAID = r"(?:bars?|days?|sessions?|candles?|periods?|times)"
WORD = (
    r"\b(?!(?:for|in|and|or|not|on|then|of|by|at|since|until|within|between|crosses|last|than|from|up|down|out|times|days?|bars?|weeks?"
    r"|candles?|sessions?)\b)"
    r"[a-z_]\w*"
)
_INSIDE = r"\((?:[^()]|\((?:[^()]|\([^()]*\))*\))*\)"
VALUE = rf"(?:{WORD}(?:{_INSIDE})?(?:\.\w+)?|{_INSIDE})"
"""A name or a call, with its output; or anything in brackets, not too deep."""
NUMBER = r"\d+(?:\.\d+)?"
SIDE = rf"(?:{VALUE}|{NUMBER})(?:\s*[-+*/]\s*(?:{VALUE}|{NUMBER}))*"
"""What may stand on a side of a relation."""
SPANS = {
    "second": "s", "sec": "s", "minute": "m", "min": "m", "hour": "h", "hr": "h", "day": "d", "week": "w",
    "month": "mo",
}  # fmt: skip
NAMED_SPANS = {"daily": "1d", "weekly": "1w", "monthly": "1mo", "hourly": "1h"}
AVERAGED = "sma|ema|wma|hma|dema|tema|wilder|kama|vwma|linreg"
SHORT = f"{AVERAGED}|rsi|adx|cci|mfi|roc"
LENGTHY = f"{SHORT}|historical_vol|rsi|roc|atr|adx|cci|mfi|stdev|momentum|rel_volume|donchian|aroon"
OF_PRICE = "open|high|low|close|volume"
MONTHS, ORDERED = (
    tuple(map(str.casefold, CATALOGUE[name].names)) for name in ("month", "day_of_week")
)

Rewriting = str | Callable[[re.Match[str]], str]
GuessingRule = tuple[str, Rewriting | tuple[Rewriting, ...]]
"""A pattern, and what takes its place: one text, or one for each reading."""
