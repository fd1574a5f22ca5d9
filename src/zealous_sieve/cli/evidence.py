"""evidence: what followed on the signals of a sieve, as files; without a database for bars from files."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from zealous_sieve.cli.formulas import FILE, moment, over_a_market, read_panel, running_desk
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.evidence.settings import EvidenceSettings, read_settings
from zealous_sieve.core.sieve.definition import read_sieve
from zealous_sieve.storage.files import exact, iso, write_table
from zealous_sieve.usecases.across.on_files import looked_back_on_files, told_evidence
from zealous_sieve.usecases.doubt.looked_back import looked_back

_FOLDER = click.Path(path_type=Path, file_okay=False, writable=True)


@click.command("evidence")
@over_a_market
@click.option("--settings", type=FILE, help="JSON: which signals count, from which price, how far.")
@click.option("--out", type=_FOLDER, required=True, help="Folder for the files that are written.")
def tell_evidence(
    sieve: Path,
    bars: Sequence[Path],
    instruments: Path | None,
    as_of: str | None,
    settings: Path | None,
    out: Path,
) -> None:
    """What followed on the signals of SIEVE, against what usually follows: signals.csv, followed.csv, where
    the settings say how to trade trades.csv, and report.json in a folder. They are put there once all of
    them are written."""
    asked = read_settings(settings.read_bytes()) if settings else EvidenceSettings()
    read, when = read_sieve(sieve.read_bytes()), moment(as_of)
    if bars:
        looked = looked_back_on_files(read, read_panel(bars, instruments), when)
    else:
        desk = running_desk()
        looked = looked_back(desk.at(when) if when else desk, read)
    found = told_evidence(LOCAL, looked, asked)
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out) as folder:
        written = Path(folder)
        write_table(_with_texts(found.signals), written / "signals.csv")
        write_table(_with_texts(found.followed), written / "followed.csv")
        if found.trades:
            write_table(_with_texts(found.trades), written / "trades.csv")
        text = json.dumps(found.report, indent=1, ensure_ascii=False)
        (written / "report.json").write_text(text + "\n", "utf-8")
        for file in sorted(written.iterdir()):
            os.replace(file, out / file.name)
    if not found.trades:
        (out / "trades.csv").unlink(missing_ok=True)
    for sentence in found.sentences:
        click.echo(sentence, err=True)


def _with_texts(table: Mapping[str, list[Any]]) -> dict[str, list[Any]]:
    """A table with moments as ISO 8601, and numbers as text that reads back the same, missing empty."""
    return {
        name: ["" if value is None else iso(value) for value in column]
        if name in ("time", "signal_time", "entry_time", "exit_time")
        else [exact(value) if isinstance(value, float) else value for value in column]
        for name, column in table.items()
    }


COMMANDS = (tell_evidence,)
