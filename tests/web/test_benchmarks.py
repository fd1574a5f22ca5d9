"""Every benchmark runs, on little: what it measures is never asked of a test."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

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
}
ON_A_WHOLE_DESK = {"panning", "chart", "scatter"}
"""They need years of minutes and a run with many hits: ``./start``, then by hand."""
BESIDE = {"rivals", "engine_rival"}
"""What benchmarks are compared with."""


def test_all_of_them_are_run() -> None:
    assert set(SMALL) == {path.stem for path in FOLDER.glob("*.py")} - BESIDE - ON_A_WHOLE_DESK


@pytest.mark.parametrize("name", list(SMALL))
def test_a_benchmark_runs_to_its_end(name: str, address: str) -> None:
    told = os.environ | {environment.ADDRESS: address}
    command = [sys.executable, str(FOLDER / f"{name}.py"), *SMALL[name]]
    done = subprocess.run(command, env=told, capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr[-3000:]
    assert done.stdout.strip()
