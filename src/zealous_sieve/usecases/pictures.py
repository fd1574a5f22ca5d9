"""What a function looks like on an instrument of the desk."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.completing.options import template
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.functions.catalogue import find
from zealous_sieve.core.functions.specification import Function, Kind
from zealous_sieve.core.functions.units import PRICE
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.core.sieve.drawing import near
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import Order, Outside

BARS = 110
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
    """The picture of a function of the catalogue. Raises NotFoundError."""
    function = find(name)
    if function is None:
        raise NotFoundError("function", name)
    return outside.compute.do(Order(), draw_function, name)


def draw_function(desk: Desk, name: str) -> Picture:
    """A function with its usual arguments on the desk's example instrument."""
    function = find(name)
    assert function is not None
    call = example(function, desk.reference.names)
    empty = Picture(formula=call, code="", bars="", closes=[], traces=())
    for own in _instruments(desk):
        for bars in TRIED:
            found = _on(desk, function, call, own, bars)
            if any(value is not None for trace in found.traces for value in trace.values):
                return found
    return empty


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


def _on(desk: Desk, function: Function, call: str, own: Instrument, bars: str) -> Picture:
    outputs = function.outputs if function.outputs[1:] else (function.outputs[0],)
    texts = {o.name: f"{call}.{o.name}" if function.outputs[1:] else call for o in outputs}
    nothing = Picture(formula=call, code=own.code, bars=bars, closes=[], traces=())
    try:
        read = {
            name: check(text, None, None, desk.reference.names).value
            for name, text in texts.items()
        }
        terms = {name: value.term for name, value in read.items() if value is not None}
        chosen = list(desk.reference.instruments) if needs_universe(terms) else [own]
        panel = desk.bars(chosen, desk.now, bars)
        found = evaluate(terms, panel)
    except (FormulaError, DataError):
        return nothing
    rows = panel.rows(panel.position(own.code))
    shown = slice(max(rows.start, rows.stop - BARS), rows.stop)
    traces = []
    for name, value in read.items():
        if value is None:
            continue
        column = found[name][shown]
        values = [float(v) if np.isfinite(v) else None for v in column]
        over = value.unit == PRICE and near(column, panel.columns["close"][shown])
        traces.append(Trace(name=name, over=over, truth=value.kind == Kind.TRUTH, values=values))
    return Picture(
        formula=call,
        code=own.code,
        bars=bars,
        closes=panel.columns["close"][shown].tolist(),
        traces=tuple(traces),
    )
