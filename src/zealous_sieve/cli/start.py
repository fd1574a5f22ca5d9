"""up: everything on this machine; loads little, so that it is there at once."""

from __future__ import annotations

import os
from pathlib import Path

import click

from zealous_sieve.local.up import up

ROOT = Path(__file__).resolve().parents[3]


@click.command("up")
@click.option("--port", default=8437, show_default=True)
@click.option("--fresh", is_flag=True, help="Delete the data and begin anew.")
@click.option(
    "--empty", is_flag=True, help="Begin without the demo; with data there, changes nothing."
)
@click.option("--prepare", "prepare_only", is_flag=True, help="Set everything up, then stop.")
def run_all(port: int, fresh: bool, empty: bool, prepare_only: bool) -> None:
    """Run everything on this machine, PostgreSQL included; what ./start calls."""
    folder = Path(os.environ.get("ZEALOUS_SIEVE_DATA", ROOT / ".data"))
    raise SystemExit(up(folder, port=port, fresh=fresh, empty=empty, prepare_only=prepare_only))


COMMANDS = (run_all,)
