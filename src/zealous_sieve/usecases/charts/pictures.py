"""What a function looks like on an instrument of the desk."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.completing.options import template
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.formula.words import PHRASES, RELATIONS_TOLD
from zealous_sieve.core.functions.catalogue import find
from zealous_sieve.core.functions.specification import Function, Kind
from zealous_sieve.core.functions.units import PRICE
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.core.sieve.drawing import near_prices
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError

_BARS = 110
"""So many bars are shown."""
TRIED = ("1d", "15m")
"""The bars on which a function is shown: the first on which it says anything."""
CONDITION = "close > prev(close)"
"""What is given to a function that asks for a condition."""


@dataclass(frozen=True, kw_only=True)
class Trace:
    """One output: a value a bar, null where unknown; conditions are 1 and 0. ``over`` says that it is drawn
    over the price."""

    name: str
    over: bool
    truth: bool
    values: list[float | None]


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A function on the last bars of an instrument; empty where it says nothing of any."""

    formula: str
    code: str
    bars: str
    closes: list[float]
    traces: tuple[Trace, ...]


def picture_of(outside: Outside, name: str) -> Picture:
    """The picture of a function of the catalogue, or of a word of the language. Raises NotFoundError."""
    if find(name) is None and name not in _WORDS:
        raise NotFoundError("function", name)
    return outside.compute.do(Order(), draw_function, name)


_WORDS = {phrase.pattern: phrase.example for phrase in (*PHRASES, *RELATIONS_TOLD)}
"""Words of the language and the signs between numbers, each with a piece that runs."""


def draw_function(desk: Desk, name: str) -> Picture:
    """A function with its usual arguments, or the example of a word, on the desk's example instrument."""
    function = find(name)
    call = _word(desk, name) if function is None else example(function, desk.reference.names)
    texts = {"value": call}
    if function is not None and function.outputs[1:]:
        texts = {output.name: f"{call}.{output.name}" for output in function.outputs}
    empty = Picture(formula=call, code="", bars="", closes=[], traces=())
    for own in _instruments(desk):
        for bars in TRIED:
            found = _on(desk, texts, call, own, bars)
            if any(value is not None for trace in found.traces for value in trace.values):
                return found
    return empty


def _word(desk: Desk, pattern: str) -> str:
    """The example of a word; the code in it is one that there is."""
    codes = sorted(desk.reference.names.codes) if desk.reference.names else []
    return _WORDS[pattern].replace('"CODE"', f'"{codes[0]}"' if codes else '"CODE"')


def example(function: Function, names: Market | None) -> str:
    """A call with usual arguments: of the close, of a rise, of what the market names."""
    market = names or Market()
    named = {
        "code": market.codes, "fact": _numeric(market), "event": market.events,
        "venue": market.venues, "currency": market.currencies,
    }  # fmt: skip
    call = re.sub(r"\.\$\{9:\w+\}$", "", template(function))
    call = re.sub(r"\$\{\d:truth\}", CONDITION, call)
    for parameter in function.parameters:
        if parameter.names:
            known = sorted(named[parameter.names]) or [parameter.name]
            call = call.replace(f'"{parameter.name}"', f'"{known[0]}"')
    if function.variadic:
        return f"{function.name}({CONDITION}, high > prev(high), low > prev(low))"
    return re.sub(r"\$\{\d:(\w+|[^}]*)\}", _given, call)


def _given(gap: re.Match[str]) -> str:
    """What is written in a gap: inputs without a default are of the close, a second one of its mean."""
    return {"x": "close", "y": "sma(close, 20)", "factor": "0.2", "keep": "1"}.get(gap[1], gap[1])


def _numeric(market: Market) -> list[str]:
    texts = dict(market.values)
    return [fact for fact in market.facts if fact not in texts]


def _instruments(desk: Desk) -> list[Instrument]:
    """The share with the longest history, and that with the most trades; where there are none, of all."""
    everyone = desk.reference.instruments
    shares = [own for own in everyone if own.kind == InstrumentKind.SHARE] or list(everyone)
    longest = _longest(desk.panel, shares)
    tapes = (base for base in desk.panel.bases if base.duration == 0)
    return [*longest, *(own for tape in tapes for own in _longest(tape, shares))]


def _longest(panel: Panel, instruments: Sequence[Instrument]) -> list[Instrument]:
    """The instrument with the most bars, where any has some."""
    lengths = panel.ends - panel.starts
    bars = {
        own.code: int(lengths[panel.places[own.code]])
        for own in instruments
        if own.code in panel.places
    }
    best = max(bars, key=bars.__getitem__, default="")
    return [own for own in instruments if own.code == best and bars[best]]


def _first(desk: Desk, text: str) -> Typed | None:
    return next(iter(check(text, None, None, desk.reference.names).outputs.values()), None)


def _on(
    desk: Desk, texts: Mapping[str, str], call: str, instrument: Instrument, bars: str
) -> Picture:
    nothing = Picture(formula=call, code=instrument.code, bars=bars, closes=[], traces=())
    try:
        read = {name: _first(desk, text) for name, text in texts.items()}
        terms = {name: value.term for name, value in read.items() if value is not None}
        chosen = list(desk.reference.instruments) if needs_universe(terms) else [instrument]
        panel = desk.bars(chosen, desk.now, bars)
        found = desk.executor.evaluate(terms, panel)
    except (FormulaError, DataError):
        return nothing
    rows = panel.rows(panel.position(instrument.code))
    shown = slice(max(rows.start, rows.stop - _BARS), rows.stop)
    traces = []
    for name, value in read.items():
        if value is None:
            continue
        column = found[name][shown]
        values = [float(v) if np.isfinite(v) else None for v in column]
        over = value.unit == PRICE and near_prices(column, panel.columns["close"][shown])
        traces.append(Trace(name=name, over=over, truth=value.kind == Kind.TRUTH, values=values))
    return Picture(
        formula=call,
        code=instrument.code,
        bars=bars,
        closes=panel.columns["close"][shown].tolist(),
        traces=tuple(traces),
    )
