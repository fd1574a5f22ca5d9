"""What of a sieve can be drawn on a chart: its numbers, over the price or in panes of their own."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.speech.sentence import label
from zealous_sieve.core.formula.terms import ExternalInput, Source, Term, on_timeframe
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.functions.catalogue import find
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.functions.units import PRICE, VOLUME
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.prepare import Prepared


@dataclass(frozen=True, kw_only=True)
class Line:
    """One series to draw.

    ``pane`` is ``price`` or the name of a pane; ``levels`` are reference levels and thresholds;
    ``span`` is the fixed scale where there is one; ``conditions`` are the positions that use it.
    """

    text: str
    label: str
    unit: str
    pane: str
    term: Term
    span: tuple[float, float] | None = None
    levels: tuple[float, ...] = ()
    conditions: tuple[int, ...] = field(default=())


def lines(prepared: Prepared, side: Side | None = None) -> list[Line]:
    """Every number that the conditions compare, and every named step that is a price; once each, in the
    order they are mentioned. Of a ``side`` only those of its conditions."""
    found: dict[Term, Line] = {}
    for position, formula in enumerate(prepared.formulas):
        condition = prepared.sieve.conditions[position]
        if formula.expression is None or (side and not condition.is_of(side)):
            continue
        for node, frames in _with_timeframes(formula.expression, (), formula, set()):
            for compared, thresholds in _sides(node, formula):
                _add(found, formula, compared, frames, thresholds, position)
            if isinstance(node, tree.Name) and _is_price(node, formula):
                _add(found, formula, node, frames, (), position)
    return list(found.values())


def _is_price(step: tree.Name, formula: Formula) -> bool:
    """Whether a named step is a price that can be drawn over those of the bars."""
    return (
        step.name in formula.definitions
        and formula.types[step].unit == PRICE
        and _is_level(formula, step)
    )


def drawable(text: str, check: Callable[[str], Formula]) -> list[Line]:
    """The results of a formula as lines: all outputs of a function that has several and of which none is
    picked; conditions as 1 and 0. Raises FormulaError."""
    try:
        formula = check(text)
    except FormulaError as error:
        function = find(text.strip().split("(")[0].casefold())
        if error.problem.code != "needs_output" or function is None:
            raise
        picked = (check(f"{text.strip()}.{output.name}") for output in function.outputs)
        return [line for own in picked for line in _results(own)]
    return _results(formula)


def _results(formula: Formula) -> list[Line]:
    found = []
    for name, typed in formula.outputs.items():
        node = formula.expression if name == "value" else formula.definitions[name]
        assert node is not None
        truth = typed.kind == Kind.TRUTH
        written = canonical.expression(node)
        found.append(
            Line(
                text=written,
                label=written if name == "value" else name,
                unit="yes or no" if truth else str(typed.unit),
                pane=written if truth else _pane(typed, formula, node),
                term=typed.term,
                span=(0.0, 1.0) if truth else typed.spec.span if typed.spec else None,
                levels=typed.spec.levels if typed.spec and not truth else (),
            )
        )
    return found


def _with_timeframes(
    node: tree.Node,
    frames: tuple[str, ...],
    formula: Formula,
    passed: set[tuple[tree.Node, tuple[str, ...]]],
) -> Iterator[tuple[tree.Node, tuple[str, ...]]]:
    """Every node with the timeframes that it is evaluated on, the innermost first; those of a named step
    where it is mentioned first."""
    yield node, frames
    inner = (node.timeframe, *frames) if isinstance(node, tree.On) else frames
    children: Iterable[tree.Node] = node.children
    if isinstance(node, tree.Name) and node.name in formula.definitions:
        children = () if (node, frames) in passed else (formula.definitions[node.name],)
        passed.add((node, frames))
    for child in children:
        yield from _with_timeframes(child, inner, formula, passed)


def _sides(node: tree.Node, formula: Formula) -> list[tuple[tree.Node, tuple[float, ...]]]:
    """The numbers a comparison is about, each with the constants it is held against."""
    match node:
        case tree.Compare() | tree.Near() | tree.Crosses():
            sides = [node.left, node.right]
        case tree.Between():
            sides = [node.value, node.low, node.high]
        case _:
            return []
    constants = [formula.types[side].number for side in sides]
    thresholds = tuple(value for value in constants if value is not None)
    return [(s, thresholds) for s, c in zip(sides, constants, strict=True) if c is None]


def _add(
    by_term: dict[Term, Line],
    formula: Formula,
    node: tree.Node,
    frames: tuple[str, ...],
    thresholds: tuple[float, ...],
    position: int,
) -> None:
    typed = formula.types[node]
    term = typed.term
    for frame in frames:
        term = on_timeframe(term, timeframe(frame))
    plain = isinstance(term, Source) and not isinstance(term, ExternalInput)
    if plain or typed.kind != Kind.NUMBER:
        return
    before = by_term.get(term)
    where = "".join(f" on {frame}" for frame in frames)
    levels = tuple(dict.fromkeys((before.levels if before else ()) + thresholds))
    conditions = tuple(dict.fromkeys((before.conditions if before else ()) + (position,)))
    by_term[term] = Line(
        text=canonical.expression(node) + where,
        label=label(formula, node) + where,
        unit=str(typed.unit),
        pane=_pane(typed, formula, node),
        term=term,
        span=typed.spec.span if typed.spec else None,
        levels=levels,
        conditions=conditions,
    )


def _pane(typed: Typed, formula: Formula, node: tree.Node) -> str:
    """Prices go over the price unless they are distances; volumes over the volume."""
    if typed.unit == PRICE and _is_level(formula, node):
        return "price"
    if typed.unit == VOLUME and isinstance(node, tree.Call) and node.function in _LEVELS:
        return "volume"
    function = typed.function
    if function is None:
        return canonical.expression(node)
    units = {output.unit for output in function.outputs if output.unit != PRICE}
    mixed = len(units) > 1 and typed.spec is not None
    return f"{function.name}.{typed.spec.name}" if mixed and typed.spec else function.name


_LEVELS = {"sma", "ema", "wma", "wilder", "dema", "tema", "hma", "highest", "lowest", "ago", "prev"}
_DISTANCES = {"atr", "true_range", "stdev", "body", "bar_range", "upper_wick", "lower_wick",
              "change", "momentum", "slope", "macd"}  # fmt: skip


def _is_level(formula: Formula, node: tree.Node) -> bool:
    """True for a price; False for a difference of prices, which has the same unit."""
    match node:
        case tree.Name() if node.name in formula.definitions:
            return _is_level(formula, formula.definitions[node.name])
        case tree.Pick():
            name = tree.called(node.value)
            return formula.types[node].unit == PRICE and name not in _DISTANCES
        case tree.Minus():
            return False
        case tree.Arithmetic() if node.operator == tree.Operator.SUBTRACT:
            return _is_level(formula, node.left) and not _is_level(formula, node.right)
        case tree.Arithmetic():
            return _is_level(formula, node.left) or _is_level(formula, node.right)
    typed = formula.types[node]
    return typed.unit == PRICE and not (typed.function and typed.function.name in _DISTANCES)


_BESIDE = re.compile(r'close of "([^"]+)"')


def beside(text: str) -> str:
    """The code of the instrument whose closes a formula draws beside those of another; else nothing."""
    found = _BESIDE.fullmatch(" ".join(text.split()))
    return found[1] if found else ""


def near_prices(column: Column, closes: Column) -> bool:
    """Whether prices are of the size of the closes, so that they can be drawn over them."""
    known = column[np.isfinite(column)]
    return bool(len(known)) and 0.5 < float(np.median(known) / np.median(closes)) < 2.0


def smoothed(columns: Mapping[str, Column]) -> dict[str, Column]:
    """Candles of averages: the close is the mean of a bar's four prices, the open the mean of open and
    close of the smoothed candle before (of the bar's own for the first), high and low are the farthest
    of these and the bar's own."""
    opened, high, low, close = (columns[name] for name in ("open", "high", "low", "close"))
    mean = (opened + high + low + close) / 4
    begun = np.empty_like(mean)
    last = np.nan
    for n, own in enumerate(mean):
        begun[n] = last = (
            (last + mean[n - 1]) / 2 if n and last == last else (opened[n] + close[n]) / 2
        )
        if own != own:
            last = np.nan
    return {
        "open": begun,
        "high": np.maximum(high, np.maximum(begun, mean)),
        "low": np.minimum(low, np.minimum(begun, mean)),
        "close": mean,
    }
