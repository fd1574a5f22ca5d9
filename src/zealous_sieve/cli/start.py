"""up: everything on this machine; open, pass: who is let in. Loads little, so that it is there at once."""

from __future__ import annotations

from pathlib import Path

import click

from zealous_sieve.admission import Admission
from zealous_sieve.environment import data_folder
from zealous_sieve.local.opening import let_browser_in, port_of
from zealous_sieve.local.up import up
from zealous_sieve.storage.machine import MACHINE_NAME, MachineFile

FOLDER = click.Path(path_type=Path, exists=True, file_okay=False, resolve_path=True)


@click.command("up")
@click.option("--port", default=8437, show_default=True, type=click.IntRange(1, 65535))
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


@click.command("open")
def open_pages() -> None:
    """Print an address that lets one browser in, once, and open it where there is a screen."""
    folder = data_folder()
    click.echo(let_browser_in(folder, port_of(folder)))


@click.command("pass")
def print_pass() -> None:
    """Print a pass that is good for an hour, for `Authorization: Bearer` of a request."""
    folder = data_folder()
    try:
        click.echo(Admission.known(folder).script_pass())
    except FileNotFoundError:
        raise SystemExit(f"there is no desk in {folder}: begin one with ./start") from None
    except OSError as error:
        why = f"{error.strerror}: only the account that it belongs to can"
        raise SystemExit(f"the desk in {folder} can't be asked ({why})") from None


@click.command("allow")
@click.argument("folders", nargs=-1, type=FOLDER)
def allow(folders: tuple[Path, ...]) -> None:
    """Allow FOLDERS to be read again and again from the pages, with all that lies below them; without one,
    tell which are allowed. They are kept in a file beside the data."""
    machine = MachineFile(data_folder() / MACHINE_NAME)
    for folder in folders:
        machine.allow(folder)
    for place in machine.places():
        click.echo(place)


COMMANDS = (allow, run_all, open_pages, print_pass)
