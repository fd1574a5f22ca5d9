"""What was known of the coast's companies, and since when: their facts and the days of their reports."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from zealous_sieve.core.demo.paths import Made
from zealous_sieve.core.market.instruments import DatedFact, Event

_FIRST = "sector"
"""The fact that a company has from its first day on."""
COVERED = 45
"""Days before a report for which its figures hold already."""
_SWING = 5.0
"""Usual change of the growth of sales from one report to the next, in percentage points."""
_DAY = 86_400


def reports(companies: Sequence[Made], first_day: int) -> list[Event]:
    """The days of reports, each told with the report before."""
    found = []
    for company in companies:
        code, title = company.instrument.code, f"{company.instrument.name} reports"
        for told, day in pairwise((first_day, *company.reports)):
            found.append(Event(kind="report", day=day, title=title, code=code, announced=told))
    return found


def facts(
    rng: np.random.Generator, companies: Sequence[Made], days: Sequence[int]
) -> list[DatedFact]:
    """The facts of companies through time: those of each report, known on its day, and the size of the
    company at each report and as of the last day."""
    return [fact for company in companies for fact in _of_company(rng, company, days)]


def _of_company(
    rng: np.random.Generator, company: Made, days: Sequence[int]
) -> Iterator[DatedFact]:
    own = company.instrument
    yield DatedFact(
        code=own.code, name=_FIRST, value=own.facts[_FIRST], held=days[0], known=days[0]
    )
    places = np.searchsorted(np.asarray(days), np.array(company.reports[:-1])).tolist()
    size = float(own.facts["market_cap"] or 0) / float(company.bars["close"][-1])
    for place in dict.fromkeys((0, *places, len(days) - 1)):
        value = round(float(company.bars["close"][place]) * size, -3)
        known = days[place] + _DAY
        yield DatedFact(code=own.code, name="market_cap", value=value, held=known, known=known)
    growth = float(own.facts["sales_growth"] or 0)
    for day, ahead in reversed(list(pairwise(company.reports))):
        held = day - COVERED * _DAY
        value = round(growth, 1)
        yield DatedFact(code=own.code, name="sales_growth", value=value, held=held, known=day)
        due = str(np.datetime64(ahead, "s").astype("datetime64[D]"))
        yield DatedFact(code=own.code, name="next_report", value=due, held=day, known=day)
        growth -= float(rng.normal(0, _SWING))
