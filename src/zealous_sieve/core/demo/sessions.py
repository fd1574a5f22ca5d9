"""All instruments within the day: shares, the index that is made of them, currencies and goods."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np

from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.demo.intraday import (
    FIFTEEN,
    MINUTE,
    POINTS,
    DaySeries,
    DayTimes,
    Extent,
    Grid,
    cut_bars,
    fit,
    joined_days,
    midnight,
    refine,
    series_of_days,
    spread_volume,
    today,
)
from zealous_sieve.core.demo.names import CURRENCIES, CURRENCY_ROOM
from zealous_sieve.core.demo.paths import STEPS, Array, Made
from zealous_sieve.core.engine.session import Session
from zealous_sieve.core.market.instruments import InstrumentKind

_PRICES = ("open", "high", "low", "close")


@dataclass(kw_only=True)
class Inside:
    """What was made: series by code, and the daily highs and lows that follow from them."""

    minutes: dict[str, DaySeries] = field(default_factory=dict)
    quarters: dict[str, DaySeries] = field(default_factory=dict)
    extremes: dict[str, dict[str, Array]] = field(default_factory=dict)

    def corrected(self, made: Made) -> dict[str, Array]:
        """Daily columns of an instrument whose days were cut anew, else nothing."""
        found = self.extremes.get(made.instrument.code)
        if found is None:
            return {}
        late = len(found["high"])
        return {
            name: np.concatenate([made.bars[name][:-late], column])
            for name, column in found.items()
        }


class SessionTapes:
    """Makes the sessions of an extent.

    The last days of an instrument, today included, are refined to minutes, those before to quarters of
    an hour. ``days`` are the days with a daily bar.
    """

    def __init__(
        self,
        rng: np.random.Generator,
        extent: Extent,
        days: DayTimes,
        sessions: Mapping[str, Session],
    ) -> None:
        self.rng, self.extent, self.sessions = rng, extent, sessions
        self.days = np.append(days, midnight(NOW))[-extent.quarters :]
        self.common = rng.standard_normal(STEPS)
        self.inside = Inside()

    def make(
        self, made: Sequence[Made], weights: Mapping[str, float], currencies: Mapping[str, Array]
    ) -> Inside:
        index: dict[int, Array] = {}
        crosses = self._crosses(currencies)
        for own in made:
            code, kind = own.instrument.code, own.instrument.kind
            if kind == InstrumentKind.CROSS:
                self._keep(own, crosses[code], anew=True)
            elif code in ("LANT40", "LANTFU"):
                self._keep(own, self._index(own, index), anew=True)
            else:
                paths = self._fitted(own)
                self._keep(own, paths, anew=False)
                for length, path in paths.items():
                    if code in weights:
                        index[length] = index.get(length, 0.0) + weights[code] * path
        return self.inside

    def _split(self, length: int) -> slice:
        """Which of the days are cut in bars of that length."""
        late = self.extent.minutes
        return slice(-late, None) if length == MINUTE else slice(None, -late or None)

    def _whole(self, made: Made, night: float = 2.0) -> Array:
        """The paths of all days, and of today's whole session."""
        now = today(self.rng, made.path, self.common, night)
        return np.concatenate([made.path, now])[-len(self.days) :]

    def _points(self, made: Made, length: int) -> int:
        return len(Grid.of(self.sessions[made.instrument.venue], length).opens) * POINTS

    def _fitted(self, made: Made) -> dict[int, Array]:
        """Paths by length of bar, bent to the daily bars."""
        nodes = self._whole(made)
        paths = {}
        for length in (FIFTEEN, MINUTE):
            part = self._split(length)
            path = refine(self.rng, nodes[part], self._points(made, length))
            daily = {n: np.append(made.bars[n], 0.0)[-len(nodes) :][part] for n in _PRICES}
            if length == MINUTE:
                whole = path[-1]
                ends = (whole[0], whole.max(), whole.min(), whole[-1])
                for name, value in zip(_PRICES, ends, strict=True):
                    daily[name][-1] = value
            paths[length] = fit(path, daily) if len(path) else path
        return paths

    def _crosses(self, currencies: Mapping[str, Array]) -> dict[str, dict[int, Array]]:
        """Paths of the crosses: consistent with each other at every point."""
        points = {n: len(Grid.of(self.sessions[CURRENCY_ROOM], n).opens) * POINTS
                  for n in (FIFTEEN, MINUTE)}  # fmt: skip
        values: dict[str, dict[int, Array]] = {}
        for code, path in currencies.items():
            now = today(self.rng, path, self.common * 0, 1.0)
            nodes = np.concatenate([path, now])[-len(self.days) :]
            values[code] = {n: refine(self.rng, nodes[self._split(n)], points[n]) for n in points}
        return {
            base + quote: {n: values[base][n] / values[quote][n] for n in points}
            for base, quote in combinations(CURRENCIES, 2)
        }

    def _index(self, made: Made, index: Mapping[int, Array]) -> dict[int, Array]:
        """The index's paths as the sum of its members, times the premium where it is the future."""
        if made.instrument.code == "LANT40":
            self._cash = made.path
            return dict(index)
        premium = (made.path / self._cash)[-len(self.days) + 1 :]
        last = premium[-1:, -1:] * np.exp(np.cumsum(self.rng.normal(0, 2e-4, (1, STEPS)), axis=1))
        nodes = np.concatenate([premium, last])
        paths = {}
        for length, path in index.items():
            part = nodes[self._split(length)]
            places = np.linspace(0, STEPS - 1, path.shape[1])
            left = np.minimum(places.astype(np.int64), STEPS - 2)
            share = places - left
            paths[length] = path * (part[:, left] * (1 - share) + part[:, left + 1] * share)
        return paths

    def _keep(self, made: Made, paths: Mapping[int, Array], *, anew: bool) -> None:
        """Cut bars; with ``anew`` the daily bars are changed to what the path shows."""
        instrument = made.instrument
        session = self.sessions[instrument.venue]
        volumes = np.append(made.bars["volume"], self._usual_volume(made))[-len(self.days) :]
        if anew:
            paths = self._anew(made, paths)
        kept: dict[int, tuple[DayTimes, dict[str, Array]]] = {}
        for length, path in paths.items():
            part, grid = self._split(length), Grid.of(session, length)
            volume = spread_volume(self.rng, volumes[part], len(grid.opens))
            kept[length] = grid.times(self.days[part]), cut_bars(path, volume, instrument.tick)
        minutes, quarters = kept[MINUTE], kept[FIFTEEN]
        late = joined_days(minutes[1], FIFTEEN // MINUTE)
        times = np.concatenate([quarters[0], minutes[0][:, :: FIFTEEN // MINUTE]])
        bars = {n: np.concatenate([quarters[1][n], late[n]]) for n in late}
        self.inside.minutes[instrument.code] = series_of_days(*minutes, MINUTE)
        self.inside.quarters[instrument.code] = series_of_days(times, bars, FIFTEEN)

    def _usual_volume(self, made: Made) -> float:
        usual = np.median(made.bars["volume"][-20:])
        return float(np.round(usual * np.exp(self.rng.normal(0, 0.2))))

    def _anew(self, made: Made, paths: Mapping[int, Array]) -> dict[int, Array]:
        """Paths bent to the daily opens and closes, whose turns become the daily extremes."""
        bent, parts = {}, []
        for length, path in paths.items():
            part = self._split(length)
            daily = {n: np.append(made.bars[n], 0.0)[-len(self.days) :][part] for n in _PRICES}
            if length == MINUTE:
                daily["open"][-1], daily["close"][-1] = path[-1, 0], path[-1, -1]
            top, bottom = path.max(axis=1), path.min(axis=1)
            daily["high"] = np.maximum.reduce([top, daily["open"], daily["close"]])
            daily["low"] = np.minimum.reduce([bottom, daily["open"], daily["close"]])
            bent[length] = fit(path, daily) if len(path) else path
            parts.append({n: daily[n] for n in ("high", "low")})
        tick = made.instrument.tick
        decimals = max(0, round(-np.log10(tick)) + 2)
        self.inside.extremes[made.instrument.code] = {
            name: np.round(np.round(np.concatenate([p[name] for p in parts])[:-1] / tick) * tick,
                           decimals)
            for name in ("high", "low")
        }  # fmt: skip
        return bent
