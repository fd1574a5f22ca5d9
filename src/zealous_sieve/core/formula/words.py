"""The words of the language, one entry for each way to use them.

Lexer, completion, the editor's colours and the reference read them here; the grammar file says how they
stand to each other.
"""

from __future__ import annotations

from dataclasses import dataclass

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

    @property
    def words(self) -> tuple[str, ...]:
        """Its words without the gaps."""
        return tuple(word for word in self.pattern.split() if word != GAP)


PHRASES = (
    Phrase(
        pattern="and", example="close > open and up_bar", meaning="Both hold.", after="condition"
    ),
    Phrase(
        pattern="or",
        example="up_bar or inside_bar",
        meaning="One of the two holds, or both.",
        after="condition",
    ),
    Phrase(pattern="not", example="not up_bar", meaning="Does not hold.", begins=True),
    Phrase(
        pattern="by",
        example="close > sma(close, 45) by 2%",
        meaning="Beyond by at least a percentage or an amount.",
        after="condition",
    ),
    Phrase(
        pattern="within … of",
        example="close within 1.5% of sma(close, 45)",
        meaning="No farther away than a percentage or an amount.",
        after="number",
    ),
    Phrase(
        pattern="between … and",
        example="rsi(close, 11) between 42 and 58",
        meaning="Between the lower and the higher of two numbers.",
        after="number",
    ),
    Phrase(
        pattern="crosses",
        example="close crosses sma(close, 45)",
        meaning="Goes beyond on this bar, to either side.",
        after="number",
    ),
    Phrase(
        pattern="crosses above",
        example="close crosses above sma(close, 45)",
        meaning="Above on this bar, below when the two last differed.",
        after="number",
    ),
    Phrase(
        pattern="crosses below",
        example="close crosses below sma(close, 45)",
        meaning="Below on this bar, above when the two last differed.",
        after="number",
    ),
    Phrase(
        pattern="in last … bars",
        example="inside_bar in last 3 bars",
        meaning="Holds on one of the last bars at least, this one included.",
        after="condition",
    ),
    Phrase(
        pattern="for … bars",
        example="up_bar for 3 bars",
        meaning="Holds on each of the last bars, this one included.",
        after="condition",
    ),
    Phrase(
        pattern="at least … of … bars",
        example="up_bar at least 3 of 5 bars",
        meaning="Holds on so many of the last bars.",
        after="condition",
    ),
    Phrase(
        pattern="then … within … bars",
        example="inside_bar then up_bar within 4 bars",
        meaning="The first holds on a bar and the second on a later one, not too far from it.",
        after="condition",
    ),
    Phrase(
        pattern="until",
        example="close crosses above sma(close, 45) until close < sma(close, 45)",
        meaning="Holds from a bar on which the first holds, up to the bar before the second does.",
        after="condition",
    ),
    Phrase(
        pattern="since",
        example="close > 0.95 * highest(high) since first_bar",
        meaning="Over the bars from the last one on which a condition held, that bar included.",
        after="number",
    ),
    Phrase(
        pattern="at least … of",
        example="at least 2 of (up_bar, inside_bar, close > prev(close))",
        meaning="So many of several conditions hold on this bar.",
        begins=True,
    ),
    Phrase(pattern="on", example="close > open on 1w", meaning="On other bars than these."),
    Phrase(
        pattern="of",
        example='close of "CODE"',
        meaning="The same expression for another instrument.",
    ),
    Phrase(
        pattern="input",
        example="input length = 23 between 5 and 200\nsma(close, length)",
        meaning="A constant of the formula that can be tuned, with its bounds.",
        begins=True,
    ),
    Phrase(
        pattern="show",
        example="show upper = highest(high, 23)",
        meaning="Names an output of the formula.",
        begins=True,
    ),
)

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
