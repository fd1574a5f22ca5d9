"""All history that a sieve is looked at over, with who belonged to its universe when."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.trade_prices import PricesOfTrades, prices_of_trades
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.firings import firing_terms
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.usecases.desk.belonging import belongs, rests_on_moment
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.errors import NotFoundError

COMPARED_NOW = "formulas that look across instruments compare those that belong to the universe now"
BELONG_NOW = "who belongs is taken as of now: its rule would have to be asked for each moment anew"


@dataclass(frozen=True, kw_only=True, eq=False)
class LookedBack:
    """A sieve made ready and the closed bars that it is looked at over; ``members`` is 1 on rows at whose
    close the instrument belonged to the universe, where it did not always. ``library`` are the formulas
    that rules of trades may call, ``names`` what these may name. ``hindsight`` says what had to be taken
    from now, each as a sentence."""

    prepared: Prepared
    panel: Panel
    members: Column | None = None
    library: Mapping[str, str] = field(default_factory=dict)
    names: Market | None = None
    hindsight: tuple[str, ...] = ()

    def prices_of(self, settings: EvidenceSettings) -> PricesOfTrades | None:
        """The formulas of the trades that settings ask for, understood. Raises DataError."""
        if settings.trade is None:
            return None
        return prices_of_trades(settings.trade, self.prepared.sieve, self.library, self.names)


def looked_back(desk: Desk, sieve: Sieve, *, quickly: bool = False, only: str = "") -> LookedBack:
    """What a sieve is looked at over on a desk; ``quickly``, where rules that take long to be asked of the
    past are asked of the present; ``only`` one instrument, where it does not look across them. Raises
    NotFoundError, SieveError, DataError, FormulaError."""
    rule = desk.rules.get(sieve.universe)
    if rule is None:
        raise NotFoundError("universe", f"called {sieve.universe}")
    names = desk.reference.names
    prepared = prepare(sieve, desk.library, names, desk.clock)
    if quickly and rests_on_moment(desk, rule):
        chosen = desk.members(sieve.universe)
        panel = desk.bars(chosen, desk.now, sieve.timeframe)
        return LookedBack(prepared=prepared, panel=panel, hindsight=(BELONG_NOW,))
    across = needs_universe(firing_terms(prepared))
    everyone = desk.members(sieve.universe) if across else desk.reference.instruments
    if only and not across:
        everyone = [desk.reference.by_code[only]]
    panel = desk.bars(everyone, desk.now, sieve.timeframe)
    members = belongs(desk, rule, panel, (sieve.universe,))
    if not across:
        ever = [
            code for n, code in enumerate(panel.codes) if bool(np.any(members[panel.rows(n)] == 1))
        ]
        panel = panel.choose(ever)
    return LookedBack(
        prepared=prepared,
        panel=panel,
        members=members,
        library=desk.library,
        names=names,
        hindsight=(COMPARED_NOW,) if across else (),
    )
