"""Plain maths: on the present bar only."""

from __future__ import annotations

import math

from zealous_sieve.core.functions.kernel import elementwise, there
from zealous_sieve.core.functions.operators import finite
from zealous_sieve.core.functions.specification import (
    SAME,
    TRUTH,
    YES_NO,
    Family,
    Input,
    Output,
    Parameter,
    X,
)
from zealous_sieve.core.functions.units import NONE

maths = Family("Plain maths", constants=True)
Y = Input(name="y")
PLAIN = {"source": "Plain arithmetic.", "reading": "As in arithmetic."}
NO_PITFALL = "None to speak of."


@maths.function(
    "abs",
    "Absolute",
    said="size of {x}",
    synonyms=(
        "absolute",
        "absolute value",
        "magnitude",
    ),
    inputs=(X,),
    outputs=(SAME,),
    formula="|x|",
    pitfalls=NO_PITFALL,
    meaning="x without its sign.",
    **PLAIN,
)
@elementwise(1)
def absolute(x: float) -> float:
    return abs(x)


@maths.function(
    "min",
    "Smaller",
    said="smallest of {x} and {y}",
    synonyms=(
        "minimum",
        "smaller of",
        "least of",
    ),
    inputs=(X, Y),
    outputs=(SAME,),
    folds=True,
    formula="min(x, y, …)",
    pitfalls="Of several series at this bar; for the smallest of n bars use lowest.",
    meaning="The smallest of two values or more.",
    **PLAIN,
)
@elementwise(2)
def smaller(x: float, y: float) -> float:
    return min(x, y) if there(x) and there(y) else math.nan


@maths.function(
    "max",
    "Larger",
    said="largest of {x} and {y}",
    synonyms=(
        "maximum",
        "larger of",
        "greatest of",
    ),
    inputs=(X, Y),
    outputs=(SAME,),
    folds=True,
    formula="max(x, y, …)",
    pitfalls="Of several series at this bar; for the largest of n bars use highest.",
    meaning="The largest of two values or more.",
    **PLAIN,
)
@elementwise(2)
def larger(x: float, y: float) -> float:
    return max(x, y) if there(x) and there(y) else math.nan


maths.add(
    "sqrt",
    "Square root",
    said="square root of {x}",
    synonyms=("square root",),
    inputs=(X,),
    outputs=(Output(),),
    body="x ^ 0.5",
    formula="√x",
    pitfalls="Missing below zero.",
    meaning="The square root of x, in the unit that squared gives that of x.",
    **PLAIN,
)


@maths.function(
    "log",
    "Logarithm",
    said="logarithm of {x}",
    synonyms=(
        "ln",
        "natural log",
    ),
    inputs=(X,),
    outputs=(Output(unit=NONE),),
    formula="ln x",
    pitfalls="Missing at and below zero.",
    meaning="The natural logarithm of x.",
    **PLAIN,
)
@elementwise(1)
def logarithm(x: float) -> float:
    return math.log(x) if x > 0.0 else math.nan


@maths.function(
    "exp",
    "Exponential",
    said="exponential of {x}",
    inputs=(X,),
    outputs=(Output(unit=NONE),),
    formula="eˣ",
    pitfalls="Missing where it overflows, above 709.",
    meaning="e to the power of x.",
    **PLAIN,
)
@elementwise(1)
def exponential(x: float) -> float:
    return finite(math.exp(x)) if x < 710.0 else math.nan


@maths.function(
    "sign",
    "Sign",
    said="sign of {x}",
    inputs=(X,),
    outputs=(Output(unit=NONE, span=(-1, 1)),),
    formula="1, 0 or -1",
    pitfalls=NO_PITFALL,
    meaning="1 above zero, -1 below, 0 at zero.",
    **PLAIN,
)
@elementwise(1)
def sign(x: float) -> float:
    return 1.0 * (x > 0.0) - 1.0 * (x < 0.0) if there(x) else math.nan


@maths.function(
    "round",
    "Rounded",
    said="{x} rounded",
    synonyms=("nearest whole",),
    inputs=(X,),
    outputs=(SAME,),
    formula="floor(x + 0.5)",
    pitfalls="Halves go up, also below zero.",
    meaning="The nearest whole number.",
    **PLAIN,
)
@elementwise(1)
def rounded(x: float) -> float:
    return math.floor(x + 0.5) if there(x) else math.nan


@maths.function(
    "floor",
    "Floor",
    said="{x} rounded down",
    synonyms=("round down",),
    inputs=(X,),
    outputs=(SAME,),
    formula="⌊x⌋",
    pitfalls=NO_PITFALL,
    meaning="The next whole number at or below x.",
    **PLAIN,
)
@elementwise(1)
def floor(x: float) -> float:
    return math.floor(x) if there(x) else math.nan


@maths.function(
    "ceil",
    "Ceiling",
    said="{x} rounded up",
    synonyms=(
        "ceiling",
        "round up",
    ),
    inputs=(X,),
    outputs=(SAME,),
    formula="⌈x⌉",
    pitfalls=NO_PITFALL,
    meaning="The next whole number at or above x.",
    **PLAIN,
)
@elementwise(1)
def ceiling(x: float) -> float:
    return math.ceil(x) if there(x) else math.nan


maths.add(
    "clamp",
    "Clamped",
    said="{x} kept between {the_low} and {the_high}",
    synonyms=(
        "clip",
        "limit",
    ),
    inputs=(X, Input(name="low"), Input(name="high")),
    outputs=(SAME,),
    body="min(max(x, low), high)",
    pitfalls="With low above high the result is high.",
    meaning="x held between low and high.",
    **PLAIN,
)


@elementwise(1)
def arc_degrees(x: float) -> float:
    """The angle whose tangent is x, in degrees."""
    return math.degrees(math.atan(x))


maths.step("arc_degrees", inputs=1, outputs=(Output(unit=NONE),))


maths.step(
    "percent_of",
    inputs=2,
    parameters=(Parameter(name="otherwise", low=0, high=100),),
    outputs=(Output(unit=NONE),),
)


maths.step("balance", inputs=2, outputs=(Output(unit=NONE),))
maths.step("percent_between", inputs=3, outputs=(Output(unit=NONE),))
maths.step("held", inputs=2, truths=(1,), outputs=(Output(unit="x0"),))


@maths.function(
    "if_then",
    "Either or",
    said="{x} where {truth}, else {the_y}",
    synonyms=(
        "if",
        "choose",
        "either or",
    ),
    inputs=(TRUTH, X, Y),
    outputs=(SAME,),
    formula="x where truth is yes, y where it is no",
    pitfalls="Missing where the condition is unknown.",
    meaning="x where the condition is yes, y where it is no.",
    **PLAIN,
)
@elementwise(3)
def if_then(a: float, x: float, y: float) -> float:
    return (x if a == 1.0 else y) + 0.0 * a


@maths.function(
    "known",
    "Known",
    said="{x} is known|{x} is not known",
    synonyms=(
        "exists",
        "available",
        "not missing",
    ),
    inputs=(X,),
    outputs=(YES_NO,),
    formula="yes where x has a value, no where it is missing",
    meaning="Whether there is a value at all.",
    reading="known(trades) leaves out the bars of which no trades are kept.",
    pitfalls="The only function that is never unknown: a no may just mean too little history.",
    source="Plain logic.",
)
@elementwise(1, fills=True)
def known(x: float) -> float:
    return 1.0 * there(x)


maths.add(
    "tally",
    "Tally",
    said="number of these that hold ({truth})",
    inputs=(TRUTH,),
    variadic=True,
    outputs=(Output(unit=NONE),),
    body="truth",
    formula="number of conditions that are yes",
    meaning="How many of the conditions given are yes.",
    reading="tally(close > sma(close, 50), rsi(14) > 50, adx(14).adx > 25) >= 2 asks for two of three.",
    pitfalls="Unknown as soon as one condition is.",
    source="Plain arithmetic.",
)
maths.add(
    "lean",
    "Lean",
    said="lean of these ({truth})",
    inputs=(TRUTH,),
    variadic=True,
    outputs=(Output(unit=NONE, levels=(0,)),),
    body="truth",
    formula="yes among the 1st, 3rd, … conditions less yes among the 2nd, 4th, …",
    meaning="A signed rating from conditions in turn for up and for down.",
    reading="lean(close > sma(close, 50), close < sma(close, 50), rsi(14) > 55, rsi(14) < 45) is "
    "from -2 to 2.",
    pitfalls="Unknown as soon as one condition is.",
    source="Our own measure.",
)
