"""Outlooks."""

from __future__ import annotations

from zealous_sieve.usecases.background import outlooks
from zealous_sieve.usecases.background.outlooks import Look, OutlookList, SeenOutlook
from zealous_sieve.usecases.desk.outside import OrderKind, Outside
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import OutlookBody


def contract(outside: Outside) -> Contract:
    api = Contract("outlooks", __doc__)

    @api.endpoint("GET", "/outlooks", reply=OutlookList)
    def get_outlooks() -> OutlookList:
        """All outlooks with how they came out, and how often each lean was right."""
        return outlooks.list_outlooks(outside, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/outlooks/look", reply=Look, body=OutlookBody)
    def look_at_outlook(body: OutlookBody) -> Look:
        """What an outlook would rest on if it were written now, and how often the market did so anyway."""
        return outlooks.look_ahead(outside, body.draft(), body.universe, wanted(OrderKind.PREVIEW))

    @api.endpoint("POST", "/outlooks", reply=SeenOutlook, body=OutlookBody)
    def write_outlook(body: OutlookBody) -> SeenOutlook:
        """Write an outlook down."""
        return outlooks.write_outlook(
            outside, body.draft(), body.universe, wanted(OrderKind.PREVIEW)
        )

    @api.endpoint("DELETE", "/outlooks/<id:outlook_id>")
    def archive_outlook(outlook_id: int) -> None:
        """Archive an outlook; it still counts."""
        outlooks.set_archived(outside, outlook_id, True)

    @api.endpoint("POST", "/outlooks/<id:outlook_id>/restore")
    def restore_outlook(outlook_id: int) -> None:
        """Bring an outlook back."""
        outlooks.set_archived(outside, outlook_id, False)

    return api
