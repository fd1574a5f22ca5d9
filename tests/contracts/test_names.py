"""One word means one thing over the whole code."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src/zealous_sieve"
BY_AGREEMENT = {"contract", "COMMANDS", "READY"}
"""Names by which modules of one kind are found: endpoints, commands, ready arrangements."""
EMPTY = ("own", "found", "known", "told", "said", "asked")
"""Words that tell nothing of a value."""


def modules() -> Iterator[tuple[str, ast.Module]]:
    for path in sorted(SOURCE.rglob("*.py")):
        name = str(path.relative_to(SOURCE))
        # Kernels and functions are called as in the language.
        if not name.startswith(("migrations/", "core/functions/")):
            yield name, ast.parse(path.read_text("utf-8"))


def defined(tree: ast.Module) -> Iterator[str]:
    for node in tree.body:
        if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            yield node.name
        elif isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            yield from (n.id for t in targets for n in ast.walk(t) if isinstance(n, ast.Name))


def test_no_public_name_is_defined_twice() -> None:
    where = defaultdict(list)
    for module, tree in modules():
        for name in set(defined(tree)):
            if not name.startswith("_") and name not in BY_AGREEMENT:
                where[name].append(module)
    twice = {name: found for name, found in where.items() if len(found) > 1}
    assert twice == {}, "\n".join(f"{name}: {', '.join(found)}" for name, found in twice.items())


def test_words_of_the_glossary_are_those_of_the_code() -> None:
    text = (ROOT / "ARCHITECTURE.md").read_text("utf-8")
    glossary = text.partition("## Glossary")[2].partition("\n## ")[0]
    named = re.findall(r"`([A-Z]\w+)`", glossary)
    names = {
        name
        for path in SOURCE.rglob("*.py")
        for name in defined(ast.parse(path.read_text("utf-8")))
    }
    assert len(named) > 12
    assert [name for name in named if name not in names] == []


def test_parameters_say_what_they_are() -> None:
    empty = [
        f"{path.relative_to(SOURCE)}: {node.name}({argument.arg})"
        for path in SOURCE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text("utf-8")))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        for argument in (*node.args.args, *node.args.kwonlyargs)
        if argument.arg in EMPTY
    ]
    assert empty == []
