"""Bar anatomy: the parts of a single bar and its relation to the one before."""

from __future__ import annotations

from zealous_sieve.core.functions.specification import YES_NO, Family, Output
from zealous_sieve.core.functions.units import PERCENT, PRICE

anatomy = Family("Bar anatomy")


def _part(name: str, label: str, body: str, output: Output, words: tuple[str, str, str]) -> None:
    meaning, reading, pitfalls = words
    anatomy.add(
        name,
        label,
        outputs=(output,),
        body=body,
        meaning=meaning,
        reading=reading,
        pitfalls=pitfalls,
        source="Plain arithmetic.",
    )


_PRICE = Output(unit=PRICE)
_part(
    "body",
    "Body",
    "close - open",
    _PRICE,
    (
        "Close less open, negative on a falling bar.",
        "A large body is a bar with a purpose.",
        "In price: compare it with atr.",
    ),
)
_part(
    "bar_range",
    "Bar range",
    "high - low",
    _PRICE,
    (
        "High less low.",
        "Small ranges come before large ones.",
        "Leaves the gap from the bar before out; see true_range.",
    ),
)
_part(
    "upper_wick",
    "Upper wick",
    "high - max(open, close)",
    _PRICE,
    (
        "From the body to the high.",
        "A long one shows that higher prices were refused.",
        "Depends on where a session is cut.",
    ),
)
_part(
    "lower_wick",
    "Lower wick",
    "min(open, close) - low",
    _PRICE,
    (
        "From the low to the body.",
        "A long one shows that lower prices were refused.",
        "Depends on where a session is cut.",
    ),
)
_part(
    "body_percent",
    "Body %",
    "100 * abs(close - open) / (high - low)",
    Output(unit=PERCENT, span=(0, 100)),
    (
        "The body's share of the bar's range.",
        "Near 100 price went one way all bar long.",
        "Missing on a bar without range.",
    ),
)
_part(
    "gap_percent",
    "Gap %",
    "100 * (open / prev(close) - 1)",
    Output(unit=PERCENT, levels=(0,)),
    (
        "From the close before to this open, in percent.",
        "Large gaps follow news; whether they fill is the question of the day.",
        "Unadjusted payouts look like gaps.",
    ),
)
_part(
    "up_bar",
    "Up bar",
    "close > open",
    YES_NO,
    (
        "The bar closed above its open.",
        "count(up_bar, n) measures persistence.",
        "A gap down may still be an up bar.",
    ),
)
_part(
    "down_bar",
    "Down bar",
    "close < open",
    YES_NO,
    (
        "The bar closed below its open.",
        "count(down_bar, n) measures persistence.",
        "A gap up may still be a down bar.",
    ),
)
_part(
    "inside_bar",
    "Inside bar",
    "high <= prev(high) and low >= prev(low)",
    YES_NO,
    (
        "The bar lies within the range of the one before.",
        "A pause; its break is often traded.",
        "Most pauses in quiet markets mean nothing.",
    ),
)
_part(
    "outside_bar",
    "Outside bar",
    "high > prev(high) and low < prev(low)",
    YES_NO,
    (
        "The bar goes beyond both ends of the one before.",
        "Both sides were tried; the close tells who won.",
        "Common after a tiny bar.",
    ),
)
