"""How phrases of traders are said in the language: rules, one kind after another.

A rule is a pattern and what takes its place; where there are several ways to read it, one text for each. Rules see
a text in small letters, with what stood in quotes as §0§, §1§ and so on.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import cache

from zealous_sieve.core.formula.guessing.idioms import IDIOMS
from zealous_sieve.core.formula.guessing.parts import (
    AVERAGED,
    BARS_SAID,
    LENGTHY,
    MONTHS,
    NAMED_SPANS,
    NUMBER,
    OF_PRICE,
    ORDERED,
    SHORT,
    SIDE,
    SPANS,
    VALUE,
    GuessingRule,
    Rewriting,
    synonyms,
)
from zealous_sieve.core.formula.words import RESERVED
from zealous_sieve.core.functions.catalogue import SOURCES
from zealous_sieve.core.functions.specification import CATALOGUE


def _thousands(match: re.Match[str]) -> str:
    return re.sub(r"[, ]", "", match[0])


def _scaled(match: re.Match[str]) -> str:
    factor = {"k": 1e3, "thousand": 1e3, "million": 1e6, "mio": 1e6, "billion": 1e9}[match[2]]
    return f"{float(match[1]) * factor:.15g}"


def _minutes(match: re.Match[str]) -> str:
    sign = ">=" if match[1] in ("after", "from") else "<"
    return f"60 * hour + minute {sign} {int(match[2]) * 60 + int(match[3])}"


def _share_more(match: re.Match[str]) -> str:
    share = float(match[4]) / 100
    return f"{match[1]} {1 + share if match[3] == '+' else 1 - share:.10g} * {match[2]}"


def _share_of(match: re.Match[str]) -> str:
    return f"{float(match[1]) / 100:.10g} * {match[2]}"


def _spelled(match: re.Match[str]) -> str:
    return f"on {match[1]}{SPANS[match[2]]}"


_SPAN = "|".join(SPANS)
_SMALL = "zero one two three four five six seven eight nine ten eleven twelve"
_TENS = "twenty thirty forty fifty sixty seventy eighty ninety hundred"
WORDS_OF_NUMBERS = dict(enumerate(_SMALL.split())) | {
    10 * n: word for n, word in enumerate(_TENS.split(), 2)
}
_LARGE = "m|mn|mln|mio|million|b|bn|billion"
_NUMBERS: tuple[GuessingRule, ...] = (
    (rf"\b(\d+),(\d{{1,2}})(?=\s*(?:k|thousand|{_LARGE})\b)", r"\1.\2"),
    (r"(?<![\d(,.])\d{1,3}(?:,\d{3})+\b(?!\s*\))", _thousands),
    (r"(?<![\d(,.])(?<![\w] )\b[1-9]\d{0,2}(?: \d{3})+\b(?!\s*[,)\w])", _thousands),
    (rf"\b({NUMBER})\s*(?:m|mn|mln)(?= (?:and|to) {NUMBER}\s*(?:m|mn|mln)\b)", r"\1 million"),
    (r"(?<=\d million (?:and) )(\d+(?:\.\d+)?)\s*(?:m|mn|mln)\b", r"\1 million"),
    (rf"\b({NUMBER})\s*(k|thousand|million|mio|billion)\b", _scaled),
    (r"(?<!\w)\s*\b(?:percent|per cent|pct)\b", "%"),
    (rf"\b({NUMBER})\s*(?:x|times)\s+(?!in\b)", r"\1 * "),
    (rf"\b({NUMBER})x(?=[a-z(])", r"\1 * "),
    (r",\s*,", ","),
    (r"\(\s*(\d+)\s*,\s*(open|high|low|close|volume)\s*\)", r"(\2, \1)"),
    (r"\b(?:length|periods?|window)\s*==?\s*(?=\d)", "n="),
    (r"\btwice (?=in\b)", "2 times "),
    (r"\b(?:twice|double)\b", "2 *"),
    (r"\bhalf\b(?: of)?", "0.5 *"),
    *((rf"\b{word}\b", str(n)) for n, word in WORDS_OF_NUMBERS.items()),
)  # fmt: skip
_SIGNS: tuple[GuessingRule, ...] = (
    (r"&&|&", " and "),
    (r"\|\||\|", " or "),
    (r"!(?!=)", " not "),
    (r"\*\*", "^"), (r"×|·", "*"), (r"÷", "/"), (r"−|–", "-"),
    (r"===", "=="), (r">>", ">"), (r"<<", "<"), (r"\{", "("), (r"\}", ")"),
    (r"\bgt\b", ">"), (r"\bge\b", ">="), (r"\blt\b", "<"), (r"\ble\b", "<="), (r"\beq\b", "=="), (r"\bne\b", "!="),
    (r"^on (\d+(?:mo|[smhdw]))\s*[:,]\s*(.+)$", r"\2 on \1"),
    (r"\bif\s+(.+?)\s+then\s+(.+?)\s+else\s+(.+)$", r"if_then(\1, \2, \3)"),
    (r"^\s*(.+?)\s*\?\s*(.+?)\s*:\s*(.+)$", r"if_then(\1, \2, \3)"),
    (r";\s*$", ""),
    (r";(?=[^()]*\))", ","), (r";", " and "),
)  # fmt: skip
FILLERS: tuple[GuessingRule, ...] = (
    (r"\b(?:the|an|that|where|there|is|are|was|were|be|been|being|has|have|had|must|should|its|it)\b", " "),
    (r"\b(?:isnt|isn’t|doesnt|does not|did not|didnt|do not|dont|aint)\b", "not"),
    (r"\ba\b(?=\s+[a-z\d])(?! row)", " "),
    (r"[$€£](?=\s*\d)", ""),
    (r"\.\s*$", ""),
    (r"([<>])\s+(?=[<>])", ""),
    (r"\(\s*(open|high|low|close|volume)\s+(\d+)\s*\)", r"(\1, \2)"),
    (r"\b(open|high|low|close|volume)\.(\w+)\(", r"\2(\1, "),
    (r"\batr\s*%", "atr_percent"),
    (r"(?<![\w(])(?<!up )(?<!green )(?<!bullish )body\b(?! (?:percent|above|below|beyond))", ("abs(body)", "body")),
)  # fmt: skip
_TIMES: tuple[GuessingRule, ...] = (
    (rf"(\d+)\s*-\s*({_SPAN}|bar|session|candle|period)s?\b", r"\1 \2"),
    (rf"\b(?:todays?|current|this (?:bar|day)s?|now)\s+({OF_PRICE})\b", r"\1"),
    (rf"\b({OF_PRICE})\s+(?:today|now)\b", r"\1"),
    (rf"\b(?:yesterdays?|previous days?|prior days?|last days?)\s+({OF_PRICE})\b", (r"prev(\1)", r"(\1 on 1d)")),
    (rf"\b(?:yesterdays?|previous(?: (?:day|bar)s?)?|prior(?: (?:day|bar)s?)?|last (?:day|bar)s?|prev)\s+"
     rf"({VALUE})", r"prev(\1)"),
    (rf"\b({OF_PRICE})\s+(?:of\s+)?(?:yesterday|(?:of |on )?(?:previous|prior) day|day before)\b",
     (r"prev(\1)", r"(\1 on 1d)")),
    (rf"({VALUE})\s+(?:of\s+)?(?:yesterday|(?:of |on )?(?:previous|prior) (?:bar|day)|(?:bar|day) before)\b",
     r"prev(\1)"),
    (rf"\b({LENGTHY})\[(\d+)\]", r"\1(\2)"),
    (rf"({VALUE})\s*\[\s*0\s*\]", r"\1"),
    (rf"({VALUE})\s*\[\s*-?\s*(\d+)\s*\]", r"ago(\1, \2)"),
    (rf"\b({OF_PRICE})\(\s*-?(\d+)\s*\)", r"ago(\1, \2)"),
    (rf"({VALUE})\s+(?:of |from )?(\d+) {BARS_SAID} (?:ago|back|earlier|before)\b", r"ago(\1, \2)"),
    (rf"\b(\d+) {BARS_SAID} (?:ago|back|earlier) ({VALUE})", r"ago(\2, \1)"),
    (rf"(§\d+§)\s*\.\s*({OF_PRICE})\b", r"(\2 of \1)"),
    (rf"\b({OF_PRICE})\(\s*(§\d+§)\s*\)", r"(\1 of \2)"),
    (rf"(§\d+§)\s+({OF_PRICE})\b", r"(\2 of \1)"),
    (r"\bfirst (\d+) (?:minutes?|min)\b", r"minutes_from_open < \1"),
    (r"\blast (\d+) (?:minutes?|min)\b", r"minutes_to_close < \1"),
    (r"\b(after|from|before) (\d{1,2}):(\d\d)\b", _minutes),
    (rf"\b({OF_PRICE}) (?:of|on) (?:previous|prior|last) (?:bar|day|candle)\b", r"prev(\1)"),
    (r"\bfirst hour\b", "minutes_from_open < 60"), (r"\blast hour\b", "minutes_to_close < 60"),
    (r"\b(?:hour|time|bar_time) ([<>]=?) (\d{1,2}):(\d\d)\b",
     lambda m: f"60 * hour + minute {m[1]} {int(m[2]) * 60 + int(m[3])}"),
    (rf"\b(?:in|month(?: ==)?) ({'|'.join(MONTHS)})\b", lambda m: f'month == "{m[1].capitalize()}"'),
    (r"\btoday\b", " "),
    (rf"\b(?:last|previous|prior) (week|month|hour)s? ({OF_PRICE})s?\b",
     lambda m: f"({m[2]} on 1{SPANS[m[1]]})"),
    (rf"\b({OF_PRICE}) of (?:last|previous|prior) (week|month|hour)\b",
     lambda m: f"({m[1]} on 1{SPANS[m[2]]})"),
    (r"\b(?<!\d )(?:days?|sessions?) (high|low)s?\b(?! of)",
     lambda m: f"({_end(m[1])}({m[1]}) since first_bar)"),
    (r"\b(high|low)s? of (?:day|session)\b", lambda m: f"({_end(m[1])}({m[1]}) since first_bar)"),
    (r"\b(highest|lowest)(?: of)? (\w+) since open\b", r"(\1(\2) since first_bar)"),
    (r"\bsince open\b", "since first_bar"),
)  # fmt: skip
_OVER = r"(?:of|in|over|for|during)"
_LAST = r"(?:last |past |previous )?"
_MEASURED = (
    "sum|median|stdev|percentile|zscore|slope|linreg|roc|momentum|highest|lowest|mean|max_drawdown"
)
_DAYS = "|".join(ORDERED)
_PERIODS = {"daily": "day", "weekly": "week", "monthly": "month"}
_TAKERS = "|".join(sorted((f.name for f in CATALOGUE.values() if f.inputs), key=len, reverse=True))
NOUNS: tuple[GuessingRule, ...] = (
    (r"\b(bullish|bearish) engulfing(?: bar| candle)?\b", lambda m: f"engulfing == {1 if m[1] == 'bullish' else -1}"),
    (r"\b(daily|weekly|monthly) pivots?(?: (r\d|s\d|p))?\b", lambda m: f'pivots("{_PERIODS[m[1]]}").{m[2] or "p"}'),
    (r"(?<!\.)\b(r[123]|s[123])\b", r'pivots("day").\1'),
    (r"\bbars_since gap_percent (up|down)\b", lambda m: f"bars_since(gap_percent {'>' if m[1] == 'up' else '<'} 0)"),
    (r"\bvolume since first_bar\b", "(sum(volume) since first_bar)"),
    (r"\bnew (\d+) weeks? high\b",
     (lambda m: f"high > prev(highest(high, {5 * int(m[1])}))", r"high > prev(highest(high, \1)) on 1w")),
    (r"\bnew (\d+) weeks? low\b",
     (lambda m: f"low < prev(lowest(low, {5 * int(m[1])}))", r"low < prev(lowest(low, \1)) on 1w")),
    (rf"\b(?:largest|biggest|widest|greatest|busiest) ({VALUE}) (?:{_OVER} )?{_LAST}(\d+)(?: {BARS_SAID})?\b", r"largest(\1, \2)"),
    (rf"\b(?:smallest|narrowest|tightest|quietest) ({VALUE}) (?:{_OVER} )?{_LAST}(\d+)(?: {BARS_SAID})?\b", r"smallest(\1, \2)"),
    (rf"\b(?:highest|maximum|max) {_OVER} {_LAST}(\d+) ({OF_PRICE})s?\b", r"highest(\2, \1)"),
    (rf"\b(?:lowest|minimum|min) {_OVER} {_LAST}(\d+) ({OF_PRICE})s?\b", r"lowest(\2, \1)"),
    (rf"\bhighest {_OVER} {_LAST}(\d+) {BARS_SAID}\b", r"highest(high, \1)"),
    (rf"\blowest {_OVER} {_LAST}(\d+) {BARS_SAID}\b", r"lowest(low, \1)"),
    (rf"\b(max|min) of ({VALUE}) and ({VALUE})", r"\1(\2, \3)"),
    (rf"({SIDE}) ({NUMBER})(?: \*)? (atr(?:\(\d+\))?) (above|below|over|under) ({SIDE})",
     lambda m: f"{m[1]} {'>' if m[4] in ('above', 'over') else '<'} {m[5]} by {m[2]} * {m[3]}"),
    (rf"\b({NUMBER}) (atr\b(?:\(\d+\))?)", r"\1 * \2"),
    (rf"\b(\d+) ({VALUE})s? (?:out )?of {_LAST}(\d+)(?: {BARS_SAID})?$", r"\2 at least \1 of \3 bars"),
    (rf"^(\d+) (?:out )?of {_LAST}(\d+) {BARS_SAID} ({VALUE})$", r"\3 at least \1 of \2 bars"),
    (r"\bmacd line\b", "macd.line"), (r"\b(?:macd )?signal line\b", "macd.signal"),
    (r"\bmacd histogram\b", "macd.histogram"),
    (r"\b(upper|lower|middle) (?:bollinger )?band\b", r"bollinger.\1"),
    (r"\bbollinger (upper|lower|middle)(?: band)?\b", r"bollinger.\1"),
    (rf"\bday_of_week\s*(?:==|on)?\s*({_DAYS})s?\b", lambda m: f'day_of_week == "{m[1].capitalize()}"'),
    (rf"\b(?:on )?({_DAYS})s?\b(?!\")", lambda m: f'day_of_week == "{m[1].capitalize()}"'),
    (r"\bmacd ([<>]=?|above|below|over|under|crosses? (?:above|below|over|under)) signal\b",
     r"macd.line \1 macd.signal"),
    (r"(?<!\.)\b(?:bollinger )?(?:bandwidth|band width)\b", "bollinger.bandwidth"),
    (rf"({VALUE}) outside (?:bollinger )?(?:bands|bollinger)\b",
     r"(not \1 between bollinger.lower and bollinger.upper)"),
    (r"\b(\d+) (higher|lower) (high|low|close)s? (?:in (?:a )?row|running)\b",
     lambda m: f"{m[3]} {'>' if m[2] == 'higher' else '<'} prev({m[3]}) for {m[1]} bars"),
    (rf"\b(?:({OF_PRICE}) )?(up|down) (?:by |more than |over )?({NUMBER})\s*% (?:in|over|within) {_LAST}(\d+) {BARS_SAID}",
     lambda m: f"roc({m[1] or 'close'}, {m[4]}) {'> ' if m[2] == 'up' else '< -'}{m[3]}"),
    (rf"\b({AVERAGED}) of {_LAST}(\d+) ({OF_PRICE})s?\b", r"\1(\3, \2)"),
    (rf"({VALUE}) ([<>]=?|above|below|over|under) ({NUMBER}) and (rising|falling)\b",
     lambda m: f"{m[1]} {m[2]} {m[3]} and {m[1]} {'>' if m[4] == 'rising' else '<'} prev({m[1]})"),
    (r"\bclose in (?:top|upper) (\d+)% of (?:bar_)?range\b",
     lambda m: f"close > high - {int(m[1]) / 100:g} * bar_range"),
    (r"\bclose in (?:bottom|lower) (\d+)% of (?:bar_)?range\b",
     lambda m: f"close < low + {int(m[1]) / 100:g} * bar_range"),
    (r"\bcrossover of (\S+(?:\([^()]*\))?) and ", r"\1 crosses above "),
    (rf"\bnew (\d+) {BARS_SAID} high\b", r"high > prev(highest(high, \1))"),
    (rf"\bnew (\d+) {BARS_SAID} low\b", r"low < prev(lowest(low, \1))"),
    (rf"\b(?:highest|maximum|max|top|largest|greatest) ({VALUE}) (?:{_OVER} )?{_LAST}(\d+)(?: {BARS_SAID})?\b",
     r"highest(\1, \2)"),
    (rf"\b(?:lowest|minimum|min|smallest|least) ({VALUE}) (?:{_OVER} )?{_LAST}(\d+)(?: {BARS_SAID})?\b",
     r"lowest(\1, \2)"),
    (rf"\b({_MEASURED})(?: of)? ({VALUE}) {_OVER} {_LAST}(\d+)(?: {BARS_SAID})?\b", r"\1(\2, \3)"),
    (r"\b(\d+) weeks? (high|low)s?\b", lambda m: f"({_end(m[2])}({m[2]}, {m[1]}) on 1w)"),
    (rf"\b(\d+) {BARS_SAID} (high|low)s?\b", lambda m: f"{_end(m[2])}({m[2]}, {m[1]})"),
    (rf"\b(high|low)s? {_OVER} {_LAST}(\d+) {BARS_SAID}\b", lambda m: f"{_end(m[1])}({m[1]}, {m[2]})"),
    (rf"\bhighest {_LAST}(\d+) {BARS_SAID}\b", r"highest(high, \1)"),
    (rf"\blowest {_LAST}(\d+) {BARS_SAID}\b", r"lowest(low, \1)"),
    (rf"\b(\d+)(?: {BARS_SAID})? ({AVERAGED})(?: of)? ({OF_PRICE})\b(?!\s*\()", r"\2(\3, \1)"),
    (rf"\b(\d+)(?: {BARS_SAID} ({LENGTHY})| ?({SHORT}))(?: of ({VALUE}))?\b(?!\s*\()", lambda m: _call(m[2] or m[3], m[4], m[1])),
    (rf"\b({AVERAGED})(?: of)? ({OF_PRICE}) (?:{_OVER} )?{_LAST}(\d{{1,3}})(?: {BARS_SAID})?\b", r"\1(\2, \3)"),
    (rf"\b({OF_PRICE}) ({AVERAGED}) (\d+)\b", r"\2(\1, \3)"),
    (rf"\b({LENGTHY}) (?:of|over) {_LAST}(\d+) {BARS_SAID}(?: of ({VALUE}))?", lambda m: _call(m[1], m[3], m[2])),
    (rf"\b({AVERAGED})(?: of)? ({OF_PRICE})\b(?!\s*\()", r"\1(\2)"),
    (rf"\b({LENGTHY})[ _-]?(\d+)\b", r"\1(\2)"),
    (rf"\bcount(?: of)? ({VALUE}) (?:{_OVER} )?{_LAST}(\d+)(?: {BARS_SAID})?", r"count(\1, \2)"),
    (rf"\b({_TAKERS}) of ({VALUE})", r"\1(\2)"),
    (rf"\bbars_since(?: last)? ({VALUE})", r"bars_since(\1)"),
    (r"\bhigher highs?\b", "high > prev(high)"), (r"\bhigher lows?\b", "low > prev(low)"),
    (r"\blower highs?\b", "high < prev(high)"), (r"\blower lows?\b", "low < prev(low)"),
    (r"\bhigher closes?\b", "close > prev(close)"), (r"\blower closes?\b", "close < prev(close)"),
    (rf"\bgap_percent up (?:by )?(?:less than|no more than|at most|under|below|<) ({NUMBER})\s*%?",
     r"gap_percent > 0 and gap_percent < \1"),
    (rf"\bgap_percent down (?:by )?(?:less than|no more than|at most|under|below|<) ({NUMBER})\s*%?",
     r"gap_percent < 0 and gap_percent > -\1"),
    (rf"\bgap_percent up (?:by |more than |over |of |> )?({NUMBER})\s*%?", r"gap_percent > \1"),
    (rf"\bgap_percent down (?:by |more than |over |of |> )?({NUMBER})\s*%?", r"gap_percent < -\1"),
    (r"\bgap_percent up\b", "gap_percent > 0"), (r"\bgap_percent down\b", "gap_percent < 0"),
    (rf"\b(?:({OF_PRICE}) )?up (?:by |more than |over |> )?({NUMBER})\s*%(?! (?:above|below))",
     lambda m: f"{m[1] or 'close'} > prev({m[1] or 'close'}) by {m[2]}%"),
    (rf"\b(?:({OF_PRICE}) )?down (?:by |more than |over |> )?({NUMBER})\s*%(?! (?:above|below))",
     lambda m: f"{m[1] or 'close'} < prev({m[1] or 'close'}) by {m[2]}%"),
    (rf"({VALUE}) (?:rising|rises|increasing|growing|going up|up) for {_LAST}(\d+) {BARS_SAID}", r"rising(\1, \2)"),
    (rf"({VALUE}) (?:falling|falls|decreasing|shrinking|going down|down) for {_LAST}(\d+) {BARS_SAID}",
     r"falling(\1, \2)"),
    (rf"({VALUE}) (?:rising|rises|increasing|growing|going up|trending up)\b(?! \w)", r"\1 > prev(\1)"),
    (rf"({VALUE}) (?:falling|falls|decreasing|shrinking|going down|trending down)\b(?! \w)", r"\1 < prev(\1)"),
    (rf"\b(?:rising|increasing|growing) ({VALUE})", r"\1 > prev(\1)"),
    (rf"\b(?:falling|decreasing|shrinking) ({VALUE})", r"\1 < prev(\1)"),
    (rf"({VALUE}) (?:rising|rises|increasing|growing|going up)\b", r"\1 > prev(\1)"),
    (rf"({VALUE}) (?:falling|falls|decreasing|shrinking|going down)\b", r"\1 < prev(\1)"),
)  # fmt: skip
_CROSS = r"(?:cross(?:es|ed|ing)?|breaks?|broke)"
_RELATIONS: tuple[GuessingRule, ...] = (
    (rf"\b({_CROSS} ?(?:above|below|over|under) {SIDE}) from (?:above|below)\b", r"\1"),
    (rf"\b{_CROSS}[ -]?(?:over|up|upwards?|above)(?: (?:through|over))?\b", "crosses above"),
    (rf"\b{_CROSS}[ -]?(?:under|down|downwards?|below)(?: (?:through|under))?\b", "crosses below"),
    (r"\b(?:goes|moves|rises|climbs|gets|went) (?:above|over)\b", "crosses above"),
    (r"\b(?:goes|moves|falls|drops|gets|went) (?:below|under)\b", "crosses below"),
    (rf"\b(?:crosse[sd]|crossing|cross)(?: through)?\b(?! above| below) ({SIDE}) (?:upwards?|from below)",
     r"crosses above \1"),
    (rf"\b(?:crosse[sd]|crossing|cross)(?: through)?\b(?! above| below) ({SIDE}) (?:downwards?|from above)",
     r"crosses below \1"),
    (r"\b(?:crossed|crossing|cross)(?: through)?\b", "crosses"),
    (r"\bcloses (?=above|below|over|under)", "close "),
    (rf"({SIDE})\s+(?:>=?\s*|at least |more than |over )?({NUMBER})\s*% (?:above|over|higher than|more than|greater than) ({SIDE})",
     r"\1 > \3 by \2%"),
    (rf"({SIDE})\s+(?:<=?\s*|at least |more than |over )?({NUMBER})\s*% (?:below|under|lower than|less than) ({SIDE})", r"\1 < \3 by \2%"),
    (r"\b(?:greater|more|higher|larger) than or equal(?: to)?\b|\bno less than\b|\bnot (?:below|under|less than)\b"
     r"|\bat or above\b", ">="),
    (r"\b(?:less|lower|smaller) than or equal(?: to)?\b|\bno more than\b|\bnot (?:above|over|more than)\b"
     r"|\bat or below\b|\bat most\b", "<="),
    (rf"({VALUE}) at least (?={NUMBER}(?!\s*(?:out )?of)|{VALUE}(?!\s*of))", r"\1 >= "),
    (r"(?<!crosses )\b(?:greater than|more than|bigger than|larger than|higher than|wider than|above|over|exceeds|beyond)\b",
     ">"),
    (r"(?<!crosses )\b(?:less than|smaller than|lower than|narrower than|fewer than|below|under|beneath)\b", "<"),
    (r"\bnot (?:equal to|equal|equals)\b|\bdifferent from\b|\bdiffers from\b|\bunequal(?: to)?\b", "!="),
    (r"\bequals\b|\bequal to\b|\bequal\b|\bsame as\b", "=="),
    (rf"\bfrom ({NUMBER}) to ({NUMBER})\b", r"between \1 and \2"),
    (rf"\bbetween ({NUMBER})\s*(?:-|to|\.\.)\s*({NUMBER})", r"between \1 and \2"),
    (rf"\bbetween ({SIDE}) (?:to|-) ({SIDE})", r"between \1 and \2"),
    (rf"\bin (?:range )?\(?({NUMBER})\s*(?:\.\.|to|-)\s*({NUMBER})\)?", r"between \1 and \2"),
    (rf"({SIDE})\s*(<=?|>=?)\s*({SIDE})\s*(<=?|>=?)\s*({SIDE})", r"\1 \2 \3 and \3 \4 \5"),
    (rf">=?\s*({SIDE})\s*\+\s*({NUMBER})\s*%", r"> \1 by \2%"),
    (rf"<=?\s*({SIDE})\s*-\s*({NUMBER})\s*%", r"< \1 by \2%"),
    (rf"([<>]=?)\s*({VALUE})\s*([-+])\s*({NUMBER})\s*%", _share_more),
    (rf"(?<!within )(?<!by )(?<![\d.])({NUMBER})\s*% of ({VALUE})", _share_of),
    (rf"(\S+ / \S+ [<>]=?) ({NUMBER})\s*%", lambda m: f"{m[1]} {float(m[2]) / 100:.10g}"),
    (rf"({SIDE}) ([<>]=?) ({SIDE}) (and|or) ([<>]=?) ", r"\1 \2 \3 \4 \1 \5 "),
    (r"\bplus\b", "+"), (r"\bminus\b", "-"), (r"\bdivided by\b", "/"), (r"\bmultiplied by\b", "*"),
    (r" squared\b", "^2"),
    (rf"\b(volume) ([<>]=?) ((?:{NUMBER} \* )?)({AVERAGED})\((\d+)\)",
     r"\1 \2 \3\4(\1, \5)"),
    (r"^\s*(?=(?:[<>]=?|crosses|within)\s)", "close "),
    (rf"\b({OF_PRICE}) ([<>]=?) ((?:{NUMBER} \* )?)({AVERAGED})\b(?!\s*[(.\w])", r"\1 \2 \3\4(\1)"),
    (rf"(?<!by )(?<!within )(?<![\d.])({NUMBER})\s*%(?!\s*(?:above|below|of))", r"\1"),
)  # fmt: skip
OVER_TIME: tuple[GuessingRule, ...] = (
    (rf"\b(\d+) (?:consecutive|straight|successive) ({VALUE})\b", r"\2 for \1 bars"),
    (rf"\b(?:for )?(\d+) ({VALUE})s? in (?:a )?row\b", lambda m: _in_a_row(m[2], m[1])),
    (rf"\b(?:for )?(?:at least )?(\d+) (?:consecutive |straight |successive )?{BARS_SAID} "
     r"(?:in (?:a )?row|running|straight|consecutively|successively)\b", r"for \1 bars"),
    (rf"\bfor (?:each of |all )?{_LAST}(\d+) (?:consecutive |straight )?{BARS_SAID}\b", r"for \1 bars"),
    (rf"\b(?:on )?(?:at least )?(\d+) (?:times (?:out )?(?:of|in)|(?:out )?of) {_LAST}(\d+) {BARS_SAID}\b",
     r"at least \1 of \2 bars"),
    (rf"\bfollowed by (.+?) (?:within|in) {_LAST}(\d+) {BARS_SAID}\b", r"then \1 within \2 bars"),
    (rf"\b(?:and )?then (.+?) (?:within|in) {_LAST}(\d+) {BARS_SAID}\b", r"then \1 within \2 bars"),
    (rf"(?<!then )\b(?:in|within|during|over) (?:last |past |previous )(\d+) {BARS_SAID}\b", r"in last \1 bars"),
    (rf"\b(?:once |ever )?(?:in|during) (\d+) {BARS_SAID}\b", r"in last \1 bars"),
    (rf"\blast (\d+) {BARS_SAID}\b(?<!in last)", r"last \1 bars"),
    (rf"\bthen ({VALUE})$", r"then \1 within 1 bars"),
    (r"\bfor (\d+) weeks\b", (r"for \1 bars on 1w", lambda m: f"for {5 * int(m[1])} bars")),
    (r"\bin last (\d+) weeks\b", (r"in last \1 bars on 1w", lambda m: f"in last {5 * int(m[1])} bars")),
    (rf"\b(\d+) {BARS_SAID}\b", r"\1 bars"),
)  # fmt: skip
ELSEWHERE: tuple[GuessingRule, ...] = (
    (r"\bon (?:a )?(\d+)\s*1m\b", r"on \1m"),
    (r"\bon (?:a )?1?(daily|weekly|monthly|hourly)(?: (?:chart|bars|timeframe|basis))?\b",
     lambda m: f"on {NAMED_SPANS[m[1]]}"),
    (rf"\bon (?:a )?(\d+) ?({_SPAN})s?(?: (?:chart|bars|timeframe))?\b", _spelled),
    (rf"\b(?:on|in) (?:a )?({_SPAN})s?(?: (?:chart|bars|timeframe))\b", lambda m: f"on 1{SPANS[m[1]]}"),
    (rf"({VALUE}) on (\d+(?:mo|[smhdw])) ([<>]=?|[!=]=|crosses(?: above| below)?) ({VALUE}) on \2\b",
     r"\1 \3 \4 on \2"),
    (rf"({VALUE}) on (\d+(?:mo|[smhdw]))(?= (?:[<>]=?|[!=]=|crosses))", r"(\1 on \2)"),
    (r"\s(daily|weekly|monthly|hourly)$", lambda m: f" on {NAMED_SPANS[m[1]]}"),
    (r"\bon (\d+)M\b", (r"on \1mo", r"on \1m")),
    (rf"\b(daily|weekly|monthly|hourly) ({VALUE})", lambda m: f"({m[2]} on {NAMED_SPANS[m[1]]})"),
    (rf"\b(\d+) ({_SPAN})s? ({VALUE})", lambda m: f"({m[3]} on {m[1]}{SPANS[m[2]]})"),
    (rf"(?<!on )\b(\d+(?:mo|[smhdw])) ({VALUE})", r"(\2 on \1)"),
    (rf"({VALUE})\s*@\s*(\d+(?:mo|[smhdw]))\b", r"(\1 on \2)"),
    (r"\(([^()]+?)\) on (\d+(?:mo|[smhdw])) (for|in last|at least) ([^()]*?bars)",
     (r"(\1) \3 \4 on \2", r"((\1) on \2) \3 \4")),
    (r"^([^()]*(?:\([^()]*\)[^()]*)*?) on (\d+(?:mo|[smhdw])) (for|in last|at least) ([^()]*?bars)",
     (r"\1 \3 \4 on \2", r"(\1 on \2) \3 \4")),
)  # fmt: skip
JOINED: tuple[GuessingRule, ...] = (
    (r",?\s*\b(?:but|while|with|plus also|as well as|also|whilst)\b(?!\()", " and"),
    (r"\band and\b", "and"),
    (r"\b(?:unless|without|except(?: when)?|and no)\b", "and not"),
    (r"\b(?:both|either)\b", ""),
    (r"\bor else\b", "or"),
    (r",\s*(?=[^()]*(?:\([^()]*\)[^()]*)*$)", " and "),
)  # fmt: skip


def _end(source: str) -> str:
    return "highest" if source == "high" else "lowest"


def _call(function: str, of: str | None, bars: str) -> str:
    return f"{function}({of}, {bars})" if of else f"{function}({bars})"


def _in_a_row(what: str, bars: str) -> str:
    return f"for {bars} bars" if re.fullmatch(BARS_SAID, what) else f"{what} for {bars} bars"


def _picked() -> Iterator[tuple[str, str]]:
    """Outputs said with their function, before or behind it, or alone where only one has such."""
    outputs = [(f.name, o.name) for f in CATALOGUE.values() if f.outputs[1:] for o in f.outputs]
    names = [name for _, name in outputs]
    for function, name in outputs:
        said, own = name.replace("_", " "), function.replace("_", " ")
        if name not in RESERVED:
            yield rf"\b{own} {said}\b", f"{function}.{name}"
        if name in ("upper", "lower", "middle"):
            yield rf"\b{said} {own}(?: band)?\b(?!\s*\()", f"{function}.{name}"
        if "_" in name and names.count(name) == 1:
            yield rf"\b{said}\b", f"{function}.{name}"


@cache
def _synonym_rules() -> tuple[GuessingRule, ...]:
    """Phrases of several words, and words that are no names of the language, the longest first."""
    known = {*SOURCES, *CATALOGUE, *RESERVED}
    spaced = {name.replace("_", " "): name for name in known if "_" in name}
    phrases = sorted({**spaced, **synonyms()}.items(), key=lambda entry: -len(entry[0]))
    picked = list(_picked())
    plural = [(rf"\b{name}s\b", name) for name in ("open", "high", "low", "close")]
    named = [
        (
            rf"\b{re.escape(phrase)}\b(?!\s*\()"
            if phrase in _PARTS
            else rf"\b{re.escape(phrase)}\b",
            name,
        )
        for phrase, name in phrases
        if phrase not in known and phrase not in ORDINARY
    ]
    return (*named, *picked, *plural)


_PARTS = {"last", "back", "earlier", "return", "range", "gap", "total", "limit", "if", "choose"}
"""Words that name something only where no call of them is meant."""
ORDINARY = {"last", "back", "earlier", "previous", "prior", "yesterday", "last bar", "if", "either or",
            "maximum", "minimum", "opening", "days to", "days after", "number of", "highs", "lows"}  # fmt: skip
"""Words that mean something else too, and have rules of their own."""

STAGES: tuple[Callable[[], Iterable[GuessingRule]], ...] = (
    lambda: _SIGNS,
    lambda: _NUMBERS,
    lambda: FILLERS,
    lambda: IDIOMS,
    _synonym_rules,
    lambda: _TIMES,
    lambda: NOUNS,
    lambda: _RELATIONS,
    lambda: OVER_TIME,
    lambda: ELSEWHERE,
    lambda: JOINED,
)


@cache
def rules() -> tuple[tuple[re.Pattern[str], tuple[Rewriting, ...]], ...]:
    """All of them in their order, compiled once: there are more than the interpreter keeps."""
    return tuple(
        (re.compile(pattern), change if isinstance(change, tuple) else (change,))
        for stage in STAGES
        for pattern, change in stage()
    )


@cache
def wording() -> frozenset[str]:
    """Every word of four letters or more that some rule looks for."""
    patterns = " ".join(pattern.pattern for pattern, _ in rules())
    return frozenset(re.findall(r"(?<![\\a-z])[a-z]{4,}", patterns)) | RESERVED
