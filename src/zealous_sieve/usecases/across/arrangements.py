"""How pages are arranged: ready ones that come with the application, and those kept by name."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.pages import board, chart_layout, currencies, overview, scatter
from zealous_sieve.core.pages.board import BoardSet
from zealous_sieve.core.pages.chart_layout import ChartLayout
from zealous_sieve.core.pages.currencies import StrengthSet
from zealous_sieve.core.pages.overview import OverviewSet
from zealous_sieve.core.pages.scatter import ScatterSet
from zealous_sieve.usecases.desk.beginnings import inventory
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError, NotFoundError

T = TypeVar("T")
_LONGEST_NAME = 80
_LARGEST = 200_000
"""Characters of an arrangement as it is kept."""


@dataclass(frozen=True, kw_only=True)
class Page(Generic[T]):
    """A page that can be arranged: the shape of its arrangements, and the ready ones by name; ``fitted``
    says that these look at what a desk has, and not at whatever is on the page."""

    shape: TypeAdapter[T]
    ready: Mapping[str, T]
    fitted: bool = True

    def ready_on(self, outside: Outside) -> Mapping[str, T]:
        """The ready ones as they are for a desk; those that it has nothing for come last."""
        if not self.fitted:
            return self.ready
        here = inventory(outside)
        ordered = sorted(self.ready.items(), key=lambda own: not here.bears(own[1]))
        return {name: here.fitted(body) for name, body in ordered}


PAGES: Mapping[str, Page[Any]] = {
    "board": Page(shape=TypeAdapter(BoardSet), ready=board.READY),
    "strength": Page(shape=TypeAdapter(StrengthSet), ready=currencies.READY),
    "overview": Page(shape=TypeAdapter(OverviewSet), ready=overview.READY),
    "chart": Page(shape=TypeAdapter(ChartLayout), ready=chart_layout.READY, fitted=False),
    "scatter": Page(shape=TypeAdapter(ScatterSet), ready=scatter.READY),
}
"""Every page that can be arranged."""
Arrangement = BoardSet | ScatterSet | StrengthSet | OverviewSet | ChartLayout
"""What arrangements of all pages are."""


@dataclass(frozen=True, kw_only=True)
class Arranged:
    """An arrangement under its name. ``version`` counts how often it was kept, 0 for a ready one as it
    came; ``ready`` says that one of this name comes with the application."""

    name: str
    version: int
    ready: bool
    body: Arrangement


def arrangements(outside: Outside, page: str) -> list[Arranged]:
    """The arrangements of a page, ready ones first, as they were kept last. Ready ones look at what this
    desk has; those that it has nothing for come last of them. Raises NotFoundError."""
    shape = _page(page)
    found = {
        name: Arranged(name=name, version=0, ready=True, body=body)
        for name, body in shape.ready_on(outside).items()
    }
    for stored in outside.arrangements.all(page):
        try:
            body = shape.shape.validate_python(stored.body)
        except ValidationError:
            continue  # by another version of the application; it stays where it is kept
        found[stored.name] = Arranged(
            name=stored.name, version=stored.version, ready=stored.name in shape.ready, body=body
        )
    return list(found.values())


def keep_arrangement(
    outside: Outside, page: str, name: str, body: Mapping[str, object], based_on: int
) -> list[Arranged]:
    """Keep an arrangement under a name; returns all of the page.

    ``based_on`` is the version that it was made from, 0 where it is a new one. Raises NotFoundError,
    DataError ``bad_name`` and ``bad_arrangement``, ConflictError ``name_taken`` and ``changed_meanwhile``.
    """
    shape, called = _page(page), name.strip()
    if not called or len(called) > _LONGEST_NAME:
        message = f"an arrangement needs a name of 1 to {_LONGEST_NAME} characters"
        raise DataError(Problem(code="bad_name", message=message))
    try:
        read = shape.shape.validate_python(body)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(map(str, first["loc"]))
        message = f"the arrangement can't be kept: {place}: {first['msg']}"
        raise DataError(Problem(code="bad_arrangement", message=message)) from None
    document = shape.shape.dump_python(read, mode="json")
    if len(json.dumps(document)) > _LARGEST:
        message = "the arrangement is too large to be kept"
        raise DataError(Problem(code="bad_arrangement", message=message, mend="take parts away"))
    if outside.arrangements.put(page, called, document, based_on) is None:
        raise _kept_already(called, based_on)
    return arrangements(outside, page)


def archive_arrangement(outside: Outside, page: str, name: str) -> list[Arranged]:
    """Archive what was kept under a name; a ready one is as it came again. Raises NotFoundError."""
    _page(page)
    if not outside.arrangements.archive(page, name):
        raise NotFoundError("arrangement", f"called {name}")
    return arrangements(outside, page)


def restore_arrangement(outside: Outside, page: str, name: str) -> list[Arranged]:
    """Bring back what was archived last under a name. Raises NotFoundError, ConflictError."""
    _page(page)
    if not outside.arrangements.restore(page, name):
        message = f"{name} can't come back: there is none of that name, or another has it by now"
        raise ConflictError("name_taken", message)
    return arrangements(outside, page)


def _kept_already(name: str, based_on: int) -> ConflictError:
    if based_on:
        message = f"{name} has been kept otherwise since you opened it"
        return ConflictError("changed_meanwhile", message, "keep yours under another name")
    message = f"there is an arrangement called {name} already"
    return ConflictError("name_taken", message, "choose another name")


def _page(page: str) -> Page[Any]:
    if page not in PAGES:
        raise NotFoundError("page", f"called {page}")
    return PAGES[page]
