"""Files of ours with a few edits are read or refused in our own words."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.bars import walk
from tests.fuzzing import edited, examples, in_our_words, quickly
from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.sieve.definition import read_sieve, write_sieve
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.storage.files import read_bars, write_bars
from zealous_sieve.storage.instrument_files import read_instruments

CELLS = [
    "nan", "inf", "-1", "0", "1e309", "1e-320", "", " ", "\n", ",", '"', ";", "2026-02-30T00:00:00Z",
    "9999-12-31", "0001-01-01T00:00:00Z", "time", "code", "open", "é", "\0", "null", "[", "{", "true",
]  # fmt: skip
SIEVES = [write_sieve(sieve) for sieve in EXAMPLES]
INSTRUMENTS = (
    "code,name,tick,venue,hours,zone,half_days,holidays,size,event:report\n"
    "A0,One,0.01,V,07:00-12:00,Atlantic/Madeira,2026-01-06T10:00,2026-01-07,3,2026-01-05\n"
)
many = settings(max_examples=examples(60), deadline=None, suppress_health_check=list(HealthCheck))


@pytest.fixture(scope="module")
def bars(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str, bytes]:
    folder = tmp_path_factory.mktemp("edited")
    series = {f"A{n}": walk(12, seed=n) for n in range(3)}
    write_bars(series, folder / "bars.csv")
    write_bars(series, folder / "bars.parquet")
    return folder, (folder / "bars.csv").read_text(), (folder / "bars.parquet").read_bytes()


@many
@given(st.data())
def test_edited_bars_as_csv(bars: tuple[Path, str, bytes], data: st.DataObject) -> None:
    folder, text, _ = bars
    file = folder / "edited.csv"
    file.write_text(data.draw(edited([text], CELLS, r"[^,\n]+|,|\n")), "utf-8", "surrogatepass")
    take_in(file)


@many
@given(st.data())
def test_edited_bars_as_parquet(bars: tuple[Path, str, bytes], data: st.DataObject) -> None:
    folder, _, content = bars
    changed = bytearray(content)
    for _ in range(data.draw(st.integers(1, 6))):
        changed[data.draw(st.integers(0, len(changed) - 1))] = data.draw(st.integers(0, 255))
    file = folder / "edited.parquet"
    file.write_bytes(bytes(changed[: data.draw(st.integers(0, len(changed)))] or changed))
    take_in(file)


def take_in(file: Path) -> None:
    with quickly(file.name):
        try:
            joined_files([(str(file), read_bars(file))])
        except CoreError as error:
            in_our_words(error)


@many
@given(edited(SIEVES, CELLS, r"\w+|\s+|[^\w\s]"))
def test_edited_sieves(text: str) -> None:
    with quickly(text):
        try:
            read_sieve(text.encode("utf-8", "surrogatepass"))
        except CoreError as error:
            in_our_words(error)


@many
@given(edited([INSTRUMENTS], CELLS, r"[^,\n]+|,|\n"))
def test_edited_lists_of_instruments(tmp_path_factory: pytest.TempPathFactory, text: str) -> None:
    file = tmp_path_factory.getbasetemp() / "instruments.csv"
    file.write_text(text, "utf-8", "surrogatepass")
    with quickly(text):
        try:
            read_instruments(file)
        except CoreError as error:
            in_our_words(error)
