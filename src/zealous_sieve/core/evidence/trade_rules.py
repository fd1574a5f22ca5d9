"""How signals are traded: by which order one gets in, where the stop lies, by what one gets out, at which
costs."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

MOST_BARS_IN = 10_000
MOST_TARGETS = 8
MOST_ADDITIONS = 9
_LONGEST_FORMULA = 20_000

_Text = Annotated[str, Field(max_length=_LONGEST_FORMULA)]
_Amount = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
_Bars = Annotated[int, Field(ge=0, le=MOST_BARS_IN)]


class _Rule(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class EntryRule(_Rule):
    """The order by which one gets in: at the ``next_open``; at the signal bar's ``close``, which nobody
    could have traded; ``beyond`` its high (low for short) by ``ticks``, a stop order; ``at`` a ``price``, a
    limit; or at the open after the bar after it, if the setup holds on that ``second`` bar too. Stop orders
    and limits work for ``expires`` bars."""

    kind: Literal["next_open", "close", "beyond", "at", "second"] = "next_open"
    ticks: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    price: _Text = ""
    short_price: _Text = ""
    expires: Annotated[int, Field(ge=1, le=MOST_BARS_IN)] = 1

    @model_validator(mode="after")
    def _at_a_price(self) -> EntryRule:
        if self.kind == "at" and not self.price.strip():
            raise ValueError("an entry at a price needs one: write a formula of the signal bar")
        return self


class StopRule(_Rule):
    """A price of the signal bar; with ``trail`` it is taken again on each closed bar, and never moves
    away."""

    price: Annotated[_Text, Field(min_length=1)]
    short_price: _Text = ""
    trail: bool = False


class TargetRule(_Rule):
    """A limit at so many times the first risk, or at a ``price`` of the signal bar, for a ``share`` of what
    was bought."""

    r: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] | None = None
    price: _Text = ""
    short_price: _Text = ""
    share: Annotated[float, Field(gt=0, le=1)] = 1.0

    @model_validator(mode="after")
    def _one_of_both(self) -> TargetRule:
        if (self.r is None) == (not self.price.strip()):
            raise ValueError("a target is a number of r or a price: give one of them")
        return self


class Costs(_Rule):
    """What is lost on each side, in ticks and basis points of the price; ``slippage_ticks`` on market and
    stop orders only."""

    ticks: _Amount = 0.0
    basis_points: _Amount = 0.0
    slippage_ticks: _Amount = 0.0


class TradeRules(_Rule):
    """Prices are written for the long side, and mirrored for the short one where it has none of its own.

    ``exit`` is a condition on a closed bar, ``bars`` the most that a trade is held, ``against`` a number of
    bars in a row that close against it: out at the next open. 0 means never. ``one``: a signal while a
    trade of its instrument and side is on, or its order works, is passed over; up to ``additions`` of them
    add to it instead. ``a_day``: at most so many trades of an instrument and side begin in a session.
    """

    entry: EntryRule = EntryRule()
    stop: StopRule | None = None
    targets: Annotated[tuple[TargetRule, ...], Field(max_length=MOST_TARGETS)] = ()
    exit: _Text = ""
    short_exit: _Text = ""
    bars: _Bars = 0
    against: _Bars = 0
    session_end: bool = False
    one: bool = True
    additions: Annotated[int, Field(ge=0, le=MOST_ADDITIONS)] = 0
    a_day: Annotated[int, Field(ge=0, le=MOST_BARS_IN)] = 0
    costs: Costs = Costs()

    @model_validator(mode="after")
    def _makes_sense(self) -> TradeRules:
        together = sum(target.share for target in self.targets)
        if together > 1 + 1e-9:
            raise ValueError(f"the shares of the targets come to {together:g}: at most 1 together")
        if self.stop is None and any(target.r is not None for target in self.targets):
            raise ValueError("a target in r needs a stop, which says what is risked")
        if self.additions and not self.one:
            raise ValueError("additions add to the one trade that is on: let one be true")
        ways_out = (self.stop, self.targets, self.exit.strip(), self.bars, self.against)
        if not any(ways_out) and not self.session_end:
            raise ValueError("nothing ends a trade: give a stop, a target or another way out")
        return self
