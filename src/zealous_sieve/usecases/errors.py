"""What can go wrong with a request, beyond what the core finds wrong with its content."""

from __future__ import annotations

from zealous_sieve.core.errors import Portable, Problem


class UseCaseError(Portable):
    """Root of the errors of this layer."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(str(problem))
        self.problem = problem


class NotFoundError(UseCaseError):
    """What was asked for does not exist, or no longer."""

    def __init__(self, what: str, which: object) -> None:
        super().__init__(Problem(code="not_found", message=f"there is no {what} {which}"))


class ConflictError(UseCaseError):
    """What was asked for does not go together with the present state."""

    def __init__(self, code: str, message: str, mend: str | None = None) -> None:
        super().__init__(Problem(code=code, message=message, mend=mend))


class OutageError(UseCaseError):
    """What the application is built on can't be used now."""


class AwayError(OutageError):
    """What the application is built on does not answer now; asked again later, it may."""


class DiedError(AwayError):
    """What computed ended without a result, as a process does that is killed."""


class DiskFullError(OutageError):
    """There is no room to keep what was to be kept; nothing was changed."""


class TooMuchError(UseCaseError):
    """A computation needs more time or memory than it may have."""


def computing_away() -> AwayError:
    """The process that computes can't be reached."""
    message = "what computes is being started"
    return AwayError(
        Problem(code="computing_away", message=message, mend="try again in a few seconds")
    )


def database_away() -> AwayError:
    """The database can't be reached."""
    message = "the database is away"
    mend = "it is started again by itself: try again in a few seconds"
    return AwayError(Problem(code="database_away", message=message, mend=mend))


def gone_meanwhile() -> ConflictError:
    """What something is to belong to was replaced while it was being kept."""
    message = "what this belongs to was replaced meanwhile; nothing was changed"
    return ConflictError("gone_meanwhile", message, "look at it again, then do it anew")


def disk_full() -> DiskFullError:
    """The database has no room on its disk."""
    message = "the disk is full; nothing was changed"
    mend = "make room on the disk that holds the data, then try again"
    return DiskFullError(Problem(code="disk_full", message=message, mend=mend))
