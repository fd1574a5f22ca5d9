"""Every benchmark runs, on little: what it measures is never asked of a test."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import Service
from zealous_sieve import environment

FOLDER = Path(__file__).parents[2] / "benchmarks"
SMALL = {
    "scan": ("--instruments", "8", "--bars", "80", "--rival", "2"),
    "timeframes": ("--rival", "1"),
    "board": (),
    "importing": ("--rows", "5000"),
    "loading": (),
    "foreign": ("--rows", "4000"),
    "load": ("--sizes", "4x80"),
    "evidence": ("--instruments", "6", "--bars", "90", "--resamples", "100"),
}
IN_A_BROWSER = {
    "panning": lambda base: (base, "LANT40"),
    "chart": lambda base: (base,),
    "many_files": lambda base: (base, "--files", "6", "--bars", "40"),
    "scatter": lambda base: ("--base", base),
    "desks": lambda base: (base, "--rate", "8", "--seconds", "3", "--pause", "0.5"),
}
"""They look at an application that runs."""
BESIDE = {"rivals", "engine_rival", "in_browser"}
"""What benchmarks are compared with, and what they share."""


def test_all_of_them_are_run() -> None:
    assert set(SMALL) == {path.stem for path in FOLDER.glob("*.py")} - BESIDE - set(IN_A_BROWSER)


@pytest.mark.parametrize("name", list(SMALL))
def test_a_benchmark_runs_to_its_end(name: str, address: str) -> None:
    told = os.environ | {environment.ADDRESS: address}
    runs_to_its_end(name, *SMALL[name], told=told)


@pytest.mark.parametrize("name", list(IN_A_BROWSER))
def test_a_benchmark_in_a_browser_runs_to_its_end(name: str, service: Service) -> None:
    told = os.environ | {environment.DATA: str(service.folder)}
    runs_to_its_end(name, *IN_A_BROWSER[name](service.base), told=told)


def runs_to_its_end(name: str, *arguments: str, told: dict[str, str]) -> None:
    command = [sys.executable, str(FOLDER / f"{name}.py"), *arguments]
    done = subprocess.run(command, env=told, capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr[-3000:]
    assert done.stdout.strip()
