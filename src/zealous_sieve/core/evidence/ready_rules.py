"""Rules of trades for the usual ways, to begin with: each is changed where it is written."""

from __future__ import annotations

from dataclasses import dataclass

from zealous_sieve.core.evidence.trade_rules import (
    EntryRule,
    StopRule,
    TargetRule,
    TradeRules,
)


@dataclass(frozen=True, kw_only=True)
class ReadyRules:
    """Rules with what they are called."""

    name: str
    rules: TradeRules


def _half_at(r: float) -> tuple[TargetRule, ...]:
    return (TargetRule(r=r, share=0.5),)


READY_RULES = (
    ReadyRules(
        name="stop beyond the signal bar",
        rules=TradeRules(
            stop=StopRule(price="low - 0.15 * atr(15)"), targets=_half_at(1.6), bars=12
        ),
    ),
    ReadyRules(
        name="stop beyond the last confirmed swing",
        rules=TradeRules(
            stop=StopRule(price="swing_low(4).price - 0.1 * atr(15)"),
            targets=_half_at(1.4),
            bars=25,
        ),
    ),
    ReadyRules(
        name="stop at a line less an offset, trailing",
        rules=TradeRules(stop=StopRule(price="ema(close, 27) - 0.6 * atr(15)", trail=True)),
    ),
    ReadyRules(
        name="stop so many ATR away",
        rules=TradeRules(
            stop=StopRule(price="close - 2.3 * atr(15)"), targets=_half_at(1.7), bars=20
        ),
    ),
    ReadyRules(
        name="in beyond the signal bar, stop at its other end",
        rules=TradeRules(
            entry=EntryRule(kind="beyond", ticks=1, expires=3),
            stop=StopRule(price="low"),
            targets=_half_at(1.6),
            against=3,
        ),
    ),
    ReadyRules(
        name="out at the end of the session",
        rules=TradeRules(stop=StopRule(price="close - 1.2 * atr(15)"), session_end=True),
    ),
)
