"""serve, worker, demo, up: running the application; reference: what is generated from it."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import click
from gunicorn.app.base import BaseApplication

from zealous_sieve import wiring
from zealous_sieve.cli.reference import write_reference
from zealous_sieve.core.engine.warm import warm_cache
from zealous_sieve.local.parent import follow_parent
from zealous_sieve.local.up import up
from zealous_sieve.storage.database import migrate
from zealous_sieve.usecases.demo import fill_demo

ROOT = Path(__file__).resolve().parents[3]
THREADS = 24


class _Server(BaseApplication):  # type: ignore[misc]
    """One process with threads: the bars are in memory once."""

    def __init__(self, port: int) -> None:
        self.port = port
        super().__init__()

    def load_config(self) -> None:
        settings: dict[str, Any] = {
            "bind": f"127.0.0.1:{self.port}",
            "workers": 1,
            "threads": THREADS,
            "timeout": 120,
            "graceful_timeout": 1,
            "loglevel": "warning",
            "control_socket_disable": True,
        }
        for name, value in settings.items():
            if name in self.cfg.settings:
                self.cfg.set(name, value)

    def load(self) -> Any:
        return wiring.web_app()


@click.command("serve")
@click.option("--port", default=8437, show_default=True)
def serve(port: int) -> None:
    """Run the web process on the database in ZEALOUS_SIEVE_DATABASE."""
    follow_parent()
    _Server(port).run()


@click.command("worker")
def worker() -> None:
    """Run the worker on the database in ZEALOUS_SIEVE_DATABASE."""
    follow_parent()
    wiring.run_worker()


@click.command("demo")
def demo() -> None:
    """Bring the tables up to date, fill in the demo market once, compile what computes."""
    address = wiring.address_from_environment()
    migrate(address)
    fill_demo(wiring.outside(address), _say)
    _say("compiling what computes (kept for later starts)")
    warm_cache()


def _say(message: str) -> None:
    click.echo(f"zealous-sieve: {message}")


@click.command("up")
@click.option("--port", default=8437, show_default=True)
@click.option("--fresh", is_flag=True, help="Delete the data and begin anew.")
@click.option("--prepare", "prepare_only", is_flag=True, help="Set everything up, then stop.")
def run_all(port: int, fresh: bool, prepare_only: bool) -> None:
    """Run everything on this machine, PostgreSQL included; what ./start calls."""
    folder = Path(os.environ.get("ZEALOUS_SIEVE_DATA", ROOT / ".data"))
    raise SystemExit(up(folder, port=port, fresh=fresh, prepare_only=prepare_only))


@click.command("reference")
@click.option("--out", type=click.Path(path_type=Path), default=ROOT / "docs" / "reference")
def reference(out: Path) -> None:
    """Write what is generated: the function pages, the sieve's JSON Schema, the OpenAPI document."""
    write_reference(out)


COMMANDS = (serve, worker, demo, run_all, reference)
