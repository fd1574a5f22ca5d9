"""Every error as one JSON shape."""

from __future__ import annotations

import logging
from dataclasses import asdict, dataclass

from flask import Flask, Response, jsonify
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.core.wording import said
from zealous_sieve.usecases.errors import (
    AwayError,
    ConflictError,
    DiskFullError,
    NotFoundError,
    TooMuchError,
    UseCaseError,
)
from zealous_sieve.web.strangers import NotJsonError, NotLetInError, StrangerError

_log = logging.getLogger(__name__)


class TooLateError(UseCaseError):
    """Who sends has stopped in the middle."""


class BodyTooLargeError(UseCaseError):
    """More than a request may bring."""


@dataclass(frozen=True, kw_only=True)
class Failure:
    """What went wrong: the first problem in full, and all of them."""

    code: str
    message: str
    mend: str | None
    problems: tuple[Problem, ...]


def handle_errors(app: Flask) -> None:
    """Answer every exception with a Failure."""

    @app.errorhandler(Exception)
    def answer(error: Exception) -> tuple[Response, int]:
        problems, status = problems_of(error)
        return jsonify(asdict(failure_of(problems))), status


def failure_of(problems: tuple[Problem, ...]) -> Failure:
    """Some problems as what a request is answered with."""
    first = problems[0]
    return Failure(code=first.code, message=first.message, mend=first.mend, problems=problems)


def problems_of(error: Exception) -> tuple[tuple[Problem, ...], int]:
    """What is wrong, and the status that says so."""
    match error:
        case AwayError():
            return (error.problem,), 503
        case TooMuchError():
            return (error.problem,), 422
        case DiskFullError():
            return (error.problem,), 507
        case NotFoundError():
            return (error.problem,), 404
        case ConflictError():
            return (error.problem,), 409
        case NotJsonError():
            return (error.problem,), 415
        case TooLateError():
            return (error.problem,), 408
        case BodyTooLargeError():
            return (error.problem,), 413
        case NotLetInError():
            return (error.problem,), 401
        case StrangerError():
            return (error.problem,), 403
        case UseCaseError():
            return (error.problem,), 400
        case DataError() if error.problem.code.startswith("unknown"):
            return error.problems, 404
        case CoreError():
            return error.problems, 422
        case ValidationError():
            return _fields(error), 422
        case HTTPException():
            code = (error.name or "error").lower().replace(" ", "_")
            message = error.description or error.name or "the request can't be answered"
            return (Problem(code=code, message=message),), error.code or 500
    _log.exception("unexpected", exc_info=error)
    message = "something went wrong inside the program; nothing was changed"
    mend = "try again; the server's _log has the details"
    return (Problem(code="internal", message=message, mend=mend),), 500


MOST_FIELDS = 20
"""So many fields are told of one by one."""
LONGEST_PLACE = 200


def _fields(error: ValidationError) -> tuple[Problem, ...]:
    """The first fields that are wrong, and how many others are."""
    told = tuple(_field(detail) for detail in error.errors()[:MOST_FIELDS])
    rest = error.error_count() - len(told)
    if rest > 0:
        told += (Problem(code="invalid_field", message=f"{rest:,} other fields are wrong too"),)
    return told


def _field(detail: object) -> Problem:
    assert isinstance(detail, dict)
    path = ".".join(str(step) for step in detail["loc"])[:LONGEST_PLACE]
    return Problem(code="invalid_field", message=said(detail), subject=path or None)
