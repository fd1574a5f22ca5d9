"""Many files at once: those of one shape become one import, whatever their number."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from zealous_sieve.core.errors import CoreError, Problem
from zealous_sieve.core.intake.layout import Layout
from zealous_sieve.core.intake.understand import Glimpse
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.records.imports import IMPORT, HeldFile, Import, ImportState
from zealous_sieve.usecases.table.imports import (
    as_before,
    bring,
    get_import,
    look_apart,
    plain_name,
    way_of_writing,
    zones_of,
)

Member = tuple[str, Iterable[bytes]]
"""The name of a file, and what it holds."""
_Shape = tuple[object, ...]


@dataclass(frozen=True, kw_only=True)
class TurnedAway:
    """A file that is no table, and why."""

    name: str
    problem: Problem


@dataclass(frozen=True, kw_only=True)
class Gathered:
    """What became of files that came together so far, and those of the last ones that were turned away."""

    imports: tuple[Import, ...]
    turned: tuple[TurnedAway, ...]


def gather(
    outside: Outside, token: str, members: Iterable[Member], *, last: bool, queued: bool = True
) -> Gathered:
    """Take files in under a token that all of them share: each joins the import of its shape. With the
    ``last`` of them the imports are read; a file that is no table stops none but itself, and a zip is all
    the tables within."""
    gathering = _Gathering(outside, token)
    turned = []
    for name, pieces in members:
        inner = name
        try:
            for inner, content in outside.files.within(plain_name(name), pieces):
                turned += gathering.take(inner, content)
        except CoreError as error:
            turned.append(TurnedAway(name=plain_name(inner), problem=error.problem))
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


_LOOKED_AT = 4
"""So many files of a shape are understood each; later ones need only the same header."""


@dataclass
class _Group:
    """An import whose files are coming, and what its first ones began with."""

    own: Import
    head: tuple[object, ...] = ()
    looked_at: int = 0
    settled: bool = True
    """Whether it stays as it is written: as one before it was read, or as its first files of all are."""


class _Gathering:
    """The imports that files of one token join, by their shape."""

    def __init__(self, outside: Outside, token: str) -> None:
        self.outside, self.token = outside, token
        self.zones = zones_of(outside)
        self.groups: dict[_Shape, _Group] = {}
        for own in outside.imports.gathering(token):
            if own.state == ImportState.COMING:
                self.groups[_shape(own.layout, own.names)] = _Group(own)

    def take(self, name: str, pieces: Iterable[bytes]) -> list[TurnedAway]:
        """Let a file join those of its shape; or say why it can't."""
        try:
            self.add(plain_name(name), pieces)
        except CoreError as error:
            return [TurnedAway(name=plain_name(name), problem=error.problem)]
        return []

    def add(self, name: str, pieces: Iterable[bytes]) -> None:
        """Let a file join those of its shape. Raises DataError where it is no table."""
        files = self.outside.files
        held = files.hold(name, pieces)
        try:
            for group in self.groups.values():
                layout = group.own.layout
                enough = group.looked_at >= _LOOKED_AT and layout.header and not layout.across
                if enough and files.head(held, layout.skip) == group.head:
                    self._join(group, held)
                    return
            glimpse, across = look_apart(self.outside, _look_at, held, self.zones)
            if across:
                self._stand_apart(held)
            else:
                self._join(self._group(held, glimpse), held)
        finally:
            files.let_go(held)

    def _stand_apart(self, held: HeldFile) -> None:
        """The rows of a table with instruments across are made of its columns: it is an import of its
        own."""
        imports, content = self.outside.imports, self.outside.files.content(held)
        own = bring(self.outside, held.name, content, queued=False)
        imports.gather(own.id, self.token, own.layout, own.doubts, own.names)
        imports.grow(own.id, own.name, 1, own.size)

    def _join(self, group: _Group, held: HeldFile) -> None:
        own = group.own
        self.outside.files.join(own.id, own.file_count, held)
        group.own = replace(own, file_count=own.file_count + 1, size=own.size + held.size)

    def _group(self, held: HeldFile, glimpse: Glimpse) -> _Group:
        """The import of a file's shape; of its first files the one with the fewest doubts says how all are
        written."""
        imports, names = self.outside.imports, glimpse.sample.names
        shape = _shape(glimpse.understood.layout, names)
        group = self.groups.get(shape)
        if group is None:
            understood = as_before(self.outside, glimpse)
            number = imports.add(held.name).id
            imports.gather(number, self.token, understood.layout, understood.doubts, names)
            settled = understood is not glimpse.understood
            own = get_import(self.outside, number)
            group = self.groups[shape] = _Group(own, settled=settled)
        elif not group.settled and len(glimpse.understood.doubts) < len(group.own.doubts):
            layout, doubts = glimpse.understood.layout, glimpse.understood.doubts
            imports.gather(group.own.id, self.token, layout, doubts, names)
            group.own = replace(group.own, layout=layout, doubts=doubts)
        group.head = self.outside.files.head(held, group.own.layout.skip)
        group.looked_at += 1
        return group

    def keep(self) -> None:
        """Keep how many files each import has by now."""
        for group in self.groups.values():
            own = group.own
            self.outside.imports.grow(own.id, own.name, own.file_count, own.size)


def _look_at(outside: Outside, held: HeldFile, zones: Mapping[str, str]) -> tuple[Glimpse, bool]:
    """What a file that is held seems to be, and whether it has instruments across."""
    glimpse = outside.files.look_at(held, zones)
    return glimpse, outside.files.is_across(held, glimpse.understood.layout)


def _shape(layout: Layout, names: Iterable[str]) -> _Shape:
    """What files have in common that are read alike."""
    return (layout.content, layout.encoding, *way_of_writing(layout), *names)


def _read(outside: Outside, imported: Import, *, queued: bool) -> None:
    """Read the files of an import that have all come."""
    layout, name = imported.layout, imported.name
    if imported.file_count > 1:
        name = f"{imported.name} and {imported.file_count - 1} more"
        if layout.content.timed and "instrument" not in layout.columns:
            layout = replace(layout, code="", by_file=True)
    outside.imports.understood(
        imported.id, imported.size, layout, imported.doubts, imported.names, name
    )
    if queued:
        outside.queue.submit(IMPORT, imported.id)
