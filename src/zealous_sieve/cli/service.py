"""serve, worker, compute, demo: its processes; reference: what is generated from it."""

from __future__ import annotations

from pathlib import Path

import click

from zealous_sieve import bootstrap, environment
from zealous_sieve.cli.reference import write_reference
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.table.demo import begin_empty, fill_demo

_ROOT = Path(__file__).resolve().parents[3]


@click.command("serve")
@click.option("--port", default=8437, show_default=True, type=click.IntRange(1, 65535))
def serve_web(port: int) -> None:
    """Run the web process on the database in ZEALOUS_SIEVE_DATABASE."""

    bootstrap.run_web(port)


@click.command("worker")
def worker() -> None:
    """Run the worker on the database in ZEALOUS_SIEVE_DATABASE."""

    bootstrap.run_worker()


@click.command("compute")
def compute() -> None:
    """Run the process that computes, on the database in ZEALOUS_SIEVE_DATABASE."""
    bootstrap.run_compute()


@click.command("demo")
@click.option("--empty", is_flag=True, help="Begin without the demo.")
def demo(empty: bool) -> None:
    """Bring the tables up to date, fill in the demo market once, compile what computes."""
    address = environment.address()
    migrate(address)
    compiling = bootstrap.begin_to_compile()
    begin = begin_empty if empty else fill_demo
    begin(bootstrap.outside(address), _say)
    if not environment.is_compiled():
        _say("compiling what computes (kept for later starts)")
        for part in compiling:
            part.wait()
        bootstrap.have_compiled()


def _say(message: str) -> None:
    click.echo(f"zealous-sieve: {message}")


@click.command("reference")
@click.option("--out", type=click.Path(path_type=Path), default=_ROOT / "docs" / "reference")
def reference(out: Path) -> None:
    """Write what is generated: the function pages, the sieve's JSON Schema, the OpenAPI document."""
    write_reference(out)


COMMANDS = (serve_web, worker, compute, demo, reference)
