"""What the data check finds, now and at moments of the past."""

from __future__ import annotations

from collections.abc import Sequence

from zealous_sieve.core.market.data_quality import Finding, SharedDoubt, causes
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import codes_of, now


def shared_doubts(outside: Outside, universe: str, order: Order) -> list[SharedDoubt]:
    """What the data check found of the same bars of several instruments of a universe."""
    own = set(outside.compute.do(order, codes_of, universe))
    found = causes(f for f in findings_at(outside, order) if f.code in own and f.bars)
    return [cause for cause in found if len(cause.codes) > 1]


def check_data(outside: Outside) -> list[Finding]:
    """Run the data check over all bars and keep what it finds."""
    findings = outside.compute.do(Order(), doubts)
    outside.market.replace_findings(findings)
    return findings


def doubts(desk: Desk, about: Sequence[str] | None = None) -> list[Finding]:
    """What the data check finds in all bars, or in those of some instruments."""
    return desk.doubts(None if about is None else set(about))


def findings_at(outside: Outside, order: Order, code: str | None = None) -> list[Finding]:
    """What the data check finds at the moment looked from, of all instruments or of one: what shows itself
    later only was no finding then."""
    if order.as_of is None or order.as_of >= now(outside.market):
        findings = outside.market.findings()
        return [own for own in findings if code is None or own.code == code]
    if code is not None:
        return outside.compute.do(order, doubts, [code])
    return outside.compute.do(order, doubts)


def check_some(outside: Outside, codes: Sequence[str]) -> list[Finding]:
    """Run the data check over some instruments, beside the others of their venues, and over the pairs that
    they are legs of; keep what it finds and return what is about them."""
    wanted, instruments = set(codes), outside.market.instruments()
    pairs = [i.code for i in instruments if wanted & {i.facts.get("left"), i.facts.get("right")}]
    about = list(dict.fromkeys((*codes, *pairs)))
    findings = outside.compute.do(Order(), doubts, about)
    outside.market.replace_findings(findings, about)
    return [finding for finding in findings if finding.code in wanted]
