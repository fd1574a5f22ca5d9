"""What a table from elsewhere seems to be, by its first rows: a proposal that its owner corrects."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.intake.layout import (
    LAYOUT_FIELDS,
    SEPARATORS,
    Adjusted,
    Content,
    Dates,
    Encoding,
    Field,
    Layout,
    Question,
    bare_name,
    code_of_file,
    names_of,
)
from zealous_sieve.core.intake.moments import (
    counted_as,
    go_forward,
    is_moment,
    order_of,
    read_clock,
)
from zealous_sieve.core.intake.numbers import decimal_of, is_number, number

SURE = 0.9
"""A column is what so many of its cells can be."""
_MOST_SKIPPED = 20


@dataclass(frozen=True, kw_only=True)
class Understood:
    """A layout, and what of it is not sure."""

    layout: Layout
    doubts: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Sample:
    """The first rows of a table under the names of its columns."""

    names: Sequence[str]
    rows: Sequence[Sequence[str]]

    def cells(self, name: str) -> list[str]:
        """What stands in a column, empty cells left out."""
        place = list(self.names).index(name)
        return [row[place] for row in self.rows if place < len(row) and row[place].strip()]


@dataclass(frozen=True, kw_only=True)
class Glimpse:
    """What a file seems to be, with its first rows."""

    understood: Understood
    sample: Sample


def parted(lines: Sequence[str], separator: str) -> list[list[str]]:
    """Lines as cells."""
    return list(csv.reader(lines, delimiter=separator))


def sample_rows(lines: Sequence[str], layout: Layout) -> list[list[str]]:
    """The rows of some lines, headers included, as a layout parts them."""
    return [row for row in parted(lines[layout.skip :], layout.separator) if row]


def sample_of(lines: Sequence[str], layout: Layout) -> Sample:
    """The rows of some lines, read in a layout."""
    rows = sample_rows(lines, layout)
    names = names_of(rows[0] if rows else [], header=layout.header)
    return Sample(names=names, rows=rows[layout.header + layout.under :])


def understand(
    lines: Sequence[str], stem: str, zones: Mapping[str, str], encoding: Encoding = Encoding.UTF_8
) -> Understood:
    """What the lines of a text seem to be; ``stem`` is its file's name without the ending, ``zones`` the
    clocks of instruments that are known."""
    separator = _separator(lines)
    rows = parted(lines, separator)
    wide = _usual_width(rows)
    skip = next((n for n, row in enumerate(rows[:_MOST_SKIPPED]) if len(row) == wide), 0)
    body = [row for row in rows[skip:] if row]
    header = bool(body) and not any(is_moment(c) or is_number(c) for c in body[0] if c.strip())
    sample = Sample(names=names_of(body[0] if body else [], header=header), rows=body[header:])
    raw = Layout(encoding=encoding, separator=separator, skip=skip, header=header)
    under = _lines_under(sample) if header else 0
    if not under:
        return understand_columns(sample, stem, zones, raw)
    units = ", ".join(cell for cell in sample.rows[0] if cell.strip())[:LONGEST_TOLD]
    found = understand_columns(
        Sample(names=sample.names, rows=sample.rows[under:]), stem, zones, replace(raw, under=under)
    )
    lines = "a line" if under == 1 else f"{under} lines"
    doubt = f"{lines} under the header {'is' if under == 1 else 'are'} no row: {units}"
    return replace(found, doubts=(doubt, *found.doubts))


_MOST_UNDER = 3
LONGEST_TOLD = 80


def _lines_under(sample: Sample) -> int:
    """How many lines below the header hold words alone where the rows after them have moments and
    numbers: units, or a second row of names."""

    def values(row: Sequence[str]) -> int:
        return sum(is_moment(c) or is_number(c) for c in row if c.strip())

    for n, row in enumerate(sample.rows[: _MOST_UNDER + 1]):
        if values(row):
            below = sample.rows[n : n + 20]
            solid = all(2 * values(own) > len(own) for own in below)
            return n if n and n <= _MOST_UNDER and solid and len(below) > 1 else 0
    return 0


def understand_columns(
    sample: Sample, stem: str, zones: Mapping[str, str], raw: Layout | None = None
) -> Understood:
    """What the columns of a table seem to be, of which it is known how it is parted."""
    raw = raw or Layout()
    cells = {name: sample.cells(name) for name in sample.names}
    decimal, sure = decimal_of([c for own in cells.values() for c in own], raw.separator)
    kinds = _kinds(cells, decimal)
    content = _content(sample.names, kinds)
    columns = _columns(content, sample, kinds, decimal)
    doubts = [] if sure else ["whether a comma parts thousands or decimals can't be seen"]
    dates, asked = _dates(cells.get(columns.get("time", ""), []))
    codes = set(cells.get(columns.get("instrument", ""), [])) or {stem}
    zone = zone_of_times(codes, zones)
    layout = Layout(
        content=content,
        encoding=raw.encoding,
        separator=raw.separator,
        skip=raw.skip,
        header=raw.header,
        under=raw.under,
        asked=(Question.DATES,) if asked else (),
        decimal=decimal,
        dates=dates,
        zone=zone,
        code="" if "instrument" in columns or not content.timed else code_of_file(stem),
        columns=columns,
    )
    doubts += doubts_of_lack(sample, layout)
    return Understood(layout=layout, doubts=(*doubts, *doubts_of_clock(sample, layout)))


def doubts_of_lack(sample: Sample, layout: Layout) -> tuple[str, ...]:
    """What bars of a table lack: some of their prices, so that the others can't be used, and volume."""
    lacking = layout.unsaid
    doubts = []
    if "open" in lacking:
        named = [
            own.name
            for own in LAYOUT_FIELDS[Content.BARS]
            if own.name in lacking[:3] and _called(own, sample.names, {}, layout.columns.values())
        ]
        without = [name for name in ("open", "high", "low") if name not in named]
        so = "new bars have one price, the close, and known ones keep theirs"
        if named:
            so = f"{' and '.join(named)} can't be used then: {so}"
        doubts.append(f"no column is the {' or the '.join(without)}: {so}")
    if "volume" in lacking:
        so = "it is zero for new bars, and that of known ones is kept"
        doubts.append(f"no column is the volume: {so}")
    if "adjusted" in layout.columns and layout.adjusted == Adjusted.LEFT:
        told = "they can give splits and payments, or be a line of their own"
        doubts.append(f"the adjusted closes ({layout.columns['adjusted']}) are left alone: {told}")
    return tuple(doubts)


def _separator(lines: Sequence[str]) -> str:
    """The one that parts most lines into as many cells."""

    def regular(separator: str) -> tuple[float, int]:
        widths = Counter(len(row) for row in parted(lines, separator) if row)
        width, count = max(widths.items(), key=lambda own: (own[0] > 1, own[1]), default=(1, 0))
        return (count / max(1, sum(widths.values())) if width > 1 else 0.0, width)

    return max(SEPARATORS, key=regular)


def _usual_width(rows: Sequence[Sequence[str]]) -> int:
    widths = Counter(len(row) for row in rows if row)
    return widths.most_common(1)[0][0] if widths else 0


def _kind(cells: Sequence[str], decimal: str) -> str:
    """What the cells of a column are: moments, clocks, numbers, texts, or nothing at all."""
    if not cells:
        return "nothing"

    def share(fits: int) -> bool:
        return fits >= SURE * len(cells)

    if share(sum(_is_clock(c) for c in cells)):
        return "clock"
    if share(sum(number(c, decimal) is not None for c in cells)):
        solid = share(sum(len(c) == 8 and c[:2] in ("19", "20") and is_moment(c) for c in cells))
        return "moment" if solid or _counted(cells) else "number"
    return "moment" if share(sum(is_moment(c) for c in cells)) else "text"


def _kinds(cells: Mapping[str, Sequence[str]], decimal: str) -> dict[str, str]:
    """What the columns are; a number that could count seconds does so only where no column has dates."""
    kinds = {name: _kind(own, decimal) for name, own in cells.items()}
    dated = [n for n, kind in kinds.items() if kind == "moment" and not _counted(cells[n])]
    if dated:
        kinds |= {n: "number" for n in kinds if kinds[n] == "moment" and n not in dated}
    return kinds


def _counted(cells: Sequence[str]) -> bool:
    """Whether the moments of a column are counted from 1970: then they rise, as volumes do not."""
    numbers = [number for number in map(_count_of, cells) if number is not None]
    return len(numbers) >= SURE * len(cells) and go_forward(numbers)


def _is_clock(text: str) -> bool:
    return ":" in text and not isinstance(read_clock(text), str)


def _count_of(text: str) -> int | None:
    """A whole number that can be one of seconds or parts of them since 1970."""
    found = re.fullmatch(r"(\d{9,19})(\.0*)?", text.strip())
    return int(found[1]) if found and counted_as(int(found[1])) else None


def _dates(cells: Sequence[str]) -> tuple[Dates, bool]:
    """In what order dates are written, and whether that has to be asked."""
    if cells and _counted(cells):
        first = next(number for number in map(_count_of, cells) if number is not None)
        return counted_as(first) or Dates.SECONDS, False
    dates, sure = order_of(cells)
    return dates, bool(cells) and not sure


def doubts_of_clock(sample: Sample, layout: Layout) -> tuple[str, ...]:
    """That the times of day of a table have no offset, and by which clock they are read."""
    time = layout.column("time")
    cells = sample.cells(time) if time is not None and time in sample.names else []
    has_hours = "clock" in layout.columns or any(":" in c for c in cells)
    if not has_hours or any(re.search(r"(Z|[+-]\d\d:?\d\d)\s*$", c[10:]) for c in cells):
        return ()
    return (f"the times have no offset: they are read as those of {layout.zone}",)


def zone_of_times(codes: Collection[str], zones: Mapping[str, str]) -> str:
    """The clock of most of some instruments, of ``zones`` by instrument; UTC where none is known."""
    known = Counter(zones[code] for code in codes if code in zones)
    return known.most_common(1)[0][0] if known else "UTC"


def _content(names: Sequence[str], kinds: Mapping[str, str]) -> Content:
    bare = {bare_name(name) for name in names}
    numbers = sum(kind == "number" for kind in kinds.values())
    timed = any(kind == "moment" for kind in kinds.values())
    if bare & {"hours"} and bare & {"zone", "timezone", "holidays", "halfdays"}:
        return Content.VENUES
    since = bare & {"heldfrom", "validfrom", "knownfrom", "knownsince"}
    other = bare & {"kind", "event", "close", "open", "high", "low"}
    if timed and (since or {"fact", "value"} <= bare) and not other:
        return Content.FACTS
    if (timed and numbers >= 4) or bare & {"high", "low"}:
        return Content.BARS
    if timed and bare & {"kind", "event"} and numbers == 0:
        return Content.EVENTS
    if timed and numbers >= 1:
        sized = {"side", "taker", "size"} & bare and "close" not in bare
        return Content.TRADES if sized else Content.BARS
    return Content.BARS if timed else Content.INSTRUMENTS


def _columns(
    content: Content, sample: Sample, kinds: Mapping[str, str], decimal: str
) -> dict[str, str]:
    """Which column is what: by its name, and else by what stands in it."""
    found: dict[str, str] = {}
    for own in LAYOUT_FIELDS[content]:
        fitting = _called(own, sample.names, kinds, found.values())
        if fitting is None and not content.timed:
            fitting = _called(own, sample.names, {}, found.values())
        if fitting:
            found[own.name] = fitting
    if content.timed or content == Content.FACTS:
        _fill(found, "time", _free(sample, kinds, found, "moment"))
    if content.timed:
        _fill(found, "clock", _free(sample, kinds, found, "clock"))
        first = next((n for n in sample.names if kinds[n] == "number"), sample.names[-1])
        before = sample.names[: list(sample.names).index(first)]
        codes = [n for n in _free(sample, kinds, found, "text") if n in before]
        _fill(found, "instrument", codes)
    if content == Content.BARS:
        _fill_prices(found, sample, _free(sample, kinds, found, "number"), decimal)
    return found


def _called(
    field_: Field, names: Sequence[str], kinds: Mapping[str, str], used: Collection[str]
) -> str | None:
    """The column that has a name of a field; times and clocks are told by what stands in them, where it is
    known that there is a column of them."""
    kind = {"time": "moment", "known": "moment", "clock": "clock"}.get(field_.name)
    there = kind is not None and (kind in kinds.values() or (kind == "clock" and bool(kinds)))
    for word in field_.words:
        for name in names:
            if bare_name(name) == word and name not in used and (not there or kinds[name] == kind):
                return name
    return None


def _free(
    sample: Sample, kinds: Mapping[str, str], columns: Mapping[str, str], kind: str
) -> list[str]:
    return [n for n in sample.names if kinds[n] == kind and n not in columns.values()]


def _fill(columns: dict[str, str], name: str, free: Sequence[str]) -> None:
    if name not in columns and free:
        columns[name] = free[0]


def _complete_prices(
    columns: dict[str, str], sample: Sample, free: Sequence[str], decimal: str
) -> None:
    """Where the header says some of the prices: of the others the nearest that is never below those is
    the high, the nearest never above them the low; without both a bar has one price."""
    known = _values(sample, [columns[n] for n in ("open", "close") if n in columns], decimal)
    others = _values(sample, free, decimal)
    for name, extreme, sign in (("high", np.max, 1), ("low", np.min, -1)):
        if name in columns or not known.size or not others.size:
            continue
        away = sign * (others - extreme(known, axis=1, keepdims=True))
        fits = (away >= 0).mean(axis=0) >= SURE
        nearest = np.where(fits, np.nanmean(np.abs(away), axis=0), np.inf)
        if fits.any() and free[int(np.argmin(nearest))] not in columns.values():
            columns[name] = free[int(np.argmin(nearest))]
    if not {"open", "high", "low"} <= columns.keys():
        for name in ("open", "high", "low"):
            columns.pop(name, None)
    elif "volume" not in columns:
        _fill(columns, "volume", [n for n in free if n not in columns.values()])


def _values(sample: Sample, names: Sequence[str], decimal: str) -> NDArray[np.float64]:
    """The numbers of some columns, a row for each row in which all of them have one."""
    places = [list(sample.names).index(name) for name in names]
    rows = [row for row in sample.rows if len(row) == len(sample.names)]
    read = [[number(row[place], decimal) for place in places] for row in rows]
    whole = [[np.nan if v is None else v for v in own] for own in read]
    return np.array(whole, float).reshape(len(rows), len(names))


def _fill_prices(
    columns: dict[str, str], sample: Sample, free: Sequence[str], decimal: str
) -> None:
    """Where the header does not say which prices are which: four columns of which one is never below the
    others and one never above are high and low; open stands before close."""
    if columns.keys() & {"open", "high", "low", "close"}:
        _complete_prices(columns, sample, free, decimal)
        return
    for start in range(len(free) - 3):
        four = free[start : start + 4]
        places = [list(sample.names).index(name) for name in four]
        cells = [[row[p] for p in places] for row in sample.rows if len(row) == len(sample.names)]
        rows = [[number(c, decimal) or np.nan for c in own] for own in cells]
        prices = np.array(rows, float).reshape(-1, 4)
        prices = prices[~np.isnan(prices).any(axis=1)]
        if not len(prices):
            return
        tops, bottoms = prices.max(axis=1, keepdims=True), prices.min(axis=1, keepdims=True)
        highs = np.flatnonzero((prices == tops).sum(axis=0) >= SURE * len(prices))
        lows = np.flatnonzero((prices == bottoms).sum(axis=0) >= SURE * len(prices))
        if not len(highs) or not len(lows) or highs[0] == lows[-1]:
            continue
        first, last = (n for n in range(4) if n not in {int(highs[0]), int(lows[-1])})
        columns |= {"open": four[first], "high": four[highs[0]]}
        columns |= {"low": four[lows[-1]], "close": four[last]}
        _fill(columns, "volume", [n for n in free if n not in four])
        return
