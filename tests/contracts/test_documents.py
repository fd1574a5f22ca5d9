"""What is generated or promised on paper agrees with the code."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import jsonschema
import pytest

from zealous_sieve.cli.main import commands
from zealous_sieve.cli.reference import documents
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.words import PHRASES, RESERVED
from zealous_sieve.core.sieve.examples import EXAMPLES

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.parametrize("name", documents())
def test_the_reference_is_up_to_date(name: str) -> None:
    kept = (ROOT / "docs" / "reference" / name).read_text("utf-8")
    assert kept == documents()[name], "run: zealous-sieve reference"


def test_the_front_ends_types_are_up_to_date(tmp_path: Path) -> None:
    made = tmp_path / "api.ts"
    source = ROOT / "docs/reference/openapi.json"
    command = ["npx", "openapi-typescript", str(source), "-o", str(made)]
    subprocess.run(command, cwd=ROOT / "frontend", check=True, capture_output=True)
    kept = (ROOT / "frontend/src/generated/api.ts").read_text("utf-8")
    assert kept == made.read_text("utf-8"), "run: npm run generate"


def test_the_published_schema_accepts_the_examples_and_refuses_nonsense() -> None:
    schema = json.loads((ROOT / "docs/reference/sieve.schema.json").read_text("utf-8"))
    for example in EXAMPLES:
        jsonschema.validate(example.model_dump(mode="json"), schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"name": "x"}, schema)


def test_every_command_is_in_the_guide() -> None:
    guide = (ROOT / "docs/guide/command-line.md").read_text("utf-8")
    for name in commands.commands:
        assert f"`zealous-sieve {name}" in guide, name


def test_every_error_code_is_in_the_reference() -> None:
    told = (ROOT / "docs/reference/errors.md").read_text("utf-8")
    sources = (path.read_text("utf-8") for path in (ROOT / "src").rglob("*.py"))
    codes: set[str] = set()
    for text in sources:
        codes |= set(re.findall(r'code="([a-z_]+)"', text))
        codes |= set(re.findall(r'(?:simple|ConflictError|_complain)\(\s*"([a-z_]+)"', text))
    missing = sorted(code for code in codes if f"`{code}`" not in told)
    assert missing == []


def test_every_formula_in_the_guide_is_understood() -> None:
    pages = [ROOT / "docs/reference/language.md", *(ROOT / "docs/guide").glob("*.md")]
    text = "".join(page.read_text("utf-8") for page in pages)
    formulas = re.findall(r"```formula\n(.*?)```", text, re.S)
    assert len(formulas) >= 10
    for formula in formulas:
        check(formula)


def test_the_words_of_the_language_are_those_of_its_grammar() -> None:
    grammar = (ROOT / "src/zealous_sieve/core/formula/grammar.lark").read_text("utf-8")
    rules = re.sub(r"//.*", "", grammar)
    told = (ROOT / "docs/reference/language.md").read_text("utf-8")
    written = set(re.findall(r"\b[a-z]{2,}\b", " ".join(re.findall(r'"([a-z]+)"', rules))))
    assert written <= RESERVED
    for phrase in PHRASES:
        check(phrase.example)
        assert all(re.search(rf"\b{word}\b", rules) for word in phrase.words), phrase.pattern
        assert all(re.search(rf"\b{word}\b", told) for word in phrase.words), phrase.pattern
        words = [w for w in re.findall(r"[a-z]+", phrase.example) if w in phrase.words]
        assert words == [*phrase.words], phrase.pattern


def test_the_screenshots_of_the_readme_are_there() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    linked = set(re.findall(r"docs/screenshots/([\w-]+\.png)", readme))
    kept = {path.name for path in (ROOT / "docs/screenshots").glob("*.png")}
    assert linked == kept
    assert 4 <= len(kept) < 20
