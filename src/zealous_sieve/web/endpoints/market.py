"""What is known of instruments, mendings, and the thread across the top."""

from __future__ import annotations

from zealous_sieve.core.market.data_quality import SharedDoubt
from zealous_sieve.usecases.across import finding
from zealous_sieve.usecases.across.finding import Found
from zealous_sieve.usecases.across.thread import Thread, thread
from zealous_sieve.usecases.charts import speeds
from zealous_sieve.usecases.charts.chart import Chart
from zealous_sieve.usecases.charts.instrument_charts import instrument_chart
from zealous_sieve.usecases.charts.speeds import Speeds
from zealous_sieve.usecases.desk import looking_back
from zealous_sieve.usecases.desk.looking_back import MomentStep, Moved
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.table import StoredMending
from zealous_sieve.usecases.table import data_check, market, mending
from zealous_sieve.usecases.table.market import InstrumentDetail, InstrumentSummary
from zealous_sieve.web.contract import Contract, as_of, wanted
from zealous_sieve.web.shapes import (
    AcceptedBody,
    LookedBody,
    MendingBody,
    MoveQuery,
    NumbersBody,
    SpeedsBody,
    UniverseQuery,
    WordsQuery,
    WrittenQuery,
)


def contract(outside: Outside) -> Contract:
    api = Contract("market", __doc__)

    @api.endpoint("GET", "/thread", reply=Thread)
    def get_thread() -> Thread:
        """The live counts of every stage."""
        return thread(outside, as_of())

    @api.endpoint("GET", "/moment", reply=Moved, query=MoveQuery)
    def move_moment(query: MoveQuery) -> Moved:
        """The moment a bar, session or week before or after another, up to the present."""
        return looking_back.move(
            outside,
            query.moment,
            MomentStep(query.step),
            wanted(from_present=True),
            back=query.back,
            bars=query.bars,
            code=query.code,
        )

    @api.endpoint("GET", "/moment/written", reply=Moved, query=WrittenQuery)
    def read_moment(query: WrittenQuery) -> Moved:
        """The moment that a text such as `16 Apr` or `2 months ago` means, up to the present."""
        return looking_back.as_written(outside, query.text, query.moment)

    @api.endpoint("GET", "/find", reply=list[Found], query=WordsQuery)
    def find_anything(query: WordsQuery) -> list[Found]:
        """Instruments, universes, sieves, formulas and runs that fit some words."""
        return finding.find_anything(outside, query.words)

    @api.endpoint("GET", "/instruments", reply=list[InstrumentSummary], query=UniverseQuery)
    def get_instruments(query: UniverseQuery) -> list[InstrumentSummary]:
        """The instruments of a universe with coverage and what the data check found."""
        return market.list_instruments(outside, query.universe, wanted())

    @api.endpoint("GET", "/instruments/<code:code>", reply=InstrumentDetail)
    def get_instrument(code: str) -> InstrumentDetail:
        """All that is known of an instrument."""
        return market.instrument(outside, code, wanted())

    @api.endpoint("POST", "/instruments/<code:code>/chart", reply=Chart, body=LookedBody)
    def look_at_instrument(code: str, body: LookedBody) -> Chart:
        """Bars of an instrument, built as asked, with formulas drawn."""
        return instrument_chart(outside, code, body.looked(), wanted())

    @api.endpoint("POST", "/instruments/<code:code>/speeds", reply=Speeds, body=SpeedsBody)
    def compare_speeds(code: str, body: SpeedsBody) -> Speeds:
        """Several lengths of one formula through a stretch of an instrument."""
        return speeds.speeds(outside, code, body.asked(), wanted())

    @api.endpoint("GET", "/mendings", reply=list[StoredMending])
    def get_mendings() -> list[StoredMending]:
        """All mendings of bars that are in force."""
        return outside.mendings.all()

    @api.endpoint("POST", "/mendings", reply=StoredMending, body=MendingBody)
    def add_mending(body: MendingBody) -> StoredMending:
        """Mend bars of an instrument; what came in stays as it is kept."""
        return mending.mend(outside, body.mending)

    @api.endpoint("GET", "/doubts", reply=list[SharedDoubt], query=UniverseQuery)
    def get_shared_doubts(query: UniverseQuery) -> list[SharedDoubt]:
        """What the data check found of the same bars of several instruments."""
        return data_check.shared_doubts(outside, query.universe, wanted())

    @api.endpoint("POST", "/doubts/accept", reply=list[int], body=AcceptedBody)
    def accept_cause(body: AcceptedBody) -> list[int]:
        """Accept what was found of several instruments; gives the numbers of the mendings."""
        return mending.accept_cause(outside, body.accepted)

    @api.endpoint("POST", "/doubts/back", body=NumbersBody)
    def take_mendings_back(body: NumbersBody) -> None:
        """Take several mendings back."""
        mending.take_all_back(outside, body.numbers)

    @api.endpoint("DELETE", "/mendings/<id:mending_id>")
    def delete_mending(mending_id: int) -> None:
        """Take a mending back."""
        mending.take_mending_back(outside, mending_id)

    @api.endpoint("POST", "/mendings/<id:mending_id>/restore", reply=StoredMending)
    def restore_mending(mending_id: int) -> StoredMending:
        """Bring a mending back that was taken back."""
        return mending.restore(outside, mending_id)

    return api
