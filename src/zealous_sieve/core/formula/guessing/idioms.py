"""Turns of phrase for which the language has no word of its own: setups, stretches of time, times of day.

They are put into plain words before the other rules see them.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from zealous_sieve.core.formula.guessing.parts import (
    AVERAGED,
    BARS_SAID,
    NAMED_SPANS,
    NUMBER,
    OF_PRICE,
    ORDERED,
    SIDE,
    VALUE,
    GuessingRule,
)
from zealous_sieve.core.functions.specification import CATALOGUE

MARKET_DAYS = {"week": 5, "month": 21, "quarter": 63, "year": 252}
"""Trading days of a stretch."""
_EDGE = {
    "week": "(week_of_year != prev(week_of_year))",
    "month": "(month != prev(month))",
    "year": "(month < prev(month))",
    "day": "first_bar",
    "session": "first_bar",
}
"""What is yes where a stretch begins."""
_STRETCH = "|".join(_EDGE)
_EDGE_OF = {"highest": "high", "lowest": "low"}
_UNITS = {"week": "w", "month": "mo", "hour": "h"}
EVER = "(session_number == 1)"
_PRICE = rf"(?:{OF_PRICE}|price)"
_MORE, _LESS = (
    r"(?:highest|largest|biggest|widest|greatest)",
    r"(?:lowest|smallest|narrowest|tightest)",
)
_RELATION = r"(?:[<>]=?|above|below|over|under)"
_AVERAGE = r"(?:simple )?(?:moving )?(?:average|mean|sma|ma)"
_CLOCK = r"(\d{1,2})(?::(\d\d))? ?(am|pm)?"
TREND = "adx.adx"


def _of_levels(match: re.Match[str]) -> str:
    """Beyond the level at which a measure is taken to be stretched."""
    name, asked = match[1] or "rsi", match[2]
    function = CATALOGUE.get(name.split("(")[0].split(".")[0])
    levels = function.outputs[0].levels if function else ()
    if len(levels) < 2:
        return match[0]
    return f"{name} < {levels[0]:g}" if asked == "oversold" else f"{name} > {levels[-1]:g}"


def _out_of_levels(m: re.Match[str]) -> str:
    inside = _of_levels(m)
    return inside.replace("<", "crosses above").replace(">", "crosses below")


def _minutes(hours: str, minutes: str | None, half: str | None) -> int:
    late = 12 if half == "pm" and int(hours) < 12 else 0
    early = 12 if half == "am" and int(hours) == 12 else 0
    return 60 * (int(hours) + late - early) + int(minutes or 0)


def _at_clock(sign: str) -> Callable[[re.Match[str]], str]:
    return lambda m: f"60 * hour + minute {sign} {_minutes(m[1], m[2], m[3])}"


def _between_clocks(m: re.Match[str]) -> str:
    if not (m[2] or m[3] or m[6]):
        return m[0]
    first, last = _minutes(m[1], m[2], m[3] or m[6]), _minutes(m[4], m[5], m[6])
    return f"60 * hour + minute between {first} and {last}"


def _since(how: str, of: str) -> Callable[[re.Match[str]], str]:
    return lambda m: f"({how}({of}) since {_EDGE[m[1]]})"


def _moved(m: re.Match[str]) -> str:
    sign = ">" if m[1] == "up" else "<"
    return f"close {sign} (first(open) since {_EDGE[m[3]]}) by {m[2]}%"


def _moved_over(m: re.Match[str]) -> str:
    sign = "> " if m[1] == "up" else "< -"
    return f"roc(close, {int(m[3] or 1) * MARKET_DAYS[m[4]]}) {sign}{m[2]}"


def _turning(m: re.Match[str]) -> str:
    now, before = (">", "<") if m[2] == "up" else ("<", ">")
    return f"{m[1]} {now} prev({m[1]}) and prev({m[1]}) {before} ago({m[1]}, 2)"


def _colour(word: str) -> str:
    return "up_bar" if word in ("green", "up", "bullish") else "down_bar"


def _than_before(m: re.Match[str]) -> str:
    sign = "<" if m[2] in ("lower", "less", "smaller") else ">"
    return f"{m[1]} {sign} " + (f"ago({m[1]}, {m[4]})" if m[4] else f"prev({m[1]})")


def _than_all_before(m: re.Match[str]) -> str:
    lower = m[2] in ("lower", "less", "smaller")
    return (
        f"{m[1]} < prev(lowest({m[1]}, {m[3]}))"
        if lower
        else f"{m[1]} > prev(highest({m[1]}, {m[3]}))"
    )


def _over_each(m: re.Match[str]) -> str:
    others = [each.strip() for each in re.split(r",| and ", m[3]) if each.strip()]
    return " and ".join(f"{m[1]} {m[2]} {other}" for other in others)


_MONEY = r"(?:turnover|dollar_volume|money (?:traded|turned over)|close \* volume|traded value|value traded)"


def _way(text: str) -> str:
    return f"close {'>' if text in ('up', 'higher', 'green') else '<'} prev(close)"


def _ranked(end: str, percent: str, what: str) -> str:
    share = float(percent)
    return f"rank({what}) >= {100 - share:g}" if end == "top" else f"rank({what}) <= {share:g}"


def _so_many_of(match: re.Match[str]) -> str:
    return _so_many_of_words(match[1], match[2], match[3])


def _so_many_of_words(text: str, count: str, bars: str) -> str:
    return f"{_way(text)} at least {count} of {bars} bars"


IDIOMS: tuple[GuessingRule, ...] = (
    (rf"^(\d+) (?:out )?of (?:last )?(\d+) {BARS_SAID} (?:closed? )?(up|down|higher|lower|green|red)$",
     lambda m: _so_many_of_words(m[3], m[1], m[2])),
    (r"\b(?:price|stock) closes?\b", "close"),
    (r"\bcloses (?=outside|inside|within|in|near|at|between|back)", "close "),
    (r"\bcandle (?=body|range|wick)", ""),
    (r"\b(\d+) ?d?ma\b|\bma ?(\d+)\b", lambda m: f"sma({m[1] or m[2]})"),
    (rf"\b({AVERAGED}|average|avg)(?: of)? ({OF_PRICE}) ?\((\d+)\)", r"\1(\2, \3)"),
    (rf"\b({AVERAGED}) (\d+) ({OF_PRICE})\b", r"\1(\3, \2)"),
    (r"\b(highest|lowest)(?: (high|low|close))? ?\((\d+)\)", lambda m: f"{m[1]}({m[2] or _EDGE_OF[m[1]]}, {m[3]})"),
    (rf"\b(\d+)[ -]{BARS_SAID} (highest|lowest) ({OF_PRICE})\b", r"\2(\3, \1)"),
    (r"(?<=\d) (?:shares|dollars|units|points)\b", ""),
    (rf"\b({NUMBER}) ?bn?\b", lambda m: f"{float(m[1]) * 1e9:.15g}"),
    (rf"\b(?:gain(?:s|ed)?(?: of)?|rall(?:y|ies|ied)|rose|rises|advance[sd]?|climb(?:s|ed)|jump(?:s|ed))(?= (?:by |more than |at least )?{NUMBER} ?%)", "up"),
    (rf"\b(?:los(?:t|es)|los(?:s|es) of|drop(?:s|ped)(?: of)?|fell|falls|decline[sd]?)(?= (?:by |more than |at least )?{NUMBER} ?%)", "down"),
    (rf"\b(?:daily )?change (?=(?:{_RELATION}|more than|less than|of)? ?{NUMBER} ?%)", "roc(close, 1) "),
    (r"(?:%|\bpercent(?:age)?) (?:gain|move|return)(?: today)?\b", "roc(close, 1)"),
    (r"\b(?:yesterday|previous|prior) (?:candle|bar|day) (green|up|bullish|red|down|bearish)\b", lambda m: f"prev({_colour(m[1])})"),
    (r"\b(?:current|this|today|last|latest) (?:candle|bar|day) (green|up|bullish|red|down|bearish)\b", lambda m: _colour(m[1])),
    (r"\blast (\d+) (?:candles?|bars?|days?) (?:all )?(green|up|bullish|red|down|bearish)\b", lambda m: f"{_colour(m[2])} for {m[1]} bars"),
    (r"\bthen (?:a )?(green|up|red|down) (?:one|1)\b", lambda m: f"then {_colour(m[1])} within 1 bars"),
    (rf"\b({VALUE}) (higher|greater|more|larger|bigger|lower|less|smaller) than (yesterday|(\d+) {BARS_SAID} ago)\b(?! \w)", _than_before),
    (rf"\b({VALUE}) (higher|greater|more|larger|bigger|lower|less|smaller) than (?:previous|prior|last) (\d+) {BARS_SAID}\b", _than_all_before),
    (rf"\b({VALUE}) ({NUMBER}) \*\s*(?:as (?:high|big|large|much) as )?(?:yesterday|previous (?:day|bar))s?$", r"\1 > \2 * prev(\1)"),
    (r"\bfor (\d+) min(?:ute)?s\b", r"for \1 bars on 1m"), (r"\bfor (\d+) hours\b", r"for \1 bars on 1h"),
    (rf"\b(?:last|previous|prior) (week|month|hour)s? ({OF_PRICE})\b", lambda m: f"({m[2]} on 1{_UNITS[m[1]]})"),
    (r"\btime (?=between|after|before|from|until)", ""),
    (r"\bopening hour\b", "first hour"), (r"\b(first|last) hour of (?:trading|day|session)\b", r"\1 hour"),
    (r"(?<!\w)(?:stoch(?:astic)? )?%k\b", "stoch.k"), (r"(?<!\w)(?:stoch(?:astic)? )?%d\b", "stoch.d"),
    (r"\bslow stoch(?:astic)?s?\b", "stoch.d"),
    (r"\bstd\.? ?dev\b", "stdev"), (r"\bbollinger width\b", "bollinger.bandwidth"),
    (r"\bbb (upper|lower|middle)\b|\b(upper|lower|middle) bb\b", lambda m: f"bollinger.{m[1] or m[2]}"),
    (r"\brank (?:by|in) (?=\w)", "rank of "),
    (rf"\b({AVERAGED}) (\d+) ?/ ?(\d+) (?:cross|crossover)\b", r"\1(\2) crosses \1(\3)"),
    (rf"^((?!golden|death){VALUE}) cross$", r"close crosses \1"),
    (r"\bin between\b", "between"),
    (rf"({VALUE}) (?:at |in )?new (high|low)s?$",
     lambda m: f"{m[1]} {'>' if m[2] == 'high' else '<'} prev({'highest' if m[2] == 'high' else 'lowest'}({m[1]}) since {EVER})"),
    (r"^close to (?=\d|\w)", "close within 1% of "),
    (rf"^(?:index |if |when )?\s*(§\d+§)\s*(?:close )?({_RELATION}|crosses(?: above| below)?) (.+)$",
     lambda m: f"(close {m[2]} {m[3].replace(m[1], '')}) of {m[1]}" if "§" not in m[3].replace(m[1], "") else m[0]),
    (r"\b(\w+)\(\s*(§\d+§)\s*,\s*(\d+)\s*\)", r"(\1(\3) of \2)"),
    (rf"(§\d+§)\s+({AVERAGED}|rsi|roc|atr)[ (]?(\d+)\)?", r"(\2(\3) of \1)"),
    (r",\s*$", ""),
    (r"\btodays? (?!high|low|open|close)", ""),
    (r"\bgap(?:s|ped|ping)\b", "gap"),
    (r"\b(?:making|makes|made|printing|prints) ", ""),
    (r"^on (?:a )?(daily|weekly|monthly|hourly)(?: chart| timeframe| bars)?,? (.+)$", r"(\2) on \1"),
    (rf"\b({VALUE}) \(?(daily|weekly|monthly|hourly)\)?(?= {_RELATION})", r"(\1 on \2)"),
    (rf"\b({VALUE}) (\d+[mhdw])(?= {_RELATION})", r"(\1 on \2)"),
    (r"\b(\w+)\(([^()]*), ?(\d+[mhdw])\)", r"(\1(\2) on \3)"),
    (rf"\b(\d+)[ -](week|month)s? (?:{_AVERAGE})\b", lambda m: f"(sma({m[1]}) on 1{'w' if m[2] == 'week' else 'mo'})"),
    (r"(?<!\w)(?:bollinger )?% ?b\b", "bollinger.percent_b"),
    (r"(?<![\w.])(?:bollinger )?band ?width\b", "bollinger.bandwidth"),
    (r"(?<!\w)\+ ?di\b", "adx.plus_di"), (r"(?<!\w)- ?di\b", "adx.minus_di"),
    (r"\bstochastics?\b", "stoch"), (r"\bwilliams %r\b", "williams_r"), (r"\bparabolic sar\b", "sar"),
    (r"\bmoney flow(?: index)?\b", "mfi"),
    (r"\b(supertrend|sar) (?:turns|flips|goes|gets) (?:to )?(?:up|bullish|positive|long)\b", r"\1.direction crosses above 0"),
    (r"\b(supertrend|sar) (?:turns|flips|goes|gets) (?:to )?(?:down|bearish|negative|short)\b", r"\1.direction crosses below 0"),
    (r"\b(supertrend|sar) (?:flips|turns|changes)\b", r"\1.direction crosses 0"),
    (r"\b(supertrend|sar) (?:up|bullish|positive)\b", r"\1.direction == 1"),
    (r"\b(supertrend|sar) (?:down|bearish|negative)\b", r"\1.direction == -1"),
    (rf"\b(?:({_PRICE}) )?above (?:ichimoku )?cloud\b", "close > max(ichimoku.span_a, ichimoku.span_b)"),
    (rf"\b(?:({_PRICE}) )?below (?:ichimoku )?cloud\b", "close < min(ichimoku.span_a, ichimoku.span_b)"),
    (rf"\b(?:({_PRICE}) )?outside lower band\b", "close < bollinger.lower"),
    (rf"\b(?:({_PRICE}) )?outside upper band\b", "close > bollinger.upper"),
    (r"\b(?:close )?(?:between|inside|within) bands\b", "close between bollinger.lower and bollinger.upper"),
    (r"\bratio to\s*(§\d+§)", r"ratio_to(\1)"),
    (r"\binside (?:bar|day) breakout\b", "prev(inside_bar) and close > prev(high)"),
    (rf"^(\d+)[ -]({BARS_SAID}) (high|low) (?:broken|taken out)\b",
     lambda m: f"close crosses {'above' if m[3] == 'high' else 'below'} {m[1]} {m[2]} {m[3]}"),
    (rf"^(?:({_PRICE}) )?(?:no|not) more than ({NUMBER})\s*% (above|over|below|under) (.+)$",
     lambda m: f"not {m[1] or 'close'} {'>' if m[3] in ('above', 'over') else '<'} {m[4]} by {m[2]}%"),
    (rf"^(?:closed? )?(up|down|higher|lower)(?: on)? (\d+) (?:out )?of (?:last )?(\d+) {BARS_SAID}$", _so_many_of),
    (rf"^first (up|down|green|red) {BARS_SAID} in (\d+) {BARS_SAID}$",
     lambda m: f"{_way(m[1])} and count({_way(m[1])}, {m[2]}) == 1"),
    (rf"\b(?:in )?(top|bottom) ({NUMBER})\s*% (?:by |of |in )(?:rank of )?(\d+)[ -]{BARS_SAID} (?:change|return|performance|momentum)\b",
     lambda m: _ranked(m[1], m[2], f"roc(close, {m[3]})")),
    (rf"\b(?:in )?(top|bottom) ({NUMBER})\s*% (?:by |of |in )(?:rank of )?((?!.*\brange\b)(?!\d){VALUE})",
     lambda m: _ranked(m[1], m[2], m[3])),
    (rf"\b(?:(\d+)[ -]{BARS_SAID} )?{_AVERAGE} (?:of )?{_MONEY}(?: (?:over|of|in) (?:last )?(\d+) {BARS_SAID})?\b",
     lambda m: f"sma(close * volume{f', {m[1] or m[2]}' if m[1] or m[2] else ''})"),
    (r"\b(weekly|monthly|daily|hourly) (?:average|sma) of (\d+)\b",
     lambda m: f"(sma({m[2]}) on {NAMED_SPANS[m[1]]})"),
    (r"^(weekly|monthly|daily|hourly) (.+?) (rising|falling)$",
     lambda m: f"({m[2]} {m[3]}) on {NAMED_SPANS[m[1]]}"),
    (rf"^(?:({_PRICE}) )?(higher|lower) than (\d+) {BARS_SAID} ago$",
     lambda m: f"{m[1] or 'close'} {'>' if m[2] == 'higher' else '<'} ago({m[1] or 'close'}, {m[3]})"),
    (r"^(§\d+§) ((?:above|below|over|under|crosses|at|near|within|up|down|rising|falling)\b.*)$", r"(close \2) of \1"),
    (r"\b(?:better|stronger) than\s+(§\d+§)\s+over (?:last )?(\d+) " + BARS_SAID, r"roc(close, \2) > (roc(close, \2) of \1)"),
    (r"\b(?:worse|weaker) than\s+(§\d+§)\s+over (?:last )?(\d+) " + BARS_SAID, r"roc(close, \2) < (roc(close, \2) of \1)"),
    (r"\bfailed breakout\b", "high > prev(highest(high, 20)) and close < prev(highest(high, 20))"),
    (r"\bgap up filled\b", "gap_percent > 0 and low <= prev(close)"),
    (r"\bgap down filled\b", "gap_percent < 0 and high >= prev(close)"),
    (r"\bgap filled\b", ("gap_percent > 0 and low <= prev(close)", "gap_percent < 0 and high >= prev(close)")),
    (r"\b(\d+)[ -]months? (high|low)s?\b", lambda m: f"{21 * int(m[1])} day {m[2]}"),
    (r"\b(year|quarter)(?:ly)? (high|low)s?\b", lambda m: f"{MARKET_DAYS[m[1]]} day {m[2]}"),
    (rf"(?:\b({_PRICE}) )?\bbreak(?:s|ing)? (?:of |above |over )?((?!resistance).*high)$", lambda m: f"{m[1] or 'close'} crosses above {m[2]}"),
    (rf"(?:\b({_PRICE}) )?\bbreak(?:s|ing)? (?:of |below |under )?((?!support).*low)$", lambda m: f"{m[1] or 'close'} crosses below {m[2]}"),
    (r"\b(?:close )?(?:breaks?|above)(?: above| over)? (?:(\d+) min(?:ute)?s? opening range|opening range|first (\d+) min(?:ute)?s high)\b",
     lambda m: f"close > opening_range({m[1] or m[2] or 30}).high"),
    (r"\b(?:close )?(?:breaks?|below)(?: below| under)? (?:(\d+) min(?:ute)?s? opening range|opening range|first (\d+) min(?:ute)?s low)\b",
     lambda m: f"close < opening_range({m[1] or m[2] or 30}).low"),
    (rf"({VALUE}) reclaim(?:s|ed)?$", r"close crosses above \1"),
    (rf"\b(?:({_PRICE}) )?(?:reclaims?|reclaimed|regains?|regained|recovers)\b", r"\1 crosses above"),
    (rf"\b(?:({_PRICE}) )?(?:loses|lost)\b", r"\1 crosses below"),
    (r"\b(?:comes?|came|gets?|got|moves?|moved|is)? ?back (above|over|below|under)\b", r"crosses \1"),
    (r"\b(?:falls?|fell|drops?|dropped|dips?|dipped|slips?|slipped|sinks?) (?:back )?(?:below|under|through)\b", "crosses below"),
    (r"\b(?:rises?|rose|climbs?|climbed|jumps?|jumped|pops?|popped|moves?|moved) (?:back )?(?:above|over|through)\b", "crosses above"),
    (r"\b(above|below|crosses above|crosses below) (\d+)[ -]day$", r"\1 sma(\2)"),
    (r"\b(?:stays|stayed|stay|holds|held|holding|remains|remained|trades|trading) (above|below|over|under|within|between)\b", r"\1"),
    (r"\b(?:every|each) (?:day|bar|session) for\b", "for"),
    (r"\ball week\b", "for 5 bars"), (r"\bfor 2 weeks\b(?=$)", "for 10 bars"),
    (rf"\b(?:never|not once) (.+?) (?:in|for|within|during) (?:last )?(\d+) {BARS_SAID}$", r"not (\1 in last \2 bars)"),
    (rf"\bat least (\d+) closes (above|below) ({SIDE}) (?:in|of|over) (?:last )?(\d+) {BARS_SAID}", r"close \2 \3 at least \1 of \4 bars"),
    (rf"^(.+?) for first time in (\d+) {BARS_SAID}$", r"count(\1, \2) == 1 and \1"),
    (rf"^first close (above|below) (.+?) in (\d+) {BARS_SAID}$", r"count(close \1 \2, \3) == 1 and close \1 \2"),
    (r"^first time (.+?) (above|below) (.+)$", r"\1 crosses \2 \3"),
    (rf"\b(?:({VALUE}) )?(?:leaves|leaving|exits|exiting|out of) (oversold|overbought)\b", _out_of_levels),
    (r"\b(rsi|mfi|adx|stoch|cci)((?:\([^()]*\))?) (\d+) ?- ?(\d+)$", r"\1\2 between \3 and \4"),
    (rf"({VALUE}) not between\b", r"not \1 between"),
    (rf"\b(?:{_AVERAGE}) of ({VALUE}) (?:over|in|of|for) (?:last )?(\d+) {BARS_SAID}", r"sma(\1, \2)"),
    (rf"\bsmoothed ({VALUE})", r"ema(\1)"),
    (r"^(.+?) after (\d+ (?:up|down|green|red) (?:days?|bars?|candles?))$", r"\2 then \1 within 1 bars"),
    (rf"\bfollowed by ({VALUE}|(?:green|red|up|down) (?:bar|candle|day))$", r"then \1 within 1 bars"),
    (r"\b(\d+) (inside|outside) (?:bars?|days?)\b", r"\2_bar for \1 bars"),
    (rf"\b(higher|lower) (high|low|close)s? for (?:last )?(\d+) {BARS_SAID}",
     lambda m: f"{m[2]} {'>' if m[1] == 'higher' else '<'} prev({m[2]}) for {m[3]} bars"),
    (r"\bconsecutive (?=higher|lower)", ""),
    (r"\b(?:low volatility|volatility low|quiet)\b", "percentile(atr_percent) < 20"),
    (r"\b(?:high volatility|volatility high)\b", "percentile(atr_percent) > 80"),
    (r"\btight (?:range|consolidation|bars|closes)\b", f"tightness > {CATALOGUE['tightness'].outputs[0].levels[0]:g}"),
    (rf"\bvolume ({NUMBER})\s*% (above|below|over|under) (?:average|normal|usual)(?: volume)?\b(?! \d)",
     lambda m: f"volume {'>' if m[2] in ('above', 'over') else '<'} sma(volume) by {m[1]}%"),
    (rf"\bvolume ({NUMBER}) \* (?:average|normal|usual)\b", r"volume > \1 * sma(volume)"),
    (rf"\bdistance (?:from|to) ({SIDE})", r"abs(100 * (close / \1 - 1))"),
    (rf"\b(?:less|no more) than ({NUMBER})\s*% (?:away )?from\b", r"within \1% of"),
    (rf"\b(?:({_PRICE}) )?more than ({NUMBER})\s*% (?:away )?from ({SIDE})", r"not close within \2% of \3"),
    (rf"\b(?:more than|at least|over) (?={NUMBER}(?: \*)? ?atrs?\b)", ""),
    (rf"\b(?:({_PRICE}) )?({NUMBER})(?: \*)? ?atrs? (?:extended|away|stretched)? ?from ({SIDE})", r"abs(close - \3) > \2 * atr"),
    (rf"\bextended (?:above|from) ({SIDE})", r"close > \1 by 2 * atr"),
    (r"\bcloses? in (?:top|upper) 0\.5 \*\s*(?:bar_)?range\b", "close > high - 0.5 * bar_range"),
    (r"\bcloses? in (?:bottom|lower) 0\.5 \*\s*(?:bar_)?range\b", "close < low + 0.5 * bar_range"),
    (rf"\b(?:({_PRICE}) )(?:at|on) (?:day )?(high|low)(?: of day)?$", r"close == \2"),
    (r"\bat (?=new (?:highs?|lows?)$)", ""),
    (rf"({VALUE}) at (?:a )?(?:new )?(\d+)[ -]{BARS_SAID} (high|low)",
     lambda m: f"{m[1]} == {'highest' if m[3] == 'high' else 'lowest'}({m[3] if m[1] in ('close', 'price') else m[1]}, {m[2]})"),
    (rf"^at (?:a )?(?:new )?(\d+)[ -]{BARS_SAID} (high|low)", lambda m: f"{m[2]} == {'highest' if m[2] == 'high' else 'lowest'}({m[2]}, {m[1]})"),
    (r"\bon (?=(?:falling|rising|high|low|heavy|light|increasing|decreasing) volume)", "and "),
    (rf"\b({_PRICE}) (up|down)(?=$|,| and\b| while\b)", lambda m: f"{m[1]} {'>' if m[2] == 'up' else '<'} prev({m[1]})"),
    (r"^(up|down)(?= and\b| while\b|$)", lambda m: f"close {'>' if m[1] == 'up' else '<'} prev(close)"),
    (rf"\b(?:({VALUE}) )?(oversold|overbought)\b", _of_levels),
    (r"\bnew all[- ]time (high|low)\b", r"new ever \1"),
    (r"\ball[- ]time high\b", f"(highest(high) since {EVER})"),
    (r"\ball[- ]time low\b", f"(lowest(low) since {EVER})"),
    (r"\bnew (?:ever )?highs?\b", (f"high > prev(highest(high) since {EVER})", "high > prev(highest(high) since first_bar)")),
    (r"\bnew (?:ever )?lows?\b", (f"low < prev(lowest(low) since {EVER})", "low < prev(lowest(low) since first_bar)")),
    (rf"\bnew (\d+) {BARS_SAID} closing high\b", r"close > prev(highest(close, \1))"),
    (rf"\bnew (\d+) {BARS_SAID} closing low\b", r"close < prev(lowest(close, \1))"),
    (rf"({VALUE}) (?:at )?{_MORE} (?:in|of|for) (?:last )?(\d+) {BARS_SAID}", r"largest(\1, \2)"),
    (rf"({VALUE}) (?:at )?{_LESS} (?:in|of|for) (?:last )?(\d+) {BARS_SAID}", r"smallest(\1, \2)"),
    (rf"\b(\d+)[ -]{BARS_SAID} breakout\b", r"close > prev(highest(high, \1))"),
    (rf"\b(\d+)[ -]{BARS_SAID} breakdown\b", r"close < prev(lowest(low, \1))"),
    (r"\bbreakout\b", ("close crosses above prev(donchian.upper)", "close > prev(levels.resistance)")),
    (r"\bbreakdown\b", ("close crosses below prev(donchian.lower)", "close < prev(levels.support)")),
    (r"\b(?:close )?(?:breaks?|broke|crosses|above)(?: above| through| over)? resistance\b", "close > prev(levels.resistance)"),
    (r"\b(?:close )?(?:breaks?|broke|crosses|below)(?: below| through| under)? support\b", "close < prev(levels.support)"),
    (rf"\b({VALUE}) (?:at|near|on) (support|resistance)\b",
     lambda m: f"{m[1]} and {'low' if m[2] == 'support' else 'high'} within 1% of levels.{m[2]}"),
    (r"\b(resistance|support)\b(?<!\.resistance)(?<!\.support)", r"levels.\1"),
    (rf"\bfirst {BARS_SAID} (above|below) ({SIDE})", r"close crosses \1 \2"),
    (rf"\b(?:({OF_PRICE}) )?crosse[sd] (above|below) (.+?) yesterday$", lambda m: f"prev({m[1] or 'close'} crosses {m[2]} {m[3]})"),
    # A price of so many bars ago, or the crossing itself so long ago: it is said alike.
    (rf"\b(?:({OF_PRICE}) )?crosse[sd] (above|below) ({OF_PRICE}) (\d+) {BARS_SAID} ago$",
     (lambda m: f"{m[1] or 'close'} crosses {m[2]} ago({m[3]}, {m[4]})", lambda m: f"ago({m[1] or 'close'} crosses {m[2]} {m[3]}, {m[4]})")),
    (rf"\b(?:({OF_PRICE}) )?crosse[sd] (above|below) (.+?) (\d+) {BARS_SAID} ago$",
     lambda m: f"ago({m[1] or 'close'} crosses {m[2]} {m[3]}, {m[4]})"),
    (r"\bgolden cross\b", "sma(50) crosses above sma(200)"),
    (r"\bdeath cross\b", "sma(50) crosses below sma(200)"),
    (r"\b(?:this) (week|month|year|session|day)s? high\b", _since("highest", "high")),
    (r"\b(?:this) (week|month|year|session|day)s? low\b", _since("lowest", "low")),
    (r"\b(?:this) (week|month|year|session|day)s? open\b", _since("first", "open")),
    (rf"\b(up|down) (?:by |more than |over )?({NUMBER})\s*% (?:this|so far this|on|for) ({_STRETCH})\b", _moved),
    (rf"\b(up|down) (?:by |more than |over )?({NUMBER})\s*% (?:in|over|within) (?:last |past )?(\d+ )?(week|month|quarter|year)s?\b", _moved_over),
    (r"\b(week|month|year) to date (?:return|change|gain|performance)\b",
     lambda m: f"(100 * (close / (first(open) since {_EDGE[m[1]]}) - 1))"),
    (rf"\b(up|down) (?:by |more than |over )?({NUMBER})\s*% from (?:high|peak)$",
     lambda m: f"close {'<' if m[1] == 'down' else '>'} (highest(high) since {EVER}) by {m[2]}%"),
    (rf"\b(up|down) (?:by |more than |over )?({NUMBER})\s*% from ({SIDE}|.+)$",
     lambda m: f"close {'<' if m[1] == 'down' else '>'} {m[3]} by {m[2]}%"),
    (rf"^(?:at least |more than )?({NUMBER})\s*% (below|above|under|over|off|from) (.+)$",
     lambda m: f"close {'>' if m[2] in ('above', 'over') else '<'} {m[3]} by {m[1]}%"),
    (rf"(?:%|percent(?:age)?) change (?:over|in|of) (?:last )?(\d+) {BARS_SAID}", r"roc(close, \1)"),
    (r"(?:%|\bpercent(?:age)?) change\b", "roc(close, 1)"),
    (r"\b(\d+) (up|green|higher|down|red|lower) (?:closes|days?)(?: in (?:a )?row)?\b(?! (?:high|low|of|in|out))",
     (lambda m: f"close {'>' if m[2] in ('up', 'green', 'higher') else '<'} prev(close) for {m[1]} bars",
      lambda m: f"{'up' if m[2] in ('up', 'green', 'higher') else 'down'}_bar for {m[1]} bars")),
    (r"\b(\d+) (up|green|down|red) (?:candles?|bars?)(?: in (?:a )?row)?\b(?! in)",
     lambda m: f"{'up' if m[2] in ('up', 'green') else 'down'}_bar for {m[1]} bars"),
    (rf"\b(?:({OF_PRICE})s? )?(up|down|higher|lower) (?:for )?(\d+) {BARS_SAID}(?: in (?:a )?row| running| straight)?$",
     lambda m: f"{m[1] or 'close'} {'>' if m[2] in ('up', 'higher') else '<'} prev({m[1] or 'close'}) for {m[3]} bars"),
    (rf"\b(?:({OF_PRICE}) )?touch(?:es|ed|ing)? (.+)$", r"low <= \2 and high >= \2"),
    (r"\bbounce[sd]? (?:off|from|at) (.+)$", r"low <= \1 and close > \1"),
    (r"\bpull(?:s|ed)?[ -]?back(?:s)? to (.+)$", r"low crosses below \1"),
    (r"\b(?:up ?trend|trending up)\b", "swing_trend == 1"),
    (r"\b(?:down ?trend|trending down)\b", "swing_trend == -1"),
    (r"\bstrong (?=swing_trend)", f"{TREND} > {CATALOGUE['adx'].outputs[0].levels[-1]:g} and "),
    (r"^trending$", f"{TREND} > {CATALOGUE['adx'].outputs[0].levels[0]:g}"),
    (r"\bsideways\b|\branging\b|\brange[- ]?bound\b", f"{TREND} < {CATALOGUE['adx'].outputs[0].levels[0]:g}"),
    (rf"({VALUE}) ({_RELATION}) ({NUMBER}) and (?=turn)", r"\1 \2 \3 and \1 "),
    (rf"({VALUE}) turn(?:s|ing|ed) (up|down)\b", _turning),
    (rf"({VALUE}(?: \w+)?) (?:turns|becomes|goes|gets|flips) positive\b", r"\1 crosses above 0"),
    (rf"({VALUE}(?: \w+)?) (?:turns|becomes|goes|gets|flips) negative\b", r"\1 crosses below 0"),
    (rf"({VALUE}(?: \w+)?) positive\b", r"\1 > 0"),
    (rf"({VALUE}(?: \w+)?) negative\b", r"\1 < 0"),
    (r"\bvolatility (?:contraction|contracting|squeeze)\b", "compression.on"),
    (rf"({VALUE}) (?:sloping up|expanding|widening)\b", r"\1 > prev(\1)"),
    (rf"({VALUE}) (?:sloping down|contracting|narrowing)\b", r"\1 < prev(\1)"),
    (r"\b(?:volume (?:spike|surge|explosion)|(?:unusual|high|heavy|big) volume)\b", "rel_volume > 2"),
    (r"\b(?:volume (?:dries|drying|dried) up|(?:low|light|thin) volume)\b", "rel_volume < 0.5"),
    (r"\b(?:big|large|wide|long) (?:candle|bar|range)\b", "bar_range > 1.5 * atr"),
    (r"\b(?:small|narrow|short) (?:candle|bar|range)\b(?! \d)", "bar_range < 0.5 * atr"),
    (r"\bnr ?(\d+)\b|\bnarrow range (\d+)\b", lambda m: f"smallest(bar_range, {m[1] or m[2]})"),
    (r"\blong (upper|lower) (?:wick|shadow|tail)\b", r"\1_wick > 2 * abs(body)"),
    (r"\b(bullish|bearish) divergence(?: (?:of|in|on|with) (.+))?$",
     lambda m: f"divergence({m[2] or 'rsi'}).{m[1]}"),
    (rf"\b({VALUE}) (bullish|bearish) divergence\b", r"divergence(\1).\2"),
    (rf"\b({VALUE}) divergence$", (r"divergence(\1).bullish", r"divergence(\1).bearish")),
    (r"\bmacd cross(?:es|ed) (above|below|over|under)? ?(?:its )?signal(?: line)?\b", r"macd.line crosses \1 macd.signal"),
    (r"\bmacd cross(?:over|es)?$", "macd.line crosses macd.signal"),
    (r"\bstoch(?:astic)? k crosses (above|below|over|under)? ?(?:stoch )?d\b", r"stoch.k crosses \1 stoch.d"),
    (r"\bdonchian high\b", "donchian.upper"), (r"\bdonchian low\b", "donchian.lower"),
    (rf"({SIDE}) ({NUMBER}) (?:stdevs?|standard deviations?|sigmas?) (above|below) ({SIDE})",
     lambda m: f"{m[1]} {'>' if m[3] == 'above' else '<'} {m[4]} {'+' if m[3] == 'above' else '-'} {m[2]} * stdev(20)"),
    (r"\b(?:between|from) " + _CLOCK + r" (?:and|to|-|until) " + _CLOCK + r"\b", _between_clocks),
    (r"\bnoon\b", "12:00"), (r"\bmidday\b", "12:00"),
    (r"\b(?:after|from|past) (\d{1,2})(:\d\d)? ?(am|pm)\b", lambda m: f"60 * hour + minute >= {_minutes(m[1], m[2] and m[2][1:], m[3])}"),
    (r"\b(?:before|until) (\d{1,2})(:\d\d)? ?(am|pm)\b", lambda m: f"60 * hour + minute < {_minutes(m[1], m[2] and m[2][1:], m[3])}"),
    (r"\bat " + r"(\d{1,2}):(\d\d)()", _at_clock("==")),
    (r"\b(?:in|during|within) (?=first \d+ min|last \d+ min|first hour|last hour)", ""),
    (rf"\bonly (?:on )?(?=(?:{'|'.join(ORDERED)}))", ""),
    (r"\bfirst (?:trading )?(?:day|bar|session) of (month|week|year)\b", lambda m: _EDGE[m[1]]),
    (r"\b(?:start|beginning) of (month|week|year)\b", lambda m: _EDGE[m[1]]),
    (rf"([<>]=?|above|over|below|under|than) ({NUMBER}) ?(?:mn|mln|M|m(?=$| and\b| or\b))", lambda m: f"{m[1]} {float(m[2]) * 1e6:.15g}"),
    (r"\b(?:outperforms|outperforming|stronger than|beats|relative strength (?:vs|versus|against|to)) \s*(§\d+§)",
     r"roc > (roc of \1)"),
    (r"\b(?:underperforms|underperforming|weaker than|lags) \s*(§\d+§)", r"roc < (roc of \1)"),
    (rf"({VALUE}) / ({OF_PRICE}) of \s*(§\d+§) (?:rising|growing)\b", r"\1 / (\2 of \3) > prev(\1 / (\2 of \3))"),
    (r"\bcorrelation (?:with|to) \s*(§\d+§)", r"correlation(close, close of \1)"),
    (r"\bbeta (?:to|with|vs|against) \s*(§\d+§)", r"beta(60, \1)"),
    (rf"\btop ({NUMBER})\s*% (?:by |in )?((?!of\b|range\b){VALUE})", lambda m: f"rank({m[2]}) >= {100 - float(m[1]):g}"),
    (rf"\bbottom ({NUMBER})\s*% (?:by|in) ({VALUE})", r"rank(\2) <= \1"),
    (rf"\b(?:in )?(?:strongest|top|best) ({NUMBER})\s*%$", lambda m: f"rank(roc) >= {100 - float(m[1]):g}"),
    (rf"({SIDE}) ([<>]=?|above|below|over|under) ((?:{VALUE}(?: ?\d+)?, )+{VALUE}(?: ?\d+)? and {VALUE}(?: ?\d+)?)$", _over_each),
    (rf"^((?!.*\b(?:then|followed)\b).*?) within (?:last )?(\d+) {BARS_SAID}(?! of)", r"\1 in last \2 bars"),
    (r"\bnear(?:ing)?(?: to)?\b", "within 1% of"),
    (rf"({OF_PRICE}) close to (?={VALUE})", r"\1 within 1% of "),
)  # fmt: skip
