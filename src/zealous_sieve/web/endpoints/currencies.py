"""Strength of currencies."""

from __future__ import annotations

from zealous_sieve.usecases.background import strength as currencies
from zealous_sieve.usecases.background.strength import StrengthView
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import StrengthBody


def contract(outside: Outside) -> Contract:
    api = Contract("currencies", __doc__)

    @api.endpoint("POST", "/strength", reply=StrengthView, body=StrengthBody)
    def look_at_strength(body: StrengthBody) -> StrengthView:
        """Currencies against each other over several spans."""
        return currencies.strength_view(outside, body.asked(), body.line, wanted(OrderKind.PREVIEW))

    return api
