"""up: everything on this machine; loads little, so that it is there at once."""

from __future__ import annotations

import click

from zealous_sieve.local.found import data_folder
from zealous_sieve.local.up import up


@click.command("up")
@click.option("--port", default=8437, show_default=True)
@click.option("--fresh", is_flag=True, help="Delete the data and begin anew.")
@click.option(
    "--empty", is_flag=True, help="Begin without the demo; with data there, changes nothing."
)
@click.option("--prepare", "prepare_only", is_flag=True, help="Set everything up, then stop.")
def run_all(port: int, fresh: bool, empty: bool, prepare_only: bool) -> None:
    """Run everything on this machine, PostgreSQL included; what ./start calls."""
    raise SystemExit(
        up(data_folder(), port=port, fresh=fresh, empty=empty, prepare_only=prepare_only)
    )


COMMANDS = (run_all,)
