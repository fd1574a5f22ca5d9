"""The command line: for cron, notebooks, and checks from outside."""

from __future__ import annotations

import sys

import click

from zealous_sieve import __version__
from zealous_sieve.cli import formulas, service, transfer
from zealous_sieve.core.errors import CoreError
from zealous_sieve.usecases.errors import UseCaseError


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="zealous-sieve")
def commands() -> None:
    """Zealous Sieve: formulas and conditions, sifted over a market, reviewed on charts."""


for _module in (formulas, transfer, service):
    for _command in _module.COMMANDS:
        commands.add_command(_command)


def main() -> None:
    """Run a command; errors of ours end with their text and exit code 1."""
    try:
        commands(standalone_mode=True)
    except CoreError as error:
        for problem in error.problems:
            click.echo(f"error: {problem}", err=True)
        sys.exit(1)
    except UseCaseError as error:
        click.echo(f"error: {error.problem}", err=True)
        sys.exit(1)


if __name__ == "__main__":
    main()
