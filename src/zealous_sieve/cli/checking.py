"""check: what a formula means; loads little, so that it answers at once."""

from __future__ import annotations

import json
from pathlib import Path

import click

from zealous_sieve.usecases.shaping.formulas import as_document, read_formula


def formula_text(argument: str) -> str:
    """A formula that is written, or stands in a file."""
    return Path(argument[1:]).read_text("utf-8") if argument.startswith("@") else argument


@click.command("check")
@click.argument("formula")
@click.option("--json", "as_json", is_flag=True, help="All of it as JSON.")
def check_formula(formula: str, as_json: bool) -> None:
    """Say what FORMULA means, or what is wrong with it and where (FORMULA may be @FILE)."""
    reading = read_formula(formula_text(formula))
    if as_json:
        click.echo(json.dumps(as_document(reading), indent=2, ensure_ascii=False))
    elif reading.ok:
        for output in reading.outputs:
            click.echo(f"{output.name}: {output.kind}, {output.unit}")
        others = "".join(f", {need.bars} of {need.timeframe}" for need in reading.slower)
        bars = "bar" if reading.lookback == 1 else "bars"
        click.echo(f"lookback: {reading.lookback} {bars}{others}")
        click.echo(f"reads: {reading.sentence}")
        click.echo(reading.canonical)
    else:
        for problem in reading.problems:
            click.echo(f"error {problem.code}: {problem}", err=True)
        for offer in reading.offers:
            click.echo(f"did you mean: {offer.text}\n  {offer.sentence}", err=True)
    if not reading.ok:
        raise SystemExit(1)


COMMANDS = (check_formula,)
