"""eval, check, scan and signals: no database is needed for bars from files."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

import click
import numpy as np

from zealous_sieve.cli.checking import text_of
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.known import names_in
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import WRITTEN_SO, of_seconds, read_timeframe, timeframe
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.intake.tables import joined
from zealous_sieve.core.sieve.definition import read_sieve
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.hit_table import Entry, hit_table
from zealous_sieve.core.sieve.judging import sentences
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.storage.any_bars import FileOfBars, read_any_bars
from zealous_sieve.storage.files import exact, iso, write_table
from zealous_sieve.storage.instrument_files import read_instruments

FILE = click.Path(path_type=Path, exists=True, dir_okay=False)
OUT = click.Path(path_type=Path, dir_okay=False, writable=True)
INSTRUMENTS = click.option(
    "--instruments",
    type=FILE,
    help="CSV of what is known of them: code, tick, venue, hours, event:KIND, and facts.",
)
TRUTHS = {1.0: "yes", 0.0: "no"}


def bars_in(file: Path) -> FileOfBars:
    """The bars of a file of any shape; what of it is not sure is told."""
    found = read_any_bars(file)
    for doubt in found.doubts:
        click.echo(f"{file}: {doubt}", err=True)
    return found


def read_panel(files: Sequence[Path]) -> Panel:
    """The bars of several files, those of one instrument put together."""
    found = joined([(str(file), bars_in(file).series) for file in files])
    if len(found) > 1:
        lengths = " and ".join(base.word for base in found)
        message = f"the files hold bars of {lengths}"
        mend = "give files with bars of one length; slower ones are built"
        raise DataError(Problem(code="several_bases", message=message, mend=mend))
    return Panel.of(next(iter(found.values())))


def with_instruments(panel: Panel, file: Path | None) -> Panel:
    """The panel with what a file says of its instruments; else the price step that its prices show."""
    known = read_instruments(file) if file else {}
    ticks = [_step(panel.columns["close"][panel.rows(n)]) for n in range(len(panel))]
    return panel.with_background(
        [known.get(code, Background(tick=ticks[n])) for n, code in enumerate(panel.codes)]
    )


def _step(prices: Column) -> float:
    """The power of ten that all prices are whole multiples of, at least a millionth."""
    known = prices[np.isfinite(prices)]
    for digits in range(6):
        scaled = known * 10.0**digits
        if np.allclose(scaled, np.rint(scaled), rtol=0, atol=1e-6):
            return float(10.0**-digits)
    return 1e-6


def newest(panel: Panel) -> int:
    """The moment at which the last bar of all closed."""
    closes = [panel.close_times(panel.rows(n)) for n in range(len(panel))]
    return max((int(own[-1]) for own in closes if len(own)), default=0)


def written(value: Typed, column: Column) -> list[str]:
    """A result as text: 17 digits, missing empty; truths as yes, no and unknown."""
    if value.kind == Kind.TRUTH:
        return [TRUTHS.get(entry, "unknown") for entry in column.tolist()]
    return [exact(entry) for entry in column.tolist()]


@click.command("eval")
@click.argument("formula")
@click.option("--bars", required=True, type=FILE, help="CSV or Parquet file of bars.")
@click.option("--instrument", help="Only this one, where the file holds several.")
@click.option("--timeframe", "frame", help=f"Build bars first: {WRITTEN_SO}.")
@INSTRUMENTS
@click.option(
    "--forming",
    is_flag=True,
    help="Let unfinished bars count: slower ones as they had developed at each bar, and the last.",
)
@click.option("--input", "inputs", multiple=True, metavar="NAME=VALUE", help="Set an input.")
@click.option("--out", type=OUT, help="CSV file to write; default: the terminal.")
def evaluate_formula(
    formula: str,
    bars: Path,
    instrument: str | None,
    frame: str | None,
    instruments: Path | None,
    forming: bool,
    inputs: Sequence[str],
    out: Path | None,
) -> None:
    """Evaluate FORMULA on every bar of a file (FORMULA may be @FILE)."""
    panel = with_instruments(read_panel([bars]), instruments)
    settings = dict(_setting(pair) for pair in inputs)
    checked = check(text_of(formula), settings, None, names_in(panel))
    if instrument:
        panel.position(instrument)
        panel = panel.choose([instrument])
    panel = _seen(panel, frame, forming=forming)
    results = evaluate({n: v.term for n, v in checked.outputs.items()}, panel)
    columns: dict[str, list[str]] = {}
    if len(panel) > 1:
        lengths = panel.ends - panel.starts
        columns["instrument"] = np.repeat(panel.codes, lengths).tolist()
    rows = np.concatenate([np.arange(*panel.rows(i).indices(2**62)) for i in range(len(panel))])
    columns["time"] = [iso(moment) for moment in panel.times[rows]]
    for name, value in checked.outputs.items():
        columns[name] = written(value, results[name][rows])
    if out:
        write_table(columns, out)
    else:
        _print(columns)


def _seen(panel: Panel, text: str | None, *, forming: bool) -> Panel:
    """Bars as they look when the last bar of the data has closed, as a scan sees them."""
    frame = of_seconds(panel.duration) if text is None else read_timeframe(text)
    if frame is None:
        message = f"{text!r} is not a timeframe; write {WRITTEN_SO}"
        raise click.BadParameter(message, param_hint="--timeframe")
    if text is None and not forming:
        return panel
    return seen_at(panel, newest(panel), frame, forming=forming)


def _print(columns: dict[str, list[str]]) -> None:
    click.echo(",".join(columns))
    for row in zip(*columns.values(), strict=True):
        click.echo(",".join(row))


def _setting(pair: str) -> tuple[str, float]:
    name, _, value = pair.partition("=")
    try:
        return name.strip(), float(value)
    except ValueError:
        raise click.BadParameter(f"{pair!r} is not NAME=VALUE with a number") from None


def _over_a_market(command: Callable[..., None]) -> Callable[..., None]:
    """What commands have in common that look at a market with a sieve."""
    for option in (
        click.option(
            "--as-of", metavar="TIME", help="Look from this moment, ISO 8601 with offset."
        ),
        INSTRUMENTS,
        click.option("--bars", multiple=True, type=FILE, help="Files in place of the database."),
        click.argument("sieve", type=FILE),
    ):
        command = option(command)
    return command


def _prepared(
    sieve: Path, bars: Sequence[Path], instruments: Path | None, as_of: str | None
) -> tuple[Prepared, Panel]:
    """A sieve made ready, and the bars that it looks at."""
    read = read_sieve(sieve.read_bytes())
    moment = _moment(as_of)
    if bars:
        panel = with_instruments(read_panel(bars), instruments)
        looked = int(moment.timestamp()) if moment else newest(panel)
        seen = seen_at(panel, looked, timeframe(read.timeframe), forming=read.forming)
        return prepare(read, None, names_in(panel)), seen
    from zealous_sieve import bootstrap
    from zealous_sieve.local.found import desk_address
    from zealous_sieve.usecases.market import desk_of

    outside = bootstrap.outside(desk_address())
    desk = desk_of(outside)
    chosen = desk.members(read.universe, moment)
    panel = desk.bars(chosen, moment or desk.now, read.timeframe, forming=read.forming)
    return prepare(read, desk.library, desk.reference.names, desk.clock), panel


@click.command("scan")
@_over_a_market
@click.option("--out", type=OUT, help="hits.csv, .json or .parquet; default: the terminal.")
def scan_sieve(
    sieve: Path,
    bars: Sequence[Path],
    instruments: Path | None,
    as_of: str | None,
    out: Path | None,
) -> None:
    """Sift with SIEVE, a JSON document; with files, over all their instruments."""
    prepared, panel = _prepared(sieve, bars, instruments, as_of)
    found = scan(prepared, panel, LOCAL)
    counts = f"{len(found.hits)} of {found.instruments} pass"
    causes: Counter[str] = Counter()
    for one in found.undecided:
        causes[str(one.cause)] += len(one.codes)
    undecided = "".join(f", {count} {cause}" for cause, count in sorted(causes.items()))
    click.echo(counts + undecided, err=True)
    if out:
        entries = [
            Entry(
                hit=hit,
                sentences=sentences(prepared, hit.values, hit.unknown, hit.tick),
                values=prepared.by_condition(hit.values),
            )
            for hit in found.hits
        ]
        formulas = [condition.formula for condition in prepared.sieve.conditions]
        write_table(hit_table(entries, formulas), out)
    else:
        for hit in found.hits:
            click.echo(
                f"{hit.code}\t{hit.side}\tage {hit.age}\tscore {hit.score:g}\tclose {hit.close:g}"
            )


@click.command("signals")
@_over_a_market
@click.option("--out", type=OUT, help="CSV file to write; default: the terminal.")
def tell_signals(
    sieve: Path,
    bars: Sequence[Path],
    instruments: Path | None,
    as_of: str | None,
    out: Path | None,
) -> None:
    """Every bar of the past on which SIEVE fired: its conditions held together, and did not on the bar
    before. What held when it was first known began nobody knows when: its state says so."""
    prepared, panel = _prepared(sieve, bars, instruments, as_of)
    columns: dict[str, list[str]] = {"instrument": [], "time": [], "side": [], "state": []}
    beginnings = find_firings(prepared, panel, LOCAL)
    for state, own in (
        ("fired", beginnings.fired),
        ("held_when_first_known", beginnings.held_when_first_known),
    ):
        columns["instrument"] += [panel.codes[n] for n in own.instrument.tolist()]
        columns["time"] += [iso(moment) for moment in panel.times[own.row]]
        columns["side"] += map(str, own.sides_of())
        columns["state"] += [state] * len(own)
    if out:
        write_table(columns, out)
    else:
        _print(columns)


def _moment(text: str | None) -> datetime | None:
    if text is None:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise click.BadParameter(f"{text!r} is not ISO 8601", param_hint="--as-of") from None
    if moment.tzinfo is None:
        raise click.BadParameter("the time needs an offset, such as Z", param_hint="--as-of")
    return moment


COMMANDS = (evaluate_formula, scan_sieve, tell_signals)
