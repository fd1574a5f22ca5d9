"""What a text that can't be read was probably meant to say, as texts that can.

Traders type what they would say. Rules turn phrases into the language, one kind after another: numbers,
time, noun phrases, relations, words over time, other bars. What comes out is checked like anything else,
and only what makes sense is offered; where there are several readings, all are.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.guessing.accounting import accounted
from zealous_sieve.core.formula.guessing.parts import OF_PRICE, Rewriting, synonyms
from zealous_sieve.core.formula.guessing.rules import rules, wording
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.functions.catalogue import SOURCES
from zealous_sieve.core.functions.specification import CATALOGUE

_MOST = 4
"""So many readings are offered."""
BRANCHES = 6
"""So many are followed while rules are applied."""
REPAIRS = 6
"""So many names are put right in one text."""
_LONGEST_NAME = 40
SPELLED = 0.8
"""How near a word has to be to one it may be a slip of the finger for."""
COMPARED_BY = ("above", "below", "between", "crosses", "crossed", "greater", "higher", "lower", "within",
               "yesterday", "previous", "average", "volume", "highest", "lowest", "rising", "falling")  # fmt: skip
LONGEST = 600
"""Characters of a text that is guessed at: what is longer was not typed as a first try."""

_Check = Callable[[str], Formula]


@dataclass(frozen=True, kw_only=True, slots=True)
class Guess:
    """A text that can be read, and how it was understood."""

    text: str
    formula: Formula


def guesses(text: str, check: _Check, market: Market | None = None) -> tuple[Guess, ...]:
    """Readings of a text that can't be read as it stands, the likeliest first."""
    if len(text) > LONGEST:
        return ()
    found: dict[str, Guess] = {}
    for candidate in _rewritten(text, market):
        understood = _repaired(candidate, check, market)
        if understood is not None and accounted(text, understood) and _sensible(understood, market):
            written = canonical.write(understood.program)
            found.setdefault(written, Guess(text=written, formula=understood))
        if len(found) == _MOST:
            break
    return tuple(found.values())


def _sensible(formula: Formula, market: Market | None) -> bool:
    """Whether no fact that is a text is held against others as if it were a number."""
    texts = {fact for fact, _ in market.values} if market else set()
    pattern = r'fact\("([^"]+)"\)\)? (?:[<>]|crosses|rising|falling)'
    return not any(name in texts for name in re.findall(pattern, canonical.write(formula.program)))


# Names


def _repaired(text: str, check: _Check, market: Market | None) -> Formula | None:
    """The formula, with names put right that nobody knows."""
    for _ in range(REPAIRS):
        try:
            return check(text)
        except FormulaError as error:
            mended = _mended(text, error.problem, market)
            if mended is None or mended == text:
                return None
            text = mended
    return None


def _mended(text: str, problem: Problem, market: Market | None) -> str | None:
    lines = text.split("\n")
    place = problem.place
    if place is None or place.line > len(lines):
        return None
    line, start = lines[place.line - 1], place.column - 1
    output = re.match(r'"(\w+)" is not an output of (\w+)', problem.message)
    word = re.compile(rf"(?<=\.){output[1]}" if output else r"\w+").search(line, start)
    if word is None:
        return None
    start, end, name = word.start(), word.end(), word[0]
    if problem.code == "needs_output":
        close = _closing(line, end)
        first = CATALOGUE[name].outputs[0].name if name in CATALOGUE else None
        new = line[:close] + f".{first}" + line[close:] if first else None
    elif problem.code == "unknown_name":
        better = _output(name, output[2]) if output else _known(name, market)
        new = line[:start] + better + line[end:] if better else None
    else:
        new = None
    if new is None:
        return None
    lines[place.line - 1] = new
    return "\n".join(lines)


def _output(name: str, function: str) -> str | None:
    outputs = (
        [output.name for output in CATALOGUE[function].outputs] if function in CATALOGUE else []
    )
    near = difflib.get_close_matches(name.casefold(), outputs, n=1, cutoff=0.6)
    return near[0] if near else None


def _closing(line: str, at: int) -> int:
    """Where the call that opens at a place is over."""
    depth = 0
    for n in range(at, len(line)):
        depth += {"(": 1, ")": -1}.get(line[n], 0)
        if depth == 0:
            return n + 1 if line[n] == ")" else at
    return at


def _known(name: str, market: Market | None) -> str | None:
    """What a word was meant to name: by meaning, then by the distance of letters."""
    asked = name.casefold()
    if len(asked) > _LONGEST_NAME:
        return None
    meant = synonyms().get(asked.replace("_", " "))
    if meant is not None:
        return meant
    facts = {fact.casefold(): f'fact("{fact}")' for fact in (market.facts if market else ())}
    if asked in facts:
        return facts[asked]
    names = {*SOURCES, *CATALOGUE}
    squeezed = {n.replace("_", ""): n for n in names}
    near = difflib.get_close_matches(asked.replace("_", ""), squeezed, n=1, cutoff=0.75)
    return squeezed[near[0]] if near else None


def _rewritten(text: str, market: Market | None) -> Iterator[str]:
    """The text with phrases turned into the language, once for each way to read them."""
    quoted: list[str] = []

    def keep(match: re.Match[str], inside: str | None = None) -> str:
        quoted.append(f'"{match[0][1:-1] if inside is None else inside}"')
        return f" §{len(quoted) - 1}§ "

    said = re.sub(
        r"^\s*(?!show\b|input\b)(\w+)\s*=(?!=)(?=[^=<>\"']*[-+*/(][^=<>\"']*$)",
        _named,
        re.sub(r"[\s.,;]+$", "", text.replace("§", " ").lstrip()),
    )
    said = re.sub(r"(\w)['’]s\b", r"\1s", said)
    said = re.sub(r"(\w)n['’]t\b", r"\1nt", said)
    said = re.sub(r'"[^"\n]*"|\'[^\'\n]*\'|“[^”\n]*”', keep, said)
    if market is not None:
        known = market
        said = re.sub(
            r"\b[A-Z][A-Z0-9]+\b", lambda m: keep(m, m[0]) if m[0] in known.codes else m[0], said
        )
        said = _of_the_market(said, market, keep)
    said = _spelled(said)
    said = _compared(re.sub(r"\b(\d+)M\b", r"\1±", said).lower().replace("±", "M"))
    branches = [said]
    for pattern, ways in rules():
        if any(map(pattern.search, branches)):
            branches = [way for branch in branches for way in _applied(branch, pattern, ways)]
            branches = list(dict.fromkeys(branches))[:BRANCHES]
    for branch in branches:
        for way in _breakouts(_balanced(branch.strip())):
            yield re.sub(r"§(\d+)§", lambda found: quoted[int(found[1])], way)


Keep = Callable[[re.Match[str], str], str]
"""Puts a text in quotes aside and gives what stands for it."""


def _of_the_market(text: str, market: Market, keep: Keep) -> str:
    """Facts and kinds of events by their names, in small words as well."""

    def change(pattern: str, wording: str, *names: str) -> None:
        nonlocal text

        def say(match: re.Match[str]) -> str:
            return wording.format(*(keep(match, name) for name in names), *match.groups())

        text = re.sub(pattern, say, text, flags=re.I)

    for kind in market.events:
        event, due = _called(kind), r"(?: (?:the )?(?:next|last))?"
        when = rf"{event} (?:in|within|during)(?: the)?{due} (\d+) days?"
        change(rf"\bdays? (?:to|until|before){due} {event}\b", "days_to_event({})", kind)
        ahead = rf"{event} for(?: the)? next (\d+) days?"
        change(rf"\bno {ahead}\b", "days_to_event({}) > {}", kind)
        change(rf"\b{event} tomorrow\b", "days_to_event({}) == 1", kind)
        change(rf"\b(?:no|not|without)(?: an?)? {when}\b", "days_to_event({}) > {}", kind)
        change(rf"\b{when}\b", "days_to_event({}) <= {}", kind)
        change(
            rf"\b{event} (?:in|within) (?:a|one|the next) week\b", "days_to_event({}) <= 7", kind
        )
        change(rf"\bdays? since{due} {event}\b", "days_since_event({})", kind)
    if len(market.indexes) == 1:
        (index,) = market.indexes
        change(r"\b(?:the )?index\b(?!\s*§)", "{}", index)
    for fact in market.facts - {*SOURCES, *CATALOGUE}:
        bare = rf"(?<![\w\"§]){re.escape(fact).replace('_', '[_ ]')}(?![\w\"(])"
        for value in dict(market.values).get(fact, ()):
            change(
                rf"{bare}\s*(?:is|equals|=|==)?\s*{re.escape(value)}\b",
                "fact({}) == {}",
                fact,
                value,
            )
            change(rf"\b{re.escape(value)} {bare}", "fact({}) == {}", fact, value)
        change(bare, "fact({})", fact)
    return text


OTHER_EVENTS = {"report": ("earnings", "results")}
"""What else kinds of events are called."""


def _called(kind: str) -> str:
    return rf"(?:{'|'.join(map(re.escape, (kind, *OTHER_EVENTS.get(kind, ()))))})s?"


def _spelled(text: str) -> str:
    """Words put right that nearly are one of those the rules look for, and name nothing."""
    names = {*SOURCES, *CATALOGUE}

    def change(match: re.Match[str]) -> str:
        word = match[0].casefold()
        if word in wording() or word in names or word.rstrip("s") in wording():
            return match[0]
        near = difflib.get_close_matches(word, COMPARED_BY, n=1, cutoff=SPELLED)
        return near[0] if near else match[0]

    return re.sub(r"(?<![\w§])[A-Za-z]{5,}(?![\w(§])", change, text)


def _named(match: re.Match[str]) -> str:
    """A name that is given to a number is shown, where there is nothing else to show."""
    is_ours = match[1].casefold() in {*SOURCES, *CATALOGUE, *synonyms()}
    return match[0] if is_ours else f"show {match[1]} ="


def _compared(text: str) -> str:
    """A single = compares, except where it defines a name or gives an argument."""
    names = {*SOURCES, *CATALOGUE}

    def change(match: re.Match[str]) -> str:
        before = text[: match.start()]
        argument = re.search(r"[(,]\s*\w+\s*$", before)
        defined = re.search(r"(?:^|\n)\s*(?:input\s+|show\s+)?(\w+)\s*$", before)
        kept = argument or (defined and defined[1] not in names)
        return "=" if kept else "=="

    return re.sub(r"(?<![<>=!])=(?![=<>])", change, text)


def _applied(text: str, pattern: re.Pattern[str], ways: tuple[Rewriting, ...]) -> list[str]:
    if not pattern.search(text):
        return [text]
    return [re.sub(r"[^\S\n]+", " ", pattern.sub(way, text)).strip(" ") for way in ways]


def _balanced(text: str) -> str:
    """Brackets that were left open are closed at the end; closing ones without an open one go."""
    depth, kept = 0, []
    for sign in text:
        if sign == ")" and depth == 0:
            continue
        depth += {"(": 1, ")": -1}.get(sign, 0)
        kept.append(sign)
    return "".join(kept) + ")" * depth


def beyond_before(text: str) -> str | None:
    """A formula that holds a price against the extreme of bars among which it is itself, so that it can never
    be beyond, as one of the bars before; ``None`` where there is no such thing in it."""
    meant, *as_it_was = _breakouts(text)
    return meant if as_it_was else None


def _breakouts(text: str) -> list[str]:
    """Nothing is beyond an extreme that it belongs to: what is meant is that of the bars before."""
    extreme = rf"((?:highest|lowest)\((?:{OF_PRICE}), \d+\))"
    beyond = rf"\b(close|high|low|open) (>|<|crosses above|crosses below) {extreme}"
    meant = re.sub(beyond, r"\1 \2 prev(\3)", text)
    return [meant] if meant == text else [meant, text]
