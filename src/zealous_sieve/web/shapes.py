"""What requests bring. Replies are the use cases' own records."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, field_validator

from zealous_sieve.core.engine.made_of import LegRelation
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.formula.rows import Row
from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.universes import EVERYTHING, Rule, Universe
from zealous_sieve.core.pages.currencies import StrengthSet, StrengthSpan, StrengthUnit
from zealous_sieve.core.pages.outlook import Settles, When
from zealous_sieve.core.pages.overview import OverviewSet
from zealous_sieve.core.pages.scatter import Measure, ScatterSet
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.hit import COLUMNS
from zealous_sieve.usecases.background.boards import LONGEST_BACK
from zealous_sieve.usecases.background.outlooks import Draft, Ground
from zealous_sieve.usecases.background.scatters import MOST_FRAMES, ScatterAsked
from zealous_sieve.usecases.background.strength import MOST_BACK
from zealous_sieve.usecases.charts.chart import Part
from zealous_sieve.usecases.charts.dressing import Dress
from zealous_sieve.usecases.charts.instrument_charts import Looked
from zealous_sieve.usecases.charts.speeds import AskedSpeeds
from zealous_sieve.usecases.desk.preferences import Preferences
from zealous_sieve.usecases.doubt.evidence_case import CaseWanted
from zealous_sieve.usecases.records.hits import VerdictKind
from zealous_sieve.usecases.shaping.fired import Stretch
from zealous_sieve.usecases.shaping.suggested import Pointed
from zealous_sieve.usecases.table.instruments import Described
from zealous_sieve.web.contract import LARGEST_NUMBER


def _in_utc(moment: datetime) -> datetime:
    try:
        return moment.astimezone(UTC)
    except OverflowError:
        raise ValueError("there is no such moment: it is beyond the calendar in UTC") from None


Instant = Annotated[AwareDatetime, AfterValidator(_in_utc)]
"""A moment with its offset from UTC."""


class Request(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FormulaBody(Request):
    text: Annotated[str, Field(max_length=100_000)]
    role: Literal["any", "condition", "number", "outcome"] = "any"


class PlaceBody(Request):
    text: Annotated[str, Field(max_length=20_000)]
    at: Annotated[int, Field(ge=0, le=20_000)]
    own: Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=500)] = []
    """Formulas that may be called beside those of the desk."""


class CompareBody(Request):
    before: Annotated[str, Field(max_length=100_000)]
    after: Annotated[str, Field(max_length=100_000)]


class RowBody(Request):
    row: Row


class NamedFormulaBody(Request):
    name: Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z_0-9]*$", max_length=60)]
    text: Annotated[str, Field(min_length=1, max_length=20_000)]
    note: Annotated[str, Field(max_length=4000)] = ""


class SaveFormulaBody(NamedFormulaBody):
    based_on: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)]


MOST_NAMED = 20_000
"""Instruments of which something is said at once."""


class DescribedBody(Request):
    described: Annotated[list[Described], Field(min_length=1, max_length=MOST_NAMED)]


class NamedBody(Request):
    codes: Annotated[list[str], Field(min_length=1, max_length=MOST_NAMED)]


class RenameBody(Request):
    to: Annotated[str, Field(max_length=200)]
    leads: bool = True
    """Whether the code that it had still leads to it."""


class PairBody(Request):
    code: Annotated[str, Field(min_length=2, max_length=12)]
    name: Annotated[str, Field(max_length=120)] = ""
    left: str
    right: str
    relation: LegRelation


class SieveBody(Request):
    sieve: Sieve


class EvidenceBody(Request):
    """A sieve, and which of its signals count, from which price and how far ahead."""

    sieve: Sieve
    settings: EvidenceSettings = EvidenceSettings()


class CaseBody(EvidenceBody):
    """A signal: that of an instrument, on the bar that opened at a time in seconds since 1970, for a
    side."""

    code: Annotated[str, Field(max_length=60)]
    time: int
    side: Side

    def case(self) -> CaseWanted:
        """The signal."""
        return CaseWanted(code=self.code, time=self.time, side=self.side)


class OneBody(Request):
    """A sieve, and one instrument that it is asked about."""

    sieve: Sieve
    code: Annotated[str, Field(max_length=60)]


FormulaText = Annotated[str, Field(min_length=1, max_length=20_000)]


class DressBody(Request):
    lines: Annotated[list[FormulaText], Field(max_length=20)] = []
    smoothed: bool = False
    states: Annotated[list[FormulaText], Field(max_length=60)] = []
    strip: Annotated[list[FormulaText], Field(max_length=12)] = []
    strip_bars: Annotated[int, Field(ge=2, le=1000)] = 34

    def dress(self) -> Dress:
        return Dress(
            lines=tuple(self.lines),
            smoothed=self.smoothed,
            states=tuple(self.states),
            strip=tuple(self.strip),
            strip_bars=self.strip_bars,
        )


class FiredBody(OneBody, DressBody):
    count: Annotated[int, Field(ge=1, le=5000)] = 420
    before: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)] | None = None
    focus: Annotated[int, Field(ge=0, le=49)] | None = None

    def stretch(self) -> Stretch:
        return Stretch(
            code=self.code,
            part=Part(count=self.count, before=self.before),
            focus=self.focus,
            dress=self.dress(),
        )


class SheetsBody(Request):
    sieve: Sieve
    first: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)] = 0
    count: Annotated[int, Field(ge=1, le=60)] = 12
    by: Literal["most", "least", "listed"] = "most"


class PointedBody(Request):
    """What is pointed at on a chart."""

    code: Annotated[str, Field(max_length=60)]
    bars: Annotated[str, Field(min_length=1, max_length=40)] = "1d"
    at: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)]
    text: Annotated[str, Field(min_length=1, max_length=20_000)]
    since: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)] | None = None
    before: Annotated[str, Field(max_length=20_000)] = ""
    universe: Annotated[str, Field(max_length=200)] = ""
    forming: bool = False
    as_of: AwareDatetime | None = None

    def pointed(self) -> Pointed:
        return Pointed(**self.model_dump())


class DocumentBody(Request):
    text: Annotated[str, Field(max_length=2_000_000)]


class SaveBody(Request):
    sieve: Sieve
    based_on: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)]


class RunBody(Request):
    sieve_id: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)]
    as_of: Instant | None = None


class VerdictBody(Request):
    verdict: VerdictKind | None
    reason: Annotated[str, Field(max_length=200)] = ""
    note: Annotated[str, Field(max_length=4000)] = ""


class NameQuery(Request):
    name: Annotated[str, Field(min_length=1, max_length=400)]


class GatheringQuery(Request):
    gathering: Annotated[str, Field(pattern=r"^[0-9a-f-]{16,60}$")]
    last: bool = False


class ImportsQuery(Request):
    words: Annotated[str, Field(max_length=200)] = ""
    before: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = None
    size: Annotated[int, Field(ge=1, le=500)] = 60


class VerdictsQuery(Request):
    verdict: VerdictKind | None = None
    words: Annotated[str, Field(max_length=200)] = ""
    sort: Literal[
        "decided_at", "code", "name", "side", "sieve", "timeframe", "verdict", "reason", "fired_at",
        "close", "now", "bars", "move", "far_for", "far_against",
    ] = "decided_at"  # fmt: skip
    down: bool = True
    at: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    size: Annotated[int, Field(ge=1, le=20_000)] = 100


class RunsQuery(Request):
    at: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    size: Annotated[int, Field(ge=1, le=1000)] = 100


class LinesQuery(Request):
    words: Annotated[str, Field(max_length=200)] = ""
    at: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    size: Annotated[int, Field(ge=1, le=1000)] = 100


class LeftOutBody(Request):
    codes: Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=20_000)]


class SourceBody(Request):
    folder: Annotated[str, Field(max_length=4000)]


class LayoutBody(Request):
    layout: Layout


class TableColumn(Request):
    name: Annotated[str, Field(min_length=1, max_length=200)]
    values: Annotated[list[str | int | float | bool | None], Field(max_length=200_000)]


class TableBody(Request):
    """A list as it is seen."""

    name: Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^/\\\x00-\x1f]+$")]
    format: Literal["csv", "parquet"]
    columns: Annotated[list[TableColumn], Field(min_length=1, max_length=400)]


class PreferencesBody(Request):
    preferences: Preferences


class DemoBody(Request):
    here: bool


class ReplaceQuery(Request):
    replace: bool = False


class WordsQuery(Request):
    words: Annotated[str, Field(max_length=200)]


class MendingBody(Request):
    mending: Mending


class AcceptedBody(Request):
    accepted: Annotated[list[Mending], Field(min_length=1, max_length=MOST_NAMED)]


class NumbersBody(Request):
    numbers: Annotated[
        list[Annotated[int, Field(ge=1, le=LARGEST_NUMBER)]],
        Field(min_length=1, max_length=MOST_NAMED),
    ]


class UniverseBody(Request):
    universe: Universe


class BoardColumnBody(Request):
    formula: Annotated[str, Field(min_length=1, max_length=20_000)]
    label: Annotated[str, Field(max_length=60)] = ""
    bars: Annotated[str, Field(max_length=60)] = "1d"
    back: Annotated[int, Field(ge=1, le=LONGEST_BACK)] = 5
    below: float = 0.0
    above: float = 0.0
    far_below: float | None = None
    far_above: float | None = None
    digits: Annotated[int, Field(ge=0, le=8)] | None = None
    width: Annotated[int, Field(ge=40, le=600)] | None = None


class BoardBody(Request):
    universe: str
    columns: Annotated[list[BoardColumnBody], Field(max_length=80)]
    forming: bool = False


class MeasureBody(Request):
    formula: Annotated[str, Field(max_length=20_000)]
    bars: Annotated[str, Field(max_length=60)] = "1d"
    label: Annotated[str, Field(max_length=60)] = ""

    def measure(self) -> Measure:
        return Measure(**self.model_dump())


class ScatterBody(Request):
    """What a scatter is of, and which of its frames are wanted."""

    universe: Annotated[str, Field(max_length=200)]
    x: MeasureBody
    y: MeasureBody
    size: MeasureBody
    trail: Annotated[int, Field(ge=0, le=60)] = 0
    move: Annotated[str, Field(max_length=60)] = ""
    forming: bool = False
    fact: Annotated[str, Field(max_length=200)] = ""
    tint: MeasureBody = MeasureBody(formula="")
    codes: Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=10_000)] = []
    run: Annotated[int, Field(ge=1, le=LARGEST_NUMBER)] | None = None
    step: Annotated[str, Field(max_length=60)] = ""
    session: bool = False
    first: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)] = 0
    count: Annotated[int, Field(ge=1, le=MOST_FRAMES)] = MOST_FRAMES

    def asked(self) -> ScatterAsked:
        arranged = ScatterSet(
            universe=self.universe, trail=self.trail, move=self.move, forming=self.forming,
            x=self.x.measure(), y=self.y.measure(), size=self.size.measure(),
            fact=self.fact, tint=self.tint.measure(),
        )  # fmt: skip
        return ScatterAsked(
            arranged=arranged, codes=tuple(self.codes), run=self.run, step=self.step,
            session=self.session, first=self.first, count=self.count,
        )  # fmt: skip


class SpanBody(Request):
    bars: Annotated[str, Field(max_length=60)]
    count: Annotated[int, Field(ge=1, le=MOST_BACK)]
    label: Annotated[str, Field(max_length=60)] = ""


class StrengthBody(Request):
    universe: Annotated[str, Field(max_length=200)]
    spans: Annotated[list[SpanBody], Field(min_length=1, max_length=12)]
    unit: StrengthUnit = StrengthUnit.PERCENT
    without: Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=100)] = []
    history: Annotated[int, Field(ge=2, le=MOST_BACK)] = 160
    forming: bool = False
    line: Annotated[int, Field(ge=0, le=11)] = 0

    def asked(self) -> StrengthSet:
        return StrengthSet(
            universe=self.universe, spans=tuple(StrengthSpan(**own.model_dump()) for own in self.spans),
            unit=self.unit, without=tuple(self.without), history=self.history, forming=self.forming,
        )  # fmt: skip


class OverviewBody(Request):
    """How the overview is arranged; what a part of it does not look at may be left out."""

    arranged: OverviewSet

    @field_validator("arranged")
    @classmethod
    def _not_too_much(cls, arranged: OverviewSet) -> OverviewSet:
        asked = sum(len(subject.bars) for subject in arranged.subjects) * len(arranged.statements)
        for what, count, most in (
            ("statements", asked, 300), ("lines", len(arranged.breadth), 20),
            ("spans", len(arranged.spans), 20), ("bars", len(arranged.tight.bars), 8),
            ("days", arranged.ahead, 400), ("bars", arranged.history, 5000),
            ("bars", arranged.tight.within, 500),
        ):  # fmt: skip
            if count > most:
                raise ValueError(f"{count} {what} are more than can be told: at most {most}")
        if any(not 1 <= span.count <= MOST_BACK for span in arranged.spans) or arranged.history < 2:
            raise ValueError(f"spans go 1 to {MOST_BACK} bars back, breadth at least 2")
        return arranged


class AheadQuery(Request):
    days: Annotated[int, Field(ge=0, le=400)] = 10


class GroundBody(Request):
    bars: Annotated[str, Field(max_length=60)]
    formula: Annotated[str, Field(min_length=1, max_length=20_000)]


class SettlesBody(Request):
    formula: Annotated[str, Field(min_length=1, max_length=20_000)]
    bars: Annotated[str, Field(max_length=60)] = "15m"
    horizon: Annotated[int, Field(ge=1, le=MOST_BACK)] = 40
    when: When = When.COMES


class OutlookBody(Request):
    code: Annotated[str, Field(max_length=60)]
    lean: Annotated[int, Field(ge=-2, le=2)]
    note: Annotated[str, Field(max_length=4000)] = ""
    reasons: Annotated[list[GroundBody], Field(max_length=20)] = []
    settles: SettlesBody
    universe: Annotated[str, Field(max_length=200)] = EVERYTHING
    """Within which reasons compare instruments."""

    def draft(self) -> Draft:
        return Draft(
            code=self.code, lean=self.lean, note=self.note,
            grounds=tuple(Ground(**own.model_dump()) for own in self.reasons),
            settles=Settles(**self.settles.model_dump()),
        )  # fmt: skip


class ArrangementBody(Request):
    name: Annotated[str, Field(max_length=200)]
    body: dict[str, Any]
    based_on: Annotated[int, Field(ge=0, le=LARGEST_NUMBER)] = 0


class MoveQuery(Request):
    moment: Instant
    step: Literal["bar", "session", "week"]
    back: bool = True
    bars: Annotated[str, Field(max_length=60)] = "1d"
    code: Annotated[str, Field(max_length=60)] = ""


class WrittenQuery(Request):
    text: Annotated[str, Field(max_length=200)]
    moment: Instant


class UniversePreviewBody(Request):
    name: Annotated[str, Field(max_length=120)] = ""
    rule: Rule
    as_of: Instant | None = None


class CodesBody(Request):
    text: Annotated[str, Field(max_length=1_000_000)]


class UniverseQuery(Request):
    universe: str


class HitChartBody(DressBody):
    bars: Annotated[int, Field(ge=30, le=2000)] = 420
    before: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)] | None = None

    def part(self) -> Part:
        return Part(count=self.bars, before=self.before)


class LookedBody(DressBody):
    bars: Annotated[str, Field(min_length=1, max_length=40)] = "1d"
    count: Annotated[int, Field(ge=1, le=5000)] = 420
    before: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)] | None = None
    universe: Annotated[str, Field(max_length=200)] = ""
    forming: bool = False

    def looked(self) -> Looked:
        return Looked(
            bars=self.bars,
            part=Part(count=self.count, before=self.before),
            universe=self.universe,
            forming=self.forming,
            dress=self.dress(),
        )


class SpeedsBody(Request):
    bars: Annotated[str, Field(min_length=1, max_length=40)] = "1d"
    text: FormulaText
    control: Annotated[int, Field(ge=0, le=100)]
    values: Annotated[list[float], Field(min_length=1, max_length=9)]
    since: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)]
    until: Annotated[int, Field(ge=-LARGEST_NUMBER, le=2**40)]
    universe: Annotated[str, Field(max_length=200)] = ""
    forming: bool = False

    def asked(self) -> AskedSpeeds:
        return AskedSpeeds(**(self.model_dump() | {"values": tuple(self.values)}))


MOST_HITS = 500
"""Hits of one page."""
_KEYS = [column.key for column in COLUMNS]


class HitWordsQuery(Request):
    """``words`` have all to stand in code, name, parts, news or verdict."""

    words: str = Field(default="", max_length=200)


class HitsRequest(Request):
    """Which page of hits: ``words`` have all to stand in code, name, parts, news or verdict."""

    sort: Annotated[
        str, Field(pattern=f"^({'|'.join(_KEYS)})$", json_schema_extra={"enum": _KEYS})
    ] = "place"
    down: bool = False
    words: str = Field(default="", max_length=200)
    first: int = Field(default=0, ge=0, le=LARGEST_NUMBER)
    count: int = Field(default=100, ge=1, le=MOST_HITS)


class HitsFileRequest(Request):
    """Hits as a file, sorted and filtered as they are seen."""

    format: Literal["csv", "parquet", "json"]
    sort: Annotated[
        str, Field(pattern=f"^({'|'.join(_KEYS)})$", json_schema_extra={"enum": _KEYS})
    ] = "place"
    down: bool = False
    words: str = Field(default="", max_length=200)


class OpenRequest(Request):
    after: int = Field(default=0, ge=0, le=LARGEST_NUMBER)
