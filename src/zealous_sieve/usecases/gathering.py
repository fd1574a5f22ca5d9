"""Many files at once: those of one shape become one import, whatever their number."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from zealous_sieve.core.errors import CoreError, Problem
from zealous_sieve.core.market.foreign.layout import Layout
from zealous_sieve.core.market.foreign.understand import Glimpse
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.import_ports import Held, Import, ImportState
from zealous_sieve.usecases.imports import (
    as_before,
    bring,
    get_import,
    plain_name,
    way_of_writing,
    zones_of,
)
from zealous_sieve.usecases.ports import Outside

Member = tuple[str, Iterable[bytes]]
"""The name of a file, and what it holds."""
Shape = tuple[object, ...]


@dataclass(frozen=True, kw_only=True)
class Turned:
    """A file that is no table, and why."""

    name: str
    problem: Problem


@dataclass(frozen=True, kw_only=True)
class Gathered:
    """What became of files that came together so far, and those of the last ones that were turned away."""

    imports: tuple[Import, ...]
    turned: tuple[Turned, ...]


def gather(
    outside: Outside, token: str, members: Iterable[Member], *, last: bool, queued: bool = True
) -> Gathered:
    """Take files in under a token that all of them share: each joins the import of its shape. With the
    ``last`` of them the imports are read; a file that is no table stops none but itself."""
    gathering = _Gathering(outside, token)
    turned = []
    for name, pieces in members:
        try:
            gathering.add(plain_name(name), pieces)
        except CoreError as error:
            turned.append(Turned(name=plain_name(name), problem=error.problem))
    gathering.keep()
    if last:
        for own in outside.imports.gathering(token):
            if own.state == ImportState.COMING:
                _read(outside, own, queued=queued)
    return Gathered(imports=tuple(outside.imports.gathering(token)), turned=tuple(turned))


def read_gathered(outside: Outside, import_id: int) -> Import:
    """Go on with the files that came, where the others stay away. Raises ConflictError."""
    own = get_import(outside, import_id)
    if own.state != ImportState.COMING:
        raise ConflictError("import_ended", f"{own.name} is {own.state}: its files have come")
    _read(outside, own, queued=True)
    return get_import(outside, own.id)


class _Gathering:
    """The imports that files of one token join, by their shape."""

    def __init__(self, outside: Outside, token: str) -> None:
        self.outside, self.token = outside, token
        self.zones = zones_of(outside)
        self.changed: set[Shape] = set()
        self.own: dict[Shape, Import] = {}
        for own in outside.imports.gathering(token):
            if own.state == ImportState.COMING:
                self.own[_shape(own.layout, own.names)] = own

    def add(self, name: str, pieces: Iterable[bytes]) -> None:
        """Let a file join those of its shape. Raises DataError where it is no table."""
        held = self.outside.files.hold(name, pieces)
        try:
            glimpse = self.outside.files.look_at(held, self.zones)
            if self.outside.files.is_across(held, glimpse.understood.layout):
                # Its rows are made of its columns: it is an import of its own.
                own = bring(self.outside, held.name, self.outside.files.content(held), queued=False)
                self.outside.imports.gather(own.id, self.token, own.layout, own.doubts, own.names)
                self.outside.imports.grow(own.id, own.name, 1, own.size)
            else:
                self._join(held, glimpse)
        finally:
            self.outside.files.let_go(held)

    def _join(self, held: Held, glimpse: Glimpse) -> None:
        shape = _shape(glimpse.understood.layout, glimpse.sample.names)
        own = self.own.get(shape) or self._begin(held, glimpse)
        self.outside.files.join(own.id, own.file_count, held)
        self.own[shape] = replace(own, file_count=own.file_count + 1, size=own.size + held.size)
        self.changed.add(shape)

    def _begin(self, held: Held, glimpse: Glimpse) -> Import:
        imports = self.outside.imports
        understood = as_before(self.outside, glimpse)
        own = imports.add(held.name)
        imports.gather(
            own.id, self.token, understood.layout, understood.doubts, glimpse.sample.names
        )
        return get_import(self.outside, own.id)

    def keep(self) -> None:
        """Keep how many files each import has by now."""
        for shape in self.changed:
            own = self.own[shape]
            self.outside.imports.grow(own.id, own.name, own.file_count, own.size)


def _shape(layout: Layout, names: Iterable[str]) -> Shape:
    """What files have in common that are read alike."""
    return (layout.content, layout.encoding, *way_of_writing(layout), *names)


def _read(outside: Outside, own: Import, *, queued: bool) -> None:
    """Read the files of an import that have all come."""
    layout, name = own.layout, own.name
    if own.file_count > 1:
        name = f"{own.name} and {own.file_count - 1} more"
        if layout.content.timed and "instrument" not in layout.columns:
            layout = replace(layout, code="", by_file=True)
    outside.imports.understood(own.id, own.size, layout, own.doubts, own.names, name)
    if queued:
        outside.queue.submit_import(own.id)
