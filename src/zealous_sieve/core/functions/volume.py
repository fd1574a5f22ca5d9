"""Volume: how much changed hands, and on which side."""

from __future__ import annotations

import math

from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import Family, Input, Kind, Output, length
from zealous_sieve.core.functions.units import MONEY, NONE, PRICE, RATIO, VOLUME

volume = Family("Volume")

volume.add(
    "rel_volume",
    "Relative volume",
    parameters=(length(default=20),),
    outputs=(Output(unit=RATIO, levels=(1,)),),
    body="volume / prev(sma(volume, n))",
    meaning="This bar's volume against the mean of the n bars before it.",
    reading="Above 2 the bar drew a crowd; breakouts are trusted more with it.",
    pitfalls="Report days and expiries are busy whatever price does.",
    source="Plain arithmetic.",
)
volume.add(
    "dollar_volume",
    "Turnover",
    parameters=(length(default=20),),
    outputs=(Output(unit=MONEY),),
    body="sma(close * volume, n)",
    meaning="The mean value traded a bar over n bars, in the instrument's currency.",
    reading="A floor on it keeps what can't be bought or sold in size out of a list.",
    pitfalls="In the instrument's own currency and without its point value.",
    source="Plain arithmetic.",
)


@volume.function(
    "obv",
    "On-balance volume",
    reads=("close", "volume"),
    outputs=(Output(unit=VOLUME),),
    meaning="Volume added up, plus on rising closes, minus on falling ones.",
    reading="Rising while price rests is taken as buying.",
    pitfalls="Its level depends on where the data begin: read its direction only.",
    formula="before ± volume by the sign of change(close), 0 on the first bar",
    source="J. E. Granville, 1963.",
)
@kernel(inputs=2, reach=None)
def obv(spans, close, volume, out):  # type: ignore[no-untyped-def]
    for s in spans:
        for t in range(s.begin, s.end):
            if close[t] != close[t] or volume[t] != volume[t]:
                out[t] = math.nan
            elif t == s.first or out[t - 1] != out[t - 1]:
                out[t] = 0.0
            elif close[t] > close[t - 1]:
                out[t] = out[t - 1] + volume[t]
            elif close[t] < close[t - 1]:
                out[t] = out[t - 1] - volume[t]
            else:
                out[t] = out[t - 1]


volume.add(
    "cmf",
    "Money flow",
    parameters=(length(default=20),),
    outputs=(Output(unit=NONE, span=(-1, 1), levels=(0,)),),
    body="""place = if_then(high == low, 0, (2 * close - high - low) / (high - low))
sum(place * volume, n) / sum(volume, n)""",
    meaning="Volume weighted by where in its range each bar closed, -1 to 1.",
    reading="Above zero closes near the high drew the volume.",
    pitfalls="Gaps are not seen: a bar that gaps down and closes at its high counts as buying.",
    source="M. Chaikin.",
)
volume.add(
    "mfi",
    "Money flow index",
    parameters=(length(default=14),),
    outputs=(Output(unit=NONE, span=(0, 100), levels=(20, 80)),),
    body="""flow = hlc3 * volume
gain = sum(if_then(change(hlc3) > 0, flow, 0), n)
loss = sum(if_then(change(hlc3) < 0, flow, 0), n)
if_then(gain + loss == 0, 50, 100 * gain / (gain + loss))""",
    meaning="The share of turnover on rising bars in all turnover of n bars, 0 to 100.",
    reading="As relative strength, with volume in it.",
    pitfalls="One very busy bar rules it for n bars.",
    source="G. Quong and A. Soudack, 1989.",
)


@kernel(reach=None)
def running_sum(spans, x, out):  # type: ignore[no-untyped-def]
    """All that came before added up; begins anew after a gap."""
    for s in spans:
        for t in range(s.begin, s.end):
            before = out[t - 1] if t > s.first else math.nan
            out[t] = x[t] + before if before == before else x[t]


@kernel(inputs=2, reach=None)
def sum_since(spans, a, x, out):  # type: ignore[no-untyped-def]
    """Added up from the last bar on which the truth was yes; missing before the first."""
    for s in spans:
        for t in range(s.begin, s.end):
            out[t] = x[t] if a[t] == 1.0 else (out[t - 1] + x[t] if t > s.first else math.nan)


volume.step("running_sum", inputs=1, outputs=(Output(unit="x0"),))
volume.add(
    "_sum_since",
    "sum since",
    kernel=sum_since,
    inputs=(Input(name="truth", kind=Kind.TRUTH), Input(name="x")),
    outputs=(Output(unit="x"),),
    meaning="",
    reading="",
    pitfalls="",
    formula="",
    source="",
)
volume.add(
    "adl",
    "Accumulation line",
    outputs=(Output(unit=VOLUME),),
    body="_running_sum(if_then(high == low, 0, (2 * close - high - low) / (high - low)) * volume)",
    meaning="Volume added up, each bar's weighted by where in its range it closed.",
    reading="Rising while price rests is taken as buying.",
    pitfalls="Its level depends on where the data begin; gaps are not seen.",
    source="M. Chaikin.",
)
volume.add(
    "anchored_vwap",
    "Anchored VWAP",
    inputs=(Input(name="truth", kind=Kind.TRUTH),),
    outputs=(Output(unit=PRICE),),
    body="""start = truth and not (prev(truth) and truth)
_sum_since(start, hlc3 * volume) / _sum_since(start, volume)""",
    meaning="The mean price by volume since the condition last became yes.",
    reading="What those who came in since that moment paid on average.",
    pitfalls="Missing before the condition has been yes once.",
    source="Volume-weighted mean price.",
)
