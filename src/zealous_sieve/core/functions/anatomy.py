"""Bar anatomy: the parts of a single bar and its relation to the one before."""

from __future__ import annotations

from dataclasses import replace

from zealous_sieve.core.functions.specification import (
    YES_NO,
    Family,
    Input,
    Output,
    Parameter,
    X,
    length,
    states,
)
from zealous_sieve.core.functions.units import NONE, PERCENT, PRICE

anatomy = Family("Bar anatomy")


def _part(
    name: str,
    label: str,
    body: str,
    output: Output,
    words: tuple[str, str, str],
    formula: str | None = None,
    synonyms: tuple[str, ...] = (),
    phrase: str = "",
) -> None:
    meaning, reading, pitfalls = words
    anatomy.add(
        name,
        label,
        synonyms=synonyms,
        said=phrase,
        outputs=(output,),
        body=body,
        formula=formula or body,
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
    synonyms=(
        "candle body",
        "real body",
    ),
    phrase="body",
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
    synonyms=(
        "range",
        "candle range",
        "bar size",
        "candle size",
    ),
    phrase="bar's range",
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
    synonyms=(
        "upper shadow",
        "upper tail",
        "top wick",
    ),
    phrase="upper wick",
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
    synonyms=(
        "lower shadow",
        "lower tail",
        "bottom wick",
    ),
    phrase="lower wick",
)
_part(
    "body_percent",
    "Body %",
    "_percent_of(abs(close - open), high - low, 0)",
    Output(unit=PERCENT, span=(0, 100)),
    (
        "The body's share of the bar's range.",
        "Near 100 price went one way all bar long.",
        "0 on a bar without range.",
    ),
    "100 · abs(close - open) / (high - low), 0 on a bar without range",
    phrase="body's share of the range",
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
    synonyms=("gap",),
    phrase="opening gap",
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
    synonyms=(
        "up bars",
        "green bar",
        "green bars",
        "up day",
        "up days",
        "rising bar",
        "bullish bar",
        "green candle",
        "green candles",
        "up candle",
        "up candles",
    ),
    phrase="the bar rose|the bar did not rise",
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
    synonyms=(
        "down bars",
        "red bar",
        "red bars",
        "down day",
        "down days",
        "falling bar",
        "bearish bar",
        "red candle",
        "red candles",
        "down candle",
        "down candles",
    ),
    phrase="the bar fell|the bar did not fall",
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
    synonyms=(
        "inside day",
        "inside candle",
        "inside bars",
    ),
    phrase="the bar lies inside the one before|the bar does not lie inside the one before",
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
    synonyms=(
        "outside day",
        "outside candle",
        "outside bars",
    ),
    phrase="the bar reaches beyond the one before"
    "|the bar does not reach beyond the one before on both sides",
)
_SIGN = Output(unit=NONE, span=(-1, 1), levels=(0,))
_part(
    "engulfing",
    "Engulfing",
    """up = close > open and prev(close) < prev(open) and close >= prev(open) and open <= prev(close)
down = close < open and prev(close) > prev(open) and close <= prev(open) and open >= prev(close)
if_then(up, 1, if_then(down, -1, 0))""",
    replace(
        _SIGN,
        states=states("the bar", "engulf", "the one before upward", "the one before downward"),
    ),
    (
        "A body that covers the opposite body of the bar before: 1 upward, -1 downward, else 0.",
        "A change of hands, noticed most at the end of a swing.",
        "In mid-range it is as common as it is empty.",
    ),
    phrase="engulfing sign of the bar",
)
_part(
    "hammer",
    "Hammer",
    "lower_wick >= 2 * abs(body) and upper_wick <= 0.1 * bar_range and high > low",
    YES_NO,
    (
        "A long lower wick, a small body at the top.",
        "Lower prices were refused; looked for after a fall.",
        "The same bar in a rise means something else.",
    ),
    phrase="the bar is a hammer|the bar is no hammer",
)
_part(
    "shooting_star",
    "Shooting star",
    "upper_wick >= 2 * abs(body) and lower_wick <= 0.1 * bar_range and high > low",
    YES_NO,
    (
        "A long upper wick, a small body at the bottom.",
        "Higher prices were refused; looked for after a rise.",
        "The same bar in a fall means something else.",
    ),
    phrase="the bar is a shooting star|the bar is no shooting star",
)
_part(
    "doji",
    "Doji",
    "abs(body) <= 0.1 * bar_range and high > low",
    YES_NO,
    (
        "A body of at most a tenth of the range.",
        "Neither side won.",
        "Frequent in quiet markets.",
    ),
    phrase="the bar is a doji|the bar is no doji",
)
_part(
    "marubozu",
    "Full body",
    "abs(body) >= 0.95 * bar_range and high > low",
    YES_NO,
    (
        "A body of nearly the whole range.",
        "One side had it from the open to the close.",
        "On short bars it is often a single trade's work.",
    ),
    phrase="the bar is nearly all body|the bar is not nearly all body",
)


def _of_x(name: str, label: str, body: str, output: Output, words: tuple[str, str, str]) -> None:
    meaning, reading, pitfalls = words
    anatomy.add(
        name,
        label,
        inputs=(Input(name="x", unit=PRICE),),
        constants=True,
        outputs=(output,),
        body=body,
        meaning=meaning,
        reading=reading,
        pitfalls=pitfalls,
        source="Plain arithmetic.",
    )


_of_x(
    "body_beyond",
    "Body beyond",
    "if_then(open > x and close > x, 1, if_then(open < x and close < x, -1, 0))",
    replace(
        _SIGN,
        said="side of the body to {the_x}",
        states=states("the body", "lie", "wholly above {the_x}", "wholly below {the_x}"),
    ),
    (
        "1 when open and close are both above x, -1 when both are below, else 0.",
        "A whole body beyond an average says more than a close beyond it.",
        "Gaps make it easy.",
    ),
)
for _name, _others, _sign in (("largest", "highest", ">"), ("smallest", "lowest", "<")):
    anatomy.add(
        _name,
        _name.capitalize(),
        said=f"{{x}} is the {_name} of {{n}} bars|{{x}} is not the {_name} of {{n}} bars",
        inputs=(X,),
        parameters=(length(low=2), Parameter(name="ties", low=0, high=1, default=0, switch=True)),
        outputs=(YES_NO,),
        body=f"""before = prev({_others}(x, n - 1))
x {_sign} before or ties == 1 and x == before""",
        formula=f"x {_sign} the {_others} of the n - 1 values before it; with ties=true also x == it",
        meaning=f"This bar's x is the {_name} of the last n: strictly, unless ties are asked for.",
        reading=f"{_name}(volume, 50) is the {'most' if _sign == '>' else 'least'} traded of 50 bars.",
        pitfalls="Of equal values none is beyond the others; ties=true lets them count.",
        source="Plain arithmetic.",
    )
anatomy.add(
    "extremes",
    "Extremes",
    said="number of extremes of the bar among {n} bars",
    parameters=(length(default=20),),
    outputs=(Output(unit=NONE, span=(0, 10)),),
    body="tally(largest(abs(body), n), smallest(abs(body), n), largest(bar_range, n), "
    "smallest(bar_range, n), largest(upper_wick, n), smallest(upper_wick, n), "
    "largest(lower_wick, n), smallest(lower_wick, n), largest(volume, n), smallest(volume, n))",
    meaning="How many of body, range, wicks and volume are at their largest or smallest of n bars.",
    reading="Above 2 the bar is out of the ordinary in several ways at once.",
    pitfalls="Values that tie do not count.",
    source="Our own measure.",
)
