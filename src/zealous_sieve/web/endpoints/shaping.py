"""Shaping a sieve: what one would leave as it is being written, and where one may begin."""

from __future__ import annotations

from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.usecases.doubt import evidence_case, evidence_line, evidence_page, evidence_parts
from zealous_sieve.usecases.doubt.evidence_case import EvidenceCase
from zealous_sieve.usecases.doubt.evidence_line import EvidenceLine
from zealous_sieve.usecases.doubt.evidence_page import EvidencePage
from zealous_sieve.usecases.doubt.evidence_parts import EvidenceParts
from zealous_sieve.usecases.shaping import fired, mirroring, preview, sharing, suggested, why
from zealous_sieve.usecases.shaping.fired import Fired, Sheets
from zealous_sieve.usecases.shaping.mirroring import MirroredSieve
from zealous_sieve.usecases.shaping.preview import Preview
from zealous_sieve.usecases.shaping.sharing import OfferedSieve, ReadyMade
from zealous_sieve.usecases.shaping.suggested import SuggestedList
from zealous_sieve.usecases.shaping.why import Why
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import (
    CaseBody,
    DocumentBody,
    EvidenceBody,
    FiredBody,
    OneBody,
    PointedBody,
    SheetsBody,
    SieveBody,
)


def contract(outside: Outside) -> Contract:
    api = Contract("shaping", __doc__)

    @api.endpoint("POST", "/preview", reply=Preview, body=SieveBody)
    def preview_sieve(body: SieveBody) -> Preview:
        """How many instruments a sieve would leave now."""
        return preview.preview(outside, body.sieve, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/preview/why", reply=Why, body=OneBody)
    def why_preview(body: OneBody) -> Why:
        """How a sieve judges one instrument now."""
        return why.why(outside, body.sieve, body.code, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/preview/fired", reply=Fired, body=FiredBody)
    def where_fired(body: FiredBody) -> Fired:
        """Where a sieve would have fired on one instrument."""
        return fired.fired(outside, body.sieve, body.stretch(), wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/preview/sheets", reply=Sheets, body=SheetsBody)
    def fired_sheets(body: SheetsBody) -> Sheets:
        """Where a sieve would have fired, on small sheets of several instruments."""
        asked = body.first, body.count, body.by
        return fired.sheets(outside, body.sieve, *asked, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/preview/evidence", reply=EvidenceLine, body=SieveBody)
    def line_of_evidence(body: SieveBody) -> EvidenceLine:
        """What followed on the signals of a sieve, against what usually follows, in a sentence."""
        return evidence_line.evidence_line(outside, body.sieve, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/preview/evidence/page", reply=EvidencePage, body=EvidenceBody)
    def page_of_evidence(body: EvidenceBody) -> EvidencePage:
        """What followed on the signals of a sieve, with its doubt, and every one of the newest."""
        order = wanted(OrderKind.PREVIEW)
        return evidence_page.evidence_page(outside, body.sieve, body.settings, order)

    @api.endpoint("POST", "/preview/evidence/parts", reply=EvidenceParts, body=EvidenceBody)
    def parts_of_evidence(body: EvidenceBody) -> EvidenceParts:
        """What followed on parts of the signals of a sieve, and without the best of them."""
        order = wanted(OrderKind.PREVIEW)
        return evidence_parts.evidence_parts(outside, body.sieve, body.settings, order)

    @api.endpoint("POST", "/preview/evidence/case", reply=EvidenceCase, body=CaseBody)
    def case_of_evidence(body: CaseBody) -> EvidenceCase:
        """One signal of a sieve, with what followed on it and the trade that it began."""
        order = wanted(OrderKind.PREVIEW)
        return evidence_case.evidence_case(outside, body.sieve, body.settings, body.case(), order)

    @api.endpoint("POST", "/preview/mirror", reply=MirroredSieve, body=SieveBody)
    def mirror_sieve(body: SieveBody) -> MirroredSieve:
        """The other side of a sieve, for approval; nothing is kept."""
        return mirroring.mirrored(outside, body.sieve)

    @api.endpoint("POST", "/suggestions", reply=SuggestedList, body=PointedBody)
    def suggest(body: PointedBody) -> SuggestedList:
        """Conditions that what is pointed at on a chart suggests."""
        return suggested.suggested(outside, body.pointed(), wanted(OrderKind.PREVIEW))

    @api.endpoint("GET", "/ready", reply=ReadyMade)
    def get_ready() -> ReadyMade:
        """Sieves and formulas that come with the application."""
        return sharing.ready_made(outside)

    @api.endpoint("POST", "/sieves/read", reply=OfferedSieve, body=DocumentBody)
    def read_document(body: DocumentBody) -> OfferedSieve:
        """A sieve from its document, with what is missing here; nothing is kept."""
        return sharing.offered(outside, body.text)

    @api.endpoint("GET", "/sieves/<id:sieve_id>/document", reply=Sieve)
    def get_document(sieve_id: int) -> Sieve:
        """A sieve with all that it calls, to be given away."""
        return sharing.shared(outside, sieve_id)

    return api
