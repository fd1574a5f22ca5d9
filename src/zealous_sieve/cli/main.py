"""The command line: for cron, notebooks, and checks from outside."""

from __future__ import annotations

import sys
from importlib import import_module

import click

from zealous_sieve import __version__
from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.functions.compiling import compile_nothing
from zealous_sieve.usecases.errors import UseCaseError

MODULES = {
    "allow": ("start", "Allow a folder to be read from the pages."),
    "backup": ("transfer", "Write everything that was made here to a file."),
    "check": ("checking", "Say what a formula means, or what is wrong with it."),
    "compute": ("service", "Serve the process that computes."),
    "demo": ("service", "Make the demo market, or begin empty."),
    "eval": ("formulas", "Compute a formula over bars of a file."),
    "evidence": ("evidence", "Tell what followed on the signals of a sieve."),
    "export": ("transfer", "Write bars, sieves or hits to files."),
    "import": ("transfer", "Take bars, sieves or files of any shape in."),
    "open": ("start", "Print and open an address that lets a browser in."),
    "pass": ("start", "Print what a script shows to be let in."),
    "reference": ("service", "Write the reference of the language and the API."),
    "restore": ("transfer", "Put back what a backup holds."),
    "scan": ("formulas", "Sift bars of files with a sieve."),
    "serve": ("service", "Serve the pages."),
    "signals": ("formulas", "Tell when a sieve fired on bars of files."),
    "up": ("start", "Run everything on this machine."),
    "worker": ("service", "Work on what waits."),
}
"""Which module holds a command, loaded when the command is wanted; and what it does, for the list."""


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(MODULES)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in MODULES:
            return None
        module = import_module(f"zealous_sieve.cli.{MODULES[cmd_name][0]}")
        commands: tuple[click.Command, ...] = module.COMMANDS
        return next(command for command in commands if command.name == cmd_name)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List them without loading one."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, told) for name, (_, told) in MODULES.items()])


@click.group(
    cls=_Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.version_option(__version__, prog_name="zealous-sieve")
def commands() -> None:
    """Zealous Sieve: formulas and conditions, sifted over a market, reviewed on charts."""


def main() -> None:
    """Run a command; errors of ours end with their text and exit code 1."""
    if sys.argv[1:2] == ["check"]:
        compile_nothing()
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
