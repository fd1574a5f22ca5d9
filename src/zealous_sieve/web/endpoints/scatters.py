"""Scatters of instruments by two measures."""

from __future__ import annotations

from zealous_sieve.usecases.background import scatters
from zealous_sieve.usecases.background.scatters import Scatter
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import ScatterBody


def contract(outside: Outside) -> Contract:
    api = Contract("scatters", __doc__)

    @api.endpoint("POST", "/scatter", reply=Scatter, body=ScatterBody)
    def look_at_scatter(body: ScatterBody) -> Scatter:
        """Instruments as points of two measures, now and some moments before."""
        return scatters.scatter(outside, body.asked(), wanted(OrderKind.PREVIEW))

    return api
