"""What can go wrong with a request, beyond what the core finds wrong with its content."""

from __future__ import annotations

from zealous_sieve.core.errors import Problem


class UseCaseError(Exception):
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
