"""What can be wrong, as a record that says what, where and how to mend it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, kw_only=True, slots=True)
class Place:
    """A stretch of text: line and column count from 1, length in characters."""

    line: int
    column: int
    length: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Problem:
    """One thing that is wrong.

    ``code`` is stable and machine-readable; ``message`` is a sentence; ``place`` says where in
    the text the user wrote, ``subject`` which part of a larger whole it is about (such as
    ``conditions.1.formula``); ``mend`` says what to do about it, where that is known.
    """

    code: str
    message: str
    place: Place | None = None
    mend: str | None = None
    subject: str | None = None

    def __str__(self) -> str:
        where = f"line {self.place.line}, column {self.place.column}: " if self.place else ""
        mend = f" ({self.mend})" if self.mend else ""
        subject = f"{self.subject}: " if self.subject else ""
        return f"{subject}{where}{self.message}{mend}"


class Portable(Exception):  # noqa: N818 - a property of errors, none of its own
    """An error that can go from one process to another, whatever its constructor takes."""

    def __reduce__(self) -> tuple[Any, ...]:
        return _again, (type(self), self.args), self.__dict__


def _again(kind: type[Exception], args: tuple[object, ...]) -> Exception:
    error = kind.__new__(kind)
    error.args = args
    return error


class CoreError(Portable):
    """Root of every error the core raises; carries one or more problems."""

    def __init__(self, *problems: Problem) -> None:
        super().__init__("\n".join(str(problem) for problem in problems))
        self.problems = problems

    @property
    def problem(self) -> Problem:
        """The first problem, for callers that show one."""
        return self.problems[0]


class FormulaError(CoreError):
    """The text of a formula can't be read or makes no sense."""


class TooLargeError(FormulaError):
    """A formula costs more than it may; that is so for the whole, not for each part of it."""


class DataError(CoreError):
    """Bars, instruments or files from outside can't be taken as they are."""


class SieveError(CoreError):
    """The definition of a sieve can't be used."""


class CancelledError(CoreError):
    """The work was stopped on request."""

    def __init__(self) -> None:
        super().__init__(Problem(code="cancelled", message="the work was cancelled"))
