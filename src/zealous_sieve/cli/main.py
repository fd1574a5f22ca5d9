"""The command line: for cron, notebooks, and checks from outside."""

from __future__ import annotations

import sys
from importlib import import_module

import click

from zealous_sieve import __version__
from zealous_sieve.core.errors import CoreError
from zealous_sieve.usecases.errors import UseCaseError

MODULES = {
    "backup": "transfer",
    "check": "formulas",
    "compute": "service",
    "demo": "service",
    "eval": "formulas",
    "export": "transfer",
    "import": "transfer",
    "reference": "service",
    "restore": "transfer",
    "scan": "formulas",
    "serve": "service",
    "signals": "formulas",
    "up": "start",
    "worker": "service",
}
"""Which module holds a command; it is loaded when the command is wanted."""


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(MODULES)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in MODULES:
            return None
        module = import_module(f"zealous_sieve.cli.{MODULES[cmd_name]}")
        commands: tuple[click.Command, ...] = module.COMMANDS
        return next(command for command in commands if command.name == cmd_name)


@click.group(
    cls=_Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.version_option(__version__, prog_name="zealous-sieve")
def commands() -> None:
    """Zealous Sieve: formulas and conditions, sifted over a market, reviewed on charts."""


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
