"""import and export: bars and sieves in, bars, sieves and hits out."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

import click

from zealous_sieve import bootstrap
from zealous_sieve.cli.formulas import FILE, OUT, bars_in
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.sieve.definition import read_sieve, write_sieve
from zealous_sieve.local.found import desk_address
from zealous_sieve.storage.files import write_bars, write_table
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import codes_of
from zealous_sieve.usecases.shaping.library import desk_library, with_library
from zealous_sieve.usecases.shaping.sieves import create_sieve, get_sieve
from zealous_sieve.usecases.sifting.hits import all_hits
from zealous_sieve.usecases.table.imported_bars import keep_bars
from zealous_sieve.usecases.table.imports import LONGEST_NAME
from zealous_sieve.usecases.table.sources import FileReading, Folder, read_files, read_folder


def _outside() -> Outside:
    return bootstrap.outside(desk_address())


@click.group("import")
def take_in() -> None:
    """Take bars or sieves into the database."""


@take_in.command("bars")
@click.argument("files", nargs=-1, required=True, type=FILE)
def import_bar_files(files: Sequence[Path]) -> None:
    """Import FILES of bars of any shape: all of them or, on any fault, none."""
    read = [(str(file), bars_in(file)) for file in files]
    unsaid = {one.unsaid for _, one in read}
    if len(unsaid) > 1:
        message = "some of the files say less of their bars than others"
        mend = "import those with all prices first, the others after them"
        raise DataError(Problem(code="files_disagree", message=message, mend=mend))
    bars = joined_files([(file, one.series) for file, one in read])
    name = ", ".join(file.name for file in files)[:LONGEST_NAME]
    done = keep_bars(_outside(), name, bars, unsaid.pop())
    plural = "" if done.instruments == 1 else "s"
    click.echo(
        f"{done.bars} bars of {done.instruments} instrument{plural}, {done.added} of them new"
    )
    for finding in done.findings:
        click.echo(f"{finding.code}: {finding.kind}: {finding.detail}")


@take_in.command("files")
@click.argument("files", nargs=-1, type=FILE)
@click.option(
    "--watch",
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    help="A folder to read again and again, until stopped.",
)
@click.option("--every", default=10.0, show_default=True, help="Seconds between two looks.")
@click.option("--once", is_flag=True, help="Look at the folder once and end.")
def import_files(files: Sequence[Path], watch: Path | None, every: float, once: bool) -> None:
    """Import FILES of any shape: bars, trades, instruments, events, venues. What can't be taken of them is
    told; the rest is taken. With --watch, the files of a folder, and each again when it changes."""
    outside = _outside()
    failed = [_say_of(reading) for reading in read_files(outside, files)]
    if watch is not None:
        settled: dict[str, str] = {}
        folder = Folder(watch, {}, {})
        while True:
            settled = read_folder(outside, folder, settled, _say_of, at_once=once)
            if once:
                break
            time.sleep(every)
    if any(failed):
        raise SystemExit(1)


def _say_of(reading: FileReading) -> bool:
    """Tell what came of a file; whether nothing did."""
    refused = f", {reading.refused} rows refused" if reading.refused else ""
    click.echo(f"{reading.name}: {reading.trouble or f'{reading.taken} taken{refused}'}")
    return bool(reading.trouble)


@take_in.command("sieve")
@click.argument("file", type=FILE)
def import_sieve_file(file: Path) -> None:
    """Import a sieve from its JSON document."""
    stored = create_sieve(_outside(), read_sieve(file.read_bytes()))
    click.echo(f"sieve {stored.id}: {stored.sieve.name}")


@click.group("export")
def give_out() -> None:
    """Write bars, sieves or hits to files."""


@give_out.command("sieve")
@click.argument("sieve_id", type=int)
@click.option("--out", type=OUT, help="Default: the terminal.")
def export_sieve(sieve_id: int, out: Path | None) -> None:
    """Write a sieve as its JSON document."""
    outside = _outside()
    stored = get_sieve(outside.sieves, sieve_id)
    text = write_sieve(with_library(stored.sieve, desk_library(outside.formulas)))
    if out:
        out.write_text(text, "utf-8")
    else:
        click.echo(text, nl=False)


@give_out.command("hits")
@click.argument("run_id", type=int)
@click.option("--out", required=True, type=OUT, help="hits.csv, .json or .parquet.")
def export_hits(run_id: int, out: Path) -> None:
    """Write the hits of a run."""
    write_table(all_hits(_outside(), run_id), out)


@give_out.command("bars")
@click.argument("universe")
@click.option("--out", required=True, type=OUT, help="bars.csv or .parquet.")
def export_bars(universe: str, out: Path) -> None:
    """Write the daily bars of a universe."""
    outside = _outside()
    codes = outside.compute.do(Order(), codes_of, universe)
    panel = outside.bars.panel().choose(codes)
    write_bars({code: panel.series(code) for code in codes}, out)


@click.command("backup")
@click.argument("file", type=OUT)
def back_up(file: Path) -> None:
    """Write everything that was made here (sieves, formulas, universes, pairs, corrections, runs with their
    hits and verdicts, preferences) to FILE, a zip. Bars and what came with them are not in it."""
    counts = _outside().backup.write(file)
    click.echo(", ".join(f"{count} {name}" for name, count in counts.items()))


@click.command("restore")
@click.argument("file", type=FILE)
@click.option("--replace", is_flag=True, help="Replace what is there.")
def put_back(file: Path, replace: bool) -> None:
    """Put back what is in FILE, which `zealous-sieve backup` wrote: all of it or nothing."""
    counts = _outside().backup.restore(file, replace=replace)
    click.echo(", ".join(f"{count} {name}" for name, count in counts.items()))


COMMANDS = (take_in, give_out, back_up, put_back)
