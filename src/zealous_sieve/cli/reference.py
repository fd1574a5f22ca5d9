"""Reference pages made from the code, so that they can't disagree with it."""

from __future__ import annotations

import json
from itertools import groupby
from pathlib import Path
from typing import Any

from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.functions.catalogue import functions
from zealous_sieve.core.functions.specification import Function
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.web.app import api_document


def write_reference(folder: Path) -> None:
    """Write every generated file into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in documents().items():
        (folder / name).write_text(text, "utf-8")


def documents() -> dict[str, str]:
    """The generated files by name."""
    return {
        "functions.md": _functions(),
        "sieve.schema.json": _json(Sieve.model_json_schema()),
        "evidence.schema.json": _json(EvidenceSettings.model_json_schema(by_alias=True)),
        "openapi.json": _json(api_document()),
    }


def _json(document: Any) -> str:
    return json.dumps(document, indent=1, ensure_ascii=False, sort_keys=True) + "\n"


def _functions() -> str:
    parts = ["# Functions\n\nMade by `zealous-sieve reference` from the catalogue.\n"]
    for group, members in groupby(functions(), key=lambda f: f.group):
        parts.append(f"\n## {group}\n")
        parts.extend(_entry(function) for function in members)
    return "".join(parts)


def _entry(function: Function) -> str:
    outputs = ", ".join(f"`.{o.name}`" for o in function.outputs if len(function.outputs) > 1)
    lines = [f"\n### {function.name}\n\n`{function.signature}`"]
    lines.append(f" — outputs {outputs}\n\n" if outputs else "\n\n")
    lines.append(f"{function.meaning}\n\n")
    lines.append(f"- How it is read: {function.reading}\n")
    lines.append(f"- What misleads: {function.pitfalls}\n")
    lines.append(f"- Source: {function.source}\n\n```\n{function.formula}\n```\n")
    return "".join(lines)
