"""The overview of the market, part by part."""

from __future__ import annotations

from zealous_sieve.usecases.background import overview
from zealous_sieve.usecases.background.overview import Ahead, Breadth, Rotation, Sessions, Tightness
from zealous_sieve.usecases.background.statements import Said
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.web.contract import Contract, as_of, wanted
from zealous_sieve.web.shapes import AheadQuery, OverviewBody


def contract(outside: Outside) -> Contract:
    api = Contract("overview", __doc__)

    @api.endpoint("POST", "/overview/statements", reply=list[Said], body=OverviewBody)
    def say_statements(body: OverviewBody) -> list[Said]:
        """Statements about the index and the gauge on several kinds of bars."""
        return overview.statements(outside, body.arranged, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/overview/breadth", reply=Breadth, body=OverviewBody)
    def look_at_breadth(body: OverviewBody) -> Breadth:
        """Numbers over a whole universe through time."""
        return overview.breadth(outside, body.arranged, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/overview/tightness", reply=Tightness, body=OverviewBody)
    def look_at_tightness(body: OverviewBody) -> Tightness:
        """Who is tight on several kinds of bars, in the order in which they would release."""
        return overview.tightness(outside, body.arranged, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/overview/rotation", reply=Rotation, body=OverviewBody)
    def look_at_rotation(body: OverviewBody) -> Rotation:
        """How the sectors of a universe moved over several spans."""
        return overview.rotation(outside, body.arranged, wanted(OrderKind.PREVIEW))

    @api.endpoint("GET", "/overview/sessions", reply=Sessions)
    def get_sessions() -> Sessions:
        """When all venues trade around now."""
        return overview.sessions(outside, as_of())

    @api.endpoint("GET", "/overview/ahead", reply=list[Ahead], query=AheadQuery)
    def get_ahead(query: AheadQuery) -> list[Ahead]:
        """What is scheduled, and the open ideas that it touches."""
        return overview.ahead(outside, query.days, as_of())

    return api
