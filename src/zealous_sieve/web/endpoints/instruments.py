"""What is said of instruments, which of them are away, and those made of two others."""

from __future__ import annotations

from zealous_sieve.core.market.instruments import Instrument, Venue
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.table import instruments, pairs
from zealous_sieve.usecases.table.instruments import Described
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import DescribedBody, NamedBody, PairBody, RenameBody


def contract(outside: Outside) -> Contract:
    api = Contract("instruments", __doc__)

    @api.endpoint("PUT", "/instruments", reply=list[Described], body=DescribedBody)
    def describe_instruments(body: DescribedBody) -> list[Described]:
        """Say something of instruments; gives what was said of them before."""
        return instruments.describe(outside, body.described)

    @api.endpoint("POST", "/renamed/<code:code>", reply=str, body=RenameBody)
    def rename_instrument(code: str, body: RenameBody) -> str:
        """Give an instrument another code; gives the one that it had."""
        return instruments.rename(outside, code, body.to, leads=body.leads)

    @api.endpoint("DELETE", "/earlier/<code:earlier>")
    def forget_earlier_code(earlier: str) -> None:
        """Let an earlier code of an instrument go."""
        instruments.forget_earlier(outside, earlier)

    @api.endpoint("GET", "/venues", reply=list[Venue])
    def get_venues() -> list[Venue]:
        """Where instruments are traded."""
        return outside.market.venues()

    @api.endpoint("GET", "/archived/instruments", reply=list[Instrument])
    def get_archived_instruments() -> list[Instrument]:
        """The instruments that were put away."""
        return instruments.put_away_ones(outside)

    @api.endpoint("POST", "/archived/instruments", body=NamedBody)
    def put_instruments_away(body: NamedBody) -> None:
        """Put instruments away, with their bars, out of all universes."""
        instruments.put_away(outside, body.codes)

    @api.endpoint("POST", "/archived/instruments/restore", body=NamedBody)
    def bring_instruments_back(body: NamedBody) -> None:
        """Bring instruments back."""
        instruments.bring_back(outside, body.codes)

    @api.endpoint("POST", "/pairs", reply=Instrument, body=PairBody)
    def add_pair(body: PairBody) -> Instrument:
        """Define a difference or ratio of two instruments as one of its own."""
        return pairs.add_pair(outside, body.code, body.name, body.left, body.right, body.relation)

    return api
