"""How pages are arranged."""

from __future__ import annotations

from zealous_sieve.usecases.across import arrangements
from zealous_sieve.usecases.across.arrangements import Arranged
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import ArrangementBody, NameQuery


def contract(outside: Outside) -> Contract:
    api = Contract("arrangements", __doc__)

    @api.endpoint("GET", "/arrangements/<page>", reply=list[Arranged])
    def get_arrangements(page: str) -> list[Arranged]:
        """The arrangements of a page: ready ones, and those kept by name."""
        return arrangements.arrangements(outside, page)

    @api.endpoint("POST", "/arrangements/<page>", reply=list[Arranged], body=ArrangementBody)
    def keep_arrangement(page: str, body: ArrangementBody) -> list[Arranged]:
        """Keep an arrangement under a name."""
        asked = (body.name, body.body, body.based_on)
        return arrangements.keep_arrangement(outside, page, *asked)

    @api.endpoint("DELETE", "/arrangements/<page>", reply=list[Arranged], query=NameQuery)
    def archive_arrangement(page: str, query: NameQuery) -> list[Arranged]:
        """Archive what was kept under a name; a ready one is as it came again."""
        return arrangements.archive_arrangement(outside, page, query.name)

    @api.endpoint("POST", "/arrangements/<page>/restore", reply=list[Arranged], query=NameQuery)
    def restore_arrangement(page: str, query: NameQuery) -> list[Arranged]:
        """Bring back what was archived last under a name."""
        return arrangements.restore_arrangement(outside, page, query.name)

    return api
