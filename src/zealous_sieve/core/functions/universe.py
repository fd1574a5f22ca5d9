"""Over the universe, and of other instruments: rank, breadth, benchmark, facts."""

from __future__ import annotations

from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import (
    TRUTH,
    Family,
    Input,
    Output,
    Parameter,
    X,
    length,
)
from zealous_sieve.core.functions.units import NONE, PERCENT, RATIO

universe = Family("Universe")
BY = Parameter(name="by", text=True, optional=True, names="fact")
CODE = Parameter(name="code", text=True, names="code")
NAME = Parameter(name="name", text=True, names="fact")

universe.add(
    "rank",
    "Rank",
    said="rank of {x}",
    inputs=(X,),
    parameters=(BY,),
    outputs=(Output(unit=PERCENT, span=(0, 100), levels=(20, 80)),),
    elsewhere="rank",
    formula="100 · (values below + half of the other equal ones) / (values - 1), at one moment",
    meaning="Where x stands among all instruments of the universe at that moment: 0 to 100.",
    reading='rank(roc(close, 60)) > 80 are the strongest fifth; by="sector" ranks inside groups.',
    pitfalls="Only instruments with a value at that very moment take part.",
    source="Mid-rank percentile, ties share the mean rank.",
)
universe.add(
    "zscore_across",
    "Z-score across",
    said="distance of {x} from all in deviations",
    inputs=(X,),
    parameters=(BY,),
    outputs=(Output(unit=NONE, levels=(-2, 0, 2)),),
    elsewhere="zscore",
    formula="(x - mean over the universe) / deviation over the universe, at one moment",
    meaning="How far x is from the universe's mean, in its deviations.",
    reading="Beyond 2 an instrument stands apart from the others today.",
    pitfalls="One giant widens the deviation for all; rank does not mind giants.",
    source="Standard score.",
)
universe.add(
    "mean_across",
    "Mean across",
    said="mean of {x} over all",
    synonyms=(
        "universe average",
        "universe mean",
    ),
    inputs=(X,),
    parameters=(BY,),
    outputs=(Output(unit="x"),),
    elsewhere="mean",
    formula="the mean of x over the universe at one moment",
    meaning="What x is on average over the universe.",
    reading="The background against which one instrument is judged.",
    pitfalls="Every instrument weighs the same, large or small.",
    source="Arithmetic mean.",
)
universe.add(
    "breadth",
    "Breadth",
    said="share of all of which {truth}",
    synonyms=("share of the universe",),
    inputs=(TRUTH,),
    parameters=(BY,),
    outputs=(Output(unit=PERCENT, span=(0, 100), levels=(50,)),),
    elsewhere="breadth",
    formula="100 · instruments with yes / instruments with yes or no, at one moment",
    meaning="On what share of the universe the condition holds.",
    reading="breadth(close > sma(close, 200)) tells whether many carry the market or few.",
    pitfalls="Instruments for which it is unknown are left out of both counts.",
    source="Common in the trade.",
)
universe.add(
    "fact",
    "Fact",
    said="{name}",
    parameters=(NAME,),
    outputs=(Output(unit=NONE),),
    elsewhere="fact",
    formula="the number kept with the instrument under that name; a text can be compared by == and !=",
    meaning="What is known of the instrument itself, such as its market_cap.",
    reading='fact("sales_growth") > 10 asks for growth, fact("sector") == "salt" for a sector.',
    pitfalls="At every bar it is what was known when that bar closed, also of groups made by it. Of a fact "
    "without days nobody knows since when it holds: it is taken as it is known now, and a run of the past "
    "says so.",
    source="The list of instruments.",
)
universe.add(
    "_of",
    "of",
    inputs=(Input(name="x", kind=None),),
    parameters=(CODE,),
    outputs=(Output(unit="x"),),
    elsewhere="of",
    formula="",
    meaning="",
    reading="",
    pitfalls="",
    source="",
)
universe.add(
    "_before",
    "before",
    inputs=(X,),
    parameters=(Parameter(name="frame", text=True),),
    outputs=(Output(unit="x"),),
    elsewhere="before",
    formula="",
    meaning="",
    reading="",
    pitfalls="",
    source="",
)
universe.add(
    "ratio_to",
    "Ratio to",
    said="price against {code}",
    parameters=(CODE,),
    outputs=(Output(unit=RATIO),),
    body="close / _of(close, code)",
    meaning="The close over that of another instrument.",
    reading="Rising: it does better than the other.",
    pitfalls="The level means nothing, only its direction.",
    source="Relative strength by comparison.",
)


@universe.function(
    "correlation",
    "Correlation",
    said="{n}-bar correlation with {the_y}",
    synonyms=(
        "corr",
        "correl",
    ),
    inputs=(X, Input(name="y")),
    parameters=(length(default=20, low=3),),
    outputs=(Output(unit=NONE, span=(-1, 1), levels=(0,)),),
    apart=True,
    meaning="How x and y moved together over n bars: 1 in step, -1 against each other.",
    reading='correlation(roc(close, 1), roc(close, 1) of "LANT40", 60) is the tie to the market.',
    pitfalls="Of levels rather than changes it is high for any two trends.",
    formula="covariance / (deviation of x · deviation of y)",
    source="K. Pearson, 1895.",
)
@kernel(inputs=2, warmup=lambda n: n - 1)
def correlation(spans, x, y, n, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(max(s.begin, s.first + n - 1), s.end):
            sx = sy = xx = yy = xy = 0.0
            for k in range(n):
                a, b = x[t - k] - x[t], y[t - k] - y[t]
                sx += a
                sy += b
                xx += a * a
                yy += b * b
                xy += a * b
            vx, vy = xx - sx * sx / n, yy - sy * sy / n
            if vx > 0.0 and vy > 0.0:
                out[t] = max(-1.0, min(1.0, (xy - sx * sy / n) / (vx * vy) ** 0.5))


universe.add(
    "beta",
    "Beta",
    said="{n}-bar beta to {code}",
    parameters=(length(default=60, low=3), CODE),
    outputs=(Output(unit=RATIO, levels=(1,)),),
    body="""own = roc(close, 1)
other = _of(roc(close, 1), code)
correlation(own, other, n) * stdev(own, n) / stdev(other, n)""",
    meaning="How much the instrument moves for a move of another one.",
    reading="Above 1 it exaggerates the benchmark.",
    pitfalls="Changes over time; a mean of the past.",
    source="W. F. Sharpe, 1964.",
)


universe.add(
    "strength",
    "Strength of a currency",
    parameters=(Parameter(name="currency", text=True, names="currency"), length("bars", 20)),
    outputs=(
        Output(name="percent", said="{bars}-bar strength of {currency}", unit=PERCENT, levels=(0,)),
        Output(
            name="steps",
            said="{bars}-bar strength of {currency} in price steps",
            unit=NONE,
            levels=(0,),
        ),
    ),
    elsewhere="strength",
    formula="over all pairs with the currency, the move of the close over so many bars added up, in "
    "percent and in price steps; where the currency is the quoted side the move counts negative",
    meaning="How a currency did against all others together.",
    reading='strength("LMN", 20).percent > 0 on a pair: the wind behind one of its sides.',
    pitfalls="A sum, not a mean: with more pairs the figures grow. Steps weigh pairs by their ticks.",
    source="Sums to zero over all currencies, as every move is one's gain and another's loss.",
)
