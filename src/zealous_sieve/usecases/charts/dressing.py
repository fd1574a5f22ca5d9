"""What is drawn on a chart beside what the page is about: formulas, states, a strip of extremes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.controls import controls
from zealous_sieve.core.formula.speech.sentence import label
from zealous_sieve.core.formula.terms import Term, apply
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.sieve.drawing import Line, drawable, smoothed
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.charts.chart import (
    AskedFormula,
    Chart,
    Refused,
    Smoothed,
    StateColumn,
    StripRow,
    plain,
    usual_range,
)
from zealous_sieve.usecases.desk.desk import Desk


@dataclass(frozen=True, kw_only=True)
class Dress:
    """Formulas to draw; ``states`` are conditions by which something is drawn otherwise, ``strip`` measures
    that are told where they are extremes of ``strip_bars`` bars."""

    lines: tuple[str, ...] = ()
    smoothed: bool = False
    states: tuple[str, ...] = ()
    strip: tuple[str, ...] = ()
    strip_bars: int = 34


UNDRESSED = Dress()


@dataclass(frozen=True, kw_only=True, eq=False)
class Dressed:
    """A dress that was understood, as far as it can be."""

    asked: tuple[AskedFormula, ...]
    lines: tuple[tuple[int, Line], ...]
    """Each with the place of the formula that it comes from."""
    states: Mapping[str, Term]
    strip: Mapping[str, tuple[str, Term]]
    """Of each measure its name, and where it is an extreme."""
    refused: tuple[Refused, ...]
    smoothed: bool

    def terms(self) -> dict[str, Term]:
        """What has to be computed for it, the average range included."""
        return {
            **{f"drawn {n}": line.term for n, (_, line) in enumerate(self.lines)},
            **{f"state {text}": term for text, term in self.states.items()},
            **{f"strip {text}": term for text, (_, term) in self.strip.items()},
            "range": usual_range(),
        }

    def columns(self, columns: Mapping[str, Column]) -> list[tuple[Line, Column]]:
        """Its lines with their values."""
        return [(line, columns[f"drawn {n}"]) for n, (_, line) in enumerate(self.lines)]

    def on(
        self, chart: Chart, columns: Mapping[str, Column], panel: Panel, rows: slice, shown: slice
    ) -> Chart:
        """A chart whose last lines are these, with the rest of the dress; ``rows`` are all of the
        instrument, ``shown`` those of the chart."""
        before = len(chart.lines) - len(self.lines)
        own = zip(self.lines, chart.lines[before:], strict=True)
        return replace(
            chart,
            lines=(*chart.lines[:before], *(replace(line, asked=n) for (n, _), line in own)),
            states=tuple(
                StateColumn(text=text, values=plain(columns[f"state {text}"][shown]))
                for text in self.states
            ),
            strip=tuple(
                StripRow(text=text, label=label, values=plain(columns[f"strip {text}"][shown]))
                for text, (label, _) in self.strip.items()
            ),
            asked=self.asked,
            refused=self.refused,
            ranges=tuple(plain(columns["range"][shown])),
            smoothed=_smoothed(panel, rows, shown) if self.smoothed else None,
        )


def dressed(desk: Desk, dress: Dress) -> Dressed:
    """What a dress draws on a desk; what can't be drawn is refused on its own."""
    lines, refused = _asked(desk, dress.lines)
    states, refused = _states(desk, dress.states, refused)
    strip, refused = _strip(desk, dress, refused)
    return Dressed(
        asked=tuple(AskedFormula(text=t, controls=controls(t, desk.library)) for t in dress.lines),
        lines=tuple(lines),
        states=states,
        strip=strip,
        refused=refused,
        smoothed=dress.smoothed,
    )


def _smoothed(panel: Panel, rows: slice, shown: slice) -> Smoothed:
    """The smoothed candles of an instrument, begun with its first bar whatever is shown of them."""
    own = smoothed({name: panel.columns[name][rows] for name in ("open", "high", "low", "close")})
    part = slice(shown.start - rows.start, shown.stop - rows.start)
    return Smoothed(**{name: plain(column[part]) for name, column in own.items()})


def _asked(desk: Desk, texts: Sequence[str]) -> tuple[list[tuple[int, Line]], tuple[Refused, ...]]:
    """The lines of formulas, each with the place of the one it comes from, and what can't be drawn."""
    lines: list[tuple[int, Line]] = []
    refused = []

    def understood(text: str) -> Formula:
        return check(text, None, desk.library, desk.reference.names)

    for n, text in enumerate(texts):
        try:
            lines += [(n, line) for line in drawable(text, understood)]
        except FormulaError as error:
            refused.append(Refused(text=text, problems=error.problems))
    return lines, tuple(refused)


def _states(
    desk: Desk, texts: Sequence[str], refused: tuple[Refused, ...]
) -> tuple[dict[str, Term], tuple[Refused, ...]]:
    """The truths of conditions by their texts, and what can't be told with what could not be before."""
    found: dict[str, Term] = {}
    for text in dict.fromkeys(texts):
        try:
            own = check_condition(text, None, desk.library, desk.reference.names)
            found[text] = truth_of(own)
        except FormulaError as error:
            refused = (*refused, Refused(text=text, problems=error.problems))
    return found, refused


def _strip(
    desk: Desk, dress: Dress, refused: tuple[Refused, ...]
) -> tuple[dict[str, tuple[str, Term]], tuple[Refused, ...]]:
    """For each measure of the strip its name, and whether it is the largest or the smallest of so many
    bars."""
    found: dict[str, tuple[str, Term]] = {}
    for text in dict.fromkeys(dress.strip):
        try:
            own = check_number(text, None, desk.library, desk.reference.names)
            extremes = (
                check(
                    f"{which}({text}, {dress.strip_bars})",
                    None,
                    desk.library,
                    desk.reference.names,
                )
                for which in ("largest", "smallest")
            )
            large, small = map(truth_of, extremes)
            assert own.expression is not None
            found[text] = (label(own, own.expression), apply("subtract", large, small))
        except FormulaError as error:
            refused = (*refused, Refused(text=text, problems=error.problems))
    return found, refused
