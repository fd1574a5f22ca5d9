"""eval, check, scan and signals: no database is needed for bars from files."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

import click

from zealous_sieve.cli.checking import formula_text
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.timeframe import WRITTEN_SO
from zealous_sieve.core.sieve.definition import read_sieve
from zealous_sieve.storage.any_bars import FileOfBars, read_any_bars
from zealous_sieve.storage.files import exact, iso, write_table
from zealous_sieve.storage.instrument_files import read_instruments
from zealous_sieve.usecases.across.on_files import (
    Evaluated,
    SieveOnBars,
    evaluated,
    panel_of,
    sieve_on_desk,
    sieve_on_files,
    sifted,
    signals,
)
from zealous_sieve.usecases.desk.desk import Desk

FILE = click.Path(path_type=Path, exists=True, dir_okay=False)
OUT = click.Path(path_type=Path, dir_okay=False, writable=True)
_INSTRUMENTS = click.option(
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


def read_panel(files: Sequence[Path], instruments: Path | None) -> Panel:
    """The bars of several files, with what another says of the instruments."""
    known = read_instruments(instruments) if instruments else {}
    return panel_of([(str(file), bars_in(file).series) for file in files], known)


def written(evaluated: Evaluated, name: str) -> list[str]:
    """A result as text: 17 digits, missing empty; truths as yes, no and unknown."""
    values = evaluated.results[name].tolist()
    if name in evaluated.truths:
        return [TRUTHS.get(value, "unknown") for value in values]
    return [exact(value) for value in values]


@click.command("eval")
@click.argument("formula")
@click.option("--bars", required=True, type=FILE, help="CSV or Parquet file of bars.")
@click.option("--instrument", help="Only this one, where the file holds several.")
@click.option("--timeframe", "frame", help=f"Build bars first: {WRITTEN_SO}.")
@_INSTRUMENTS
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
    found = evaluated(
        LOCAL,
        formula_text(formula),
        read_panel([bars], instruments),
        dict(_setting(pair) for pair in inputs),
        instrument=instrument,
        bars=frame,
        forming=forming,
    )
    columns = {"instrument": found.instruments} if found.instruments else {}
    columns["time"] = [iso(moment) for moment in found.times]
    columns |= {name: written(found, name) for name in found.results}
    if out:
        write_table(columns, out)
    else:
        _print(columns)


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


def over_a_market(command: Callable[..., None]) -> Callable[..., None]:
    """What commands have in common that look at a market with a sieve."""
    for option in (
        click.option(
            "--as-of", metavar="TIME", help="Look from this moment, ISO 8601 with offset."
        ),
        _INSTRUMENTS,
        click.option("--bars", multiple=True, type=FILE, help="Files in place of the database."),
        click.argument("sieve", type=FILE),
    ):
        command = option(command)
    return command


def _looked_at(
    sieve: Path, bars: Sequence[Path], instruments: Path | None, as_of: str | None
) -> SieveOnBars:
    """A sieve made ready, and the bars that it looks at."""
    read, when = read_sieve(sieve.read_bytes()), moment(as_of)
    if bars:
        return sieve_on_files(read, read_panel(bars, instruments), when)
    return sieve_on_desk(read, running_desk(), when)


def running_desk() -> Desk:
    """The desk of this folder."""
    from zealous_sieve import bootstrap
    from zealous_sieve.local.found import desk_address
    from zealous_sieve.usecases.desk.present import desk_of

    return desk_of(bootstrap.outside(desk_address()))


@click.command("scan")
@over_a_market
@click.option("--out", type=OUT, help="hits.csv, .json or .parquet; default: the terminal.")
def scan_sieve(
    sieve: Path,
    bars: Sequence[Path],
    instruments: Path | None,
    as_of: str | None,
    out: Path | None,
) -> None:
    """Sift with SIEVE, a JSON document; with files, over all their instruments."""
    found = sifted(LOCAL, _looked_at(sieve, bars, instruments, as_of))
    undecided = "".join(f", {count} {cause}" for cause, count in found.undecided.items())
    click.echo(f"{len(found.hits)} of {found.instruments} pass{undecided}", err=True)
    if out:
        write_table(found.table, out)
    else:
        for hit in found.hits:
            click.echo(
                f"{hit.code}\t{hit.side}\tage {hit.age}\tscore {hit.score:g}\tclose {hit.close:.10g}"
            )


@click.command("signals")
@over_a_market
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
    found = signals(LOCAL, _looked_at(sieve, bars, instruments, as_of))
    columns = {
        "instrument": found.instruments,
        "time": [iso(moment) for moment in found.times],
        "side": found.sides,
        "state": found.states,
    }
    if out:
        write_table(columns, out)
    else:
        _print(columns)


def moment(text: str | None) -> datetime | None:
    """A moment as it is written for a command."""
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise click.BadParameter(f"{text!r} is not ISO 8601", param_hint="--as-of") from None
    if found.tzinfo is None:
        raise click.BadParameter("the time needs an offset, such as Z", param_hint="--as-of")
    return found


COMMANDS = (evaluate_formula, scan_sieve, tell_signals)
