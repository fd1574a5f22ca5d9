"""The words of the language, one entry for each way to use them.

Lexer, completion, the editor's colours and the reference read them here; the grammar file says how they
stand to each other.
"""

from __future__ import annotations

from dataclasses import dataclass

START = "start"
"""What the close at the time of writing is called in the condition that settles an outlook."""
GAP = "…"
"""Where something of the user's own stands."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Phrase:
    """One way to say something: ``pattern`` as it is shown, with gaps; ``example`` is a piece that runs.

    ``begins`` says that it stands at the beginning of what it belongs to, and not after something;
    ``after`` what it stands after, where that is not either: a ``number`` or a ``condition``.
    """

    pattern: str
    example: str
    meaning: str
    begins: bool = False
    after: str = ""
    reading: str = ""
    """How it is read by a trader."""
    pitfalls: str = ""
    """What misleads."""

    @property
    def words(self) -> tuple[str, ...]:
        """Its words without the gaps."""
        return tuple(word for word in self.pattern.split() if word != GAP)


PHRASES = (
    Phrase(
        pattern="and",
        example="close > open and up_bar",
        meaning="Both hold.",
        reading="Each further one cuts: the funnel shows which cuts most.",
        pitfalls="Unknown and no is no, unknown and yes is unknown.",
        after="condition",
    ),
    Phrase(
        pattern="or",
        example="up_bar or inside_bar",
        meaning="One of the two holds, or both.",
        reading="Several ways to the same setup.",
        pitfalls="Two ways rarely follow one another alike: look at each alone first.",
        after="condition",
    ),
    Phrase(
        pattern="not",
        example="not up_bar",
        meaning="Does not hold.",
        reading="What must not be.",
        pitfalls="The opposite of unknown is unknown, never yes.",
        begins=True,
    ),
    Phrase(
        pattern="by",
        example="close > sma(close, 45) by 2%",
        meaning="Beyond by at least a percentage or an amount.",
        reading="A close that has got clear of a line, not one that rests on it.",
        pitfalls="A boundary counts as reached. A percentage is of the right side; an amount in its unit.",
        after="condition",
    ),
    Phrase(
        pattern="within … of",
        example="close within 1.5% of sma(close, 45)",
        meaning="No farther away than a percentage or an amount.",
        reading="Near a line, a level, another average.",
        pitfalls="A percentage means much on a calm instrument and little on a wild one: an amount such "
        "as 0.5 * atr(21) fits both.",
        after="number",
    ),
    Phrase(
        pattern="between … and",
        example="rsi(close, 11) between 42 and 58",
        meaning="Between the lower and the higher of two numbers.",
        reading="Neither too little nor too much.",
        pitfalls="Both ends count.",
        after="number",
    ),
    Phrase(
        pattern="crosses",
        example="close crosses sma(close, 45)",
        meaning="Goes beyond on this bar, to either side.",
        reading="A turn of one line against another.",
        pitfalls="Yes on one bar only: add in last … bars to see it later.",
        after="number",
    ),
    Phrase(
        pattern="crosses above",
        example="close crosses above sma(close, 45)",
        meaning="Above on this bar, below when the two last differed.",
        reading="The bar on which a line is passed.",
        pitfalls="A touch from above and back is no crossing. Yes on one bar only.",
        after="number",
    ),
    Phrase(
        pattern="crosses below",
        example="close crosses below sma(close, 45)",
        meaning="Below on this bar, above when the two last differed.",
        reading="The bar on which a line is lost.",
        pitfalls="A touch from below and back is no crossing. Yes on one bar only.",
        after="number",
    ),
    Phrase(
        pattern="in last … bars",
        example="inside_bar in last 3 bars",
        meaning="Holds on one of the last bars at least, this one included.",
        reading="It happened lately, whatever is now.",
        pitfalls="The more bars, the staler the signal: the age says how old it is.",
        after="condition",
    ),
    Phrase(
        pattern="for … bars",
        example="up_bar for 3 bars",
        meaning="Holds on each of the last bars, this one included.",
        reading="It has lasted.",
        pitfalls="One bar that fails begins the count anew.",
        after="condition",
    ),
    Phrase(
        pattern="at least … of … bars",
        example="up_bar at least 3 of 5 bars",
        meaning="Holds on so many of the last bars.",
        reading="It has been so mostly.",
        pitfalls="Which of the bars they were is not asked.",
        after="condition",
    ),
    Phrase(
        pattern="then … within … bars",
        example="inside_bar then up_bar within 4 bars",
        meaning="The first holds on a bar and the second on a later one, not too far from it.",
        reading="First a rest, then the move.",
        pitfalls="The second has to be on this bar, the first on an earlier one.",
        after="condition",
    ),
    Phrase(
        pattern="until",
        example="close crosses above sma(close, 45) until close < sma(close, 45)",
        meaning="Holds from a bar on which the first holds, up to the bar before the second does.",
        reading="A state with a beginning and an end.",
        pitfalls="Unknown until either has happened once; the end wins where both are.",
        after="condition",
    ),
    Phrase(
        pattern="since",
        example="close > 0.95 * highest(high) since first_bar",
        meaning="Over the bars from the last one on which a condition held, that bar included.",
        reading="From the last time that something happened.",
        pitfalls="Unknown until it has happened once; the stretch grows from bar to bar.",
        after="number",
    ),
    Phrase(
        pattern="at least … of",
        example="at least 2 of (up_bar, inside_bar, close > prev(close))",
        meaning="So many of several conditions hold on this bar.",
        reading="Several signs, of which so many agree.",
        pitfalls="All count alike: what matters more belongs into a condition of its own.",
        begins=True,
    ),
    Phrase(
        pattern="on",
        example="close > open on 1w",
        meaning="On other bars than these.",
        reading="The larger picture: the week above the day.",
        pitfalls="The last bar that has closed there: on Tuesday, that of last week.",
    ),
    Phrase(
        pattern="of",
        example='close of "CODE"',
        meaning="The same expression for another instrument.",
        reading="Against the index, the cash leg, the gauge of volatility.",
        pitfalls="The last value known at that moment; an instrument that rests keeps its last.",
    ),
    Phrase(
        pattern="input",
        example="input length = 23 between 5 and 200\nsma(close, length)",
        meaning="A constant of the formula that can be tuned, with its bounds.",
        reading="What you would turn.",
        pitfalls="More than two or three can be turned until the past looks good.",
        begins=True,
    ),
    Phrase(
        pattern="show",
        example="show upper = highest(high, 23)",
        meaning="Names an output of the formula.",
        reading="A formula with several lines, called by their names.",
        pitfalls="Names that are not shown are steps, and can't be called.",
        begins=True,
    ),
)

RELATIONS_TOLD = (
    Phrase(
        pattern=">", example="close > sma(close, 45)", meaning="More than.",
        reading="Above a line, a level, a threshold.",
        pitfalls="Strictly: equal is not more. A price as a threshold fits one instrument only.",
    ),
    Phrase(
        pattern=">=", example="rsi(close, 17) >= 57", meaning="As much, or more.",
        reading="A threshold that counts itself.", pitfalls="None beyond those of more than.",
    ),
    Phrase(
        pattern="<", example="rel_volume(18) < 0.7", meaning="Less than.",
        reading="Below a line, a level, a threshold.", pitfalls="Strictly: equal is not less.",
    ),
    Phrase(
        pattern="<=", example="rsi(close, 17) <= 43", meaning="As much, or less.",
        reading="A threshold that counts itself.", pitfalls="None beyond those of less than.",
    ),
    Phrase(
        pattern="==", example="supertrend(12, 2.7).direction == 1", meaning="The same number.",
        reading="For states and counts, which are whole; for facts, which are texts.",
        pitfalls="Prices and averages are hardly ever the same: write within … of.",
    ),
    Phrase(
        pattern="!=", example="swing_trend(4) != -1", meaning="Another number.",
        reading="Anything but that state.", pitfalls="Nearly always yes of what moves.",
    ),
)  # fmt: skip
"""The signs between two numbers, as they are told."""

SWITCHES = {"true": 1.0, "false": 0.0}
"""Words for parameters that are either on or off."""
CLOSING = ("bar", "bars")
"""Words with which something is complete."""
RESERVED = {*(word for phrase in PHRASES for word in phrase.words), *CLOSING, "value"}
"""Words of the language, which nothing can be called by; ``value`` is the output without a name."""
JOINING = {phrase.words[0] for phrase in PHRASES if not phrase.begins}
"""Words with which a line goes on that has begun before."""
BEGINNING = {phrase.words[0] for phrase in PHRASES if phrase.begins}
"""Words with which something begins."""
ASKING = {w for phrase in PHRASES for w in phrase.words} - {*CLOSING, "input", "show"}
"""Words after which something has to come."""
