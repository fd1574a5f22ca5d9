"""What is said back: read through once by eye and kept, and read back by a second small reader."""

from __future__ import annotations

import re
from pathlib import Path
from random import Random

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.bars import calls_of, example_calls, market_of, panel_of
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check, check_condition
from zealous_sieve.core.formula.speech.mentioned import parts
from zealous_sieve.core.formula.speech.sentence import read, say
from zealous_sieve.core.functions.specification import CATALOGUE, Kind
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.core.sieve.prepare import truth_of as term_of

KEPT = Path(__file__).with_name("sentences.txt")
PANEL = panel_of(420, seed=5)


def said(text: str, back: int = 0) -> str:
    """How a condition stands so many bars before the newest."""
    formula = check(text)
    own = {key: typed.term for key, typed in parts(formula).items()}
    found = evaluate(own, PANEL, last=back + 1)
    return say(formula, {key: float(column[0, 0]) for key, column in found.items()})


def test_sentences_are_those_that_were_read_through() -> None:
    """To keep others: ``python -m tests.core.test_sentences``, and read what changed."""
    blocks = KEPT.read_text("utf-8").strip().split("\n\n")
    assert len(blocks) >= 150
    texts = [block.split("\n")[0] for block in blocks]
    demo = {c.formula for sieve in EXAMPLES for c in sieve.conditions}
    assert demo <= set(texts)
    assert blocks == [block_of(text) for text in texts]


def test_every_result_of_the_catalogue_has_its_phrase_and_is_read_through() -> None:
    whole = KEPT.read_text("utf-8")
    unsaid = {"prev", "ago"}
    for function in CATALOGUE.values():
        assert function.said or all(o.said for o in function.outputs) or function.name in unsaid
        assert re.search(rf"\b{function.name}\b", whole)


def block_of(text: str) -> str:
    return f"{text}\n    {read(check(text))}\n    {said(text)}"


def truth_of(sentence: str) -> bool | None:
    """The truth that a sentence tells of one condition."""
    if sentence.startswith("Whether ") or " whether " in sentence:
        return None
    if found := re.search(r"^On (none|\d+) of the last .*; at least (\d+) are asked$", sentence):
        return (0 if found[1] == "none" else int(found[1])) >= int(found[2])
    if re.search(r"^On none of ", sentence):
        return False
    if re.search(r"for \d+ bars? now$", sentence):
        return True
    if re.search(r"(bars? only; \d+ are asked|; \d+ bars are asked)$", sentence):
        return False
    number = r"([\d.,]+)"
    if found := re.search(
        rf" (?:is|was) {number} % (above|below) .*; at least {number} % (above|below) is asked$",
        sentence,
    ):
        moved, asked = (float(found[n].replace(",", "")) for n in (1, 3))
        return found[2] == found[4] and moved >= asked
    if found := re.search(
        rf" (?:is|was) {number} % from .*; at most {number} % is asked$", sentence
    ):
        return float(found[1]) <= float(found[2])
    return not re.search(r"\b(is not|was not|does not|did not)\b", sentence)


NAMES = (
    "close",
    "open",
    "high",
    "low",
    "sma(close, 12)",
    "ema(close, 30)",
    "prev(high)",
    "highest(high, 9)",
)
VALUES = st.sampled_from((*NAMES, "close + 1.5 * atr(11)", "ago(low, 4)", "80", "95.5"))
SIMPLE = st.one_of(
    st.tuples(VALUES, st.sampled_from([">", "<", ">=", "<=", "==", "!="]), VALUES).map(" ".join),
    st.tuples(VALUES, VALUES).map(lambda t: f"{t[0]} crosses above {t[1]}"),
    st.tuples(VALUES, st.sampled_from("<>"), VALUES).map(lambda t: f"{t[0]} {t[1]} {t[2]} by 2.5%"),
    st.tuples(VALUES, VALUES).map(lambda t: f"{t[0]} within 3% of {t[1]}"),
    st.tuples(VALUES, VALUES, VALUES).map(lambda t: f"{t[0]} between {t[1]} and {t[2]}"),
)
TIMED = st.one_of(
    SIMPLE,
    SIMPLE.map(lambda c: f"{c} in last 4 bars"),
    SIMPLE.map(lambda c: f"{c} for 3 bars"),
    SIMPLE.map(lambda c: f"{c} at least 2 of 5 bars"),
    SIMPLE.map(lambda c: f"{c} on 1w"),
)


@settings(max_examples=200, deadline=None)
@given(TIMED, st.integers(0, 60))
def test_a_sentence_tells_the_truth_that_the_engine_gives(text: str, back: int) -> None:
    formula = check_condition(text)
    assume(formula.value is not None and formula.value.number is None)
    assert formula.value is not None
    truth = float(evaluate({"": formula.value.term}, PANEL, last=back + 1)[""][0, 0])
    told = truth_of(said(text, back))
    assert told is (None if truth != truth else truth == 1.0), said(text, back)


TRUTHS = [
    (
        call,
        function.output(call.rpartition(".")[2]) if function.outputs[1:] else function.outputs[0],
    )
    for function in CATALOGUE.values()
    if function.name not in ("days_to_event", "fact", "in_session")
    for call in calls_of(function)
]
CONDITIONS = [call for call, output in TRUTHS if output and output.kind == Kind.TRUTH]
DIRECTIONS = [
    f"{call} == {side}" for call, output in TRUTHS if output and output.states for side in (1, -1)
]


@pytest.mark.parametrize("text", [*CONDITIONS, *DIRECTIONS])
def test_what_is_said_of_a_condition_of_the_catalogue_is_what_holds(text: str) -> None:
    """Yes and no are said in two ways, each where it is so, and unknown in a third."""
    formula = check(text)
    assert formula.value is not None
    truths = evaluate({"": formula.value.term}, PANEL, last=80)[""][0]
    told: dict[float, set[str]] = {1.0: set(), 0.0: set(), -1.0: set()}
    for back in range(0, 80, 4):
        truth = float(truths[-1 - back])
        told[truth if truth == truth else -1.0].add(re.sub(r"-?[\d.,]+", "#", said(text, back)))
    yes, no, unknown = told.values()
    assert not yes & no
    assert all(sentence.startswith("Whether ") for sentence in unknown)
    assert not any(sentence.startswith("Whether ") for sentence in yes | no)
    asked = re.sub(r"-?[\d.,]+", "#", read(formula))
    assert yes <= {asked}, "where it holds it is said as it is asked"


def _varied(call: str) -> list[str]:
    """A call, and the same with each of its arguments changed."""
    name, _, rest = call.partition("(")
    inside, _, output = rest.rpartition(")")
    if not inside:
        return [call]
    given = [part.strip() for part in inside.split(", ")]
    others = [call]
    for n, own in enumerate(given):
        changed = None
        if own in ("close", "hl2", "low"):
            changed = "volume"
        elif own == "close > open":
            changed = "high > prev(high)"
        elif own.replace(".", "", 1).isdigit():
            changed = f"{float(own) + 1:g}"
        if changed is not None:
            others.append(f"{name}({', '.join([*given[:n], changed, *given[n + 1 :]])}){output}")
    return others


@pytest.mark.parametrize("call", example_calls())
def test_formulas_that_differ_somewhere_are_never_said_alike(call: str) -> None:
    """Every function with each of its arguments changed, bare, denied, over time and on slower bars."""
    said: dict[str, tuple[str, list[float]]] = {}
    panel = market_of(days=4)
    for text in _varied(call):
        try:
            value = check(text).value
        except FormulaError:
            continue
        assert value is not None
        truth = text if value.kind == Kind.TRUTH else f"{text} > prev({text})"
        for form in ("{0}", "not ({0})", "({0}) for 2 bars", "({0}) in last 2 bars", "({0}) on 80m",
                     "(({0}) on 80m) for 2 bars", "(({0}) for 2 bars) on 80m", "prev({0})",
                     "({0}) then volume > 60 within 3 bars",
                     "not (({0}) then volume > 60 within 3 bars)"):  # fmt: skip
            formula = check_condition(form.format(truth))
            column = evaluate({"": term_of(formula)}, panel)[""]
            sentence, seen = read(formula), np.nan_to_num(column, nan=-1.0).tolist()
            before = said.setdefault(sentence, (form.format(truth), seen))
            assert before[1] == seen, (sentence, before[0], form.format(truth))


LEAVES = ("close > open", "high > prev(high)", "volume > 60", "close crosses above sma(close, 5)")
JOINED = (
    "({0}) and ({1})", "({0}) or ({1})", "({0}) then ({1}) within 3 bars", "({0}) until ({1})",
    "at least 1 of (({0}), ({1}), volume < 70)", "at least 2 of (({0}), ({1}), volume < 70)",
    "({0}) and ({1}) and low < prev(low)", "({0}) or ({1}) or low < prev(low)",
    "if_then(({0}), close, open) > if_then(({1}), open, low)",
)  # fmt: skip
WRAPPED = (
    "not ({0})", "({0}) for 2 bars", "({0}) in last 2 bars", "({0}) at least 2 of 4 bars",
    "({0}) on 80m", "prev({0})", "ago(({0}), 2)", "count(({0}), 4) >= 2", "count(({0}), 4) < 2",
    "bars_since({0}) < 3", "bars_since(not ({0})) == 2", "bars_since(not ({0})) > 1",
    "when_last(({0}), close) < close", "sum(volume) since ({0}) > 200",
)  # fmt: skip


def drawn(chance: Random, deep: int) -> str:
    """A condition of a few leaves, joined, denied, counted, over time and on slower bars."""
    if deep == 0 or chance.random() < 0.15:
        return chance.choice(LEAVES)
    if chance.random() < 0.5:
        return chance.choice(WRAPPED).format(drawn(chance, deep - 1))
    return chance.choice(JOINED).format(drawn(chance, deep - 1), drawn(chance, deep - 1))


def test_drawn_conditions_that_differ_somewhere_are_never_said_alike() -> None:
    """3,000 conditions of up to three levels; run once with 100,000."""
    chance, panel, draws = Random(5), market_of(days=4), 3000
    formulas = {text: check_condition(text) for text in (drawn(chance, 3) for _ in range(draws))}
    said: dict[str, list[str]] = {}
    for text, formula in formulas.items():
        said.setdefault(read(formula), []).append(text)
    alike = {sentence: texts for sentence, texts in said.items() if len(texts) > 1}
    assert len(said) > draws / 4
    terms = {text: term_of(formulas[text]) for texts in alike.values() for text in texts}
    found = {text: np.nan_to_num(c, nan=-1.0) for text, c in evaluate(terms, panel).items()}
    for sentence, (first, *others) in alike.items():
        for other in others:
            assert (found[first] == found[other]).all(), (sentence, first, other)


if __name__ == "__main__":
    kept = [block.split("\n")[0] for block in KEPT.read_text("utf-8").strip().split("\n\n")]
    KEPT.write_text("\n\n".join(block_of(text) for text in kept) + "\n", "utf-8")
