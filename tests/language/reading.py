"""What is written for people: the strings of the screen and the server, and the docstrings, each with its place."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Final, NamedTuple

from jorvik.place import ROOT

SCREEN: Final = ROOT / "ui" / "src"
SOURCE: Final = ROOT / "src" / "jorvik"

_LITERAL: Final = re.compile(r"""'((?:[^'\\\n]|\\.)*)'|"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`""")
_BETWEEN_TAGS: Final = re.compile(r">([^<>{}]+)[<{]|\}([^<>{}]+)[<{]")


class Text(NamedTuple):
    """A text and the file that it stands in."""

    file: str
    text: str


def screen_texts() -> Iterator[Text]:
    """Yield every string literal of the screen, and what stands between its tags."""
    for path in sorted([*SCREEN.rglob("*.svelte"), *SCREEN.rglob("*.ts")]):
        if path.name.endswith((".test.ts", ".gen.ts")):
            continue
        text = path.read_text()
        patterns = (_LITERAL, _BETWEEN_TAGS) if path.suffix == ".svelte" else (_LITERAL,)
        for pattern in patterns:
            for match in pattern.finditer(text):
                yield Text(_name(path), next(group for group in match.groups() if group is not None))


def server_texts() -> Iterator[Text]:
    """Yield every string literal of the server that is no docstring."""
    for path in sorted(SOURCE.rglob("*.py")):
        tree = ast.parse(path.read_text())
        documentation = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in documentation:
                yield Text(_name(path), node.value)


def docstrings() -> Iterator[Text]:
    """Yield the first line of every docstring, the one of a constant too."""
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            for statement in getattr(node, "body", None) or [] if not isinstance(node, ast.Lambda | ast.IfExp) else []:
                value = getattr(statement, "value", None) if isinstance(statement, ast.Expr) else None
                if isinstance(value, ast.Constant) and isinstance(value.value, str):
                    yield Text(_name(path), value.value.strip().splitlines()[0] if value.value.strip() else "")


def _name(path: Path) -> str:
    return path.relative_to(ROOT).as_posix()
