"""`docs/limits.md`: every constant number of the rules, the adapters and the actions, with what it means, as the code says it.

`.venv/bin/python -m checks.house.limits` writes it anew; a test says when that is owed, so that none changes unseen.
"""

import ast
import importlib
import os
import re
from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from datetime import timedelta
from itertools import pairwise
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
PAGE = ROOT / "docs" / "limits.md"
PLACES = ("core/**/*.py", "adapters/**/*.py", "server/*/actions/**/*.py")
BUNDLES = ("Limits", "Policy", "Cost")
"""Classes whose fields are limits."""
LONGEST = 800
"""Letters of a value; what is longer is a table, and no limit."""
_NAME = re.compile(r"_?[A-Z][A-Z0-9_]*")
_UNITS = ((1 << 40, "TiB"), (1 << 30, "GiB"), (1 << 20, "MiB"), (1 << 10, "KiB"))
BEGINS = """# Limits, pauses and sizes

The constant limits, pauses and sizes of `core`, `adapters` and the server's actions, as the code says them. Written by
`.venv/bin/python -m checks.house.limits`; a test says when that is owed. Names that begin with `_` are of one module alone.
"""


def page() -> str:
    lines, section = [BEGINS], ""
    for module, name, value, meaning in limits():
        room, _, within = module.rpartition(".")
        if room != section:
            lines.append(f"\n## `{room}`\n\n| Name | In | Value | Meaning |\n| --- | --- | --- | --- |")
            section = room
        lines.append(f"| `{name}` | `{within}` | {value} | {meaning} |")
    return "\n".join(lines) + "\n"


def limits() -> Iterator[tuple[str, str, str, str]]:
    """(module, name, value, meaning) of every constant that is a number or some, and of every field of limits."""
    for path in sorted({path for place in PLACES for path in ROOT.glob(place)}):
        parts = path.relative_to(ROOT).with_suffix("").parts
        if "tests" in parts:
            continue
        body = ast.parse(path.read_text()).body
        module = importlib.import_module(".".join(parts))
        for name, meaning in _constants(body):
            if _NAME.fullmatch(name) and _is_limit(value := getattr(module, name)) and len(shown := _shown(name, value)) <= LONGEST:
                yield ".".join(parts), name, shown, meaning
        for holder in (node for node in body if isinstance(node, ast.ClassDef) and node.name.endswith(BUNDLES)):
            for name, meaning in _constants(holder.body):
                yield ".".join(parts), f"{holder.name}.{name}", _shown(name, _default(module, holder.name, name)), meaning


def _default(module: object, holder: str, name: str) -> object:
    return {field.name: field.default for field in fields(getattr(module, holder))}[name]


def _constants(body: list[ast.stmt]) -> Iterator[tuple[str, str]]:
    """(name, what is said of it) of what has a number in it."""
    for node, after in pairwise([*body, None]):
        if not isinstance(node, ast.Assign | ast.AnnAssign) or node.value is None or not _has_number(node.value):
            continue
        target = node.target if isinstance(node, ast.AnnAssign) else node.targets[0]
        says = after.value if isinstance(after, ast.Expr) else None
        meaning = " ".join(str(says.value).split()) if isinstance(says, ast.Constant) else ""
        for one in target.elts if isinstance(target, ast.Tuple) else [target]:
            if isinstance(one, ast.Name):
                yield one.id, meaning.replace("|", "\\|")


def _has_number(value: ast.expr) -> bool:
    return any(isinstance(node, ast.Constant) and type(node.value) in (int, float) for node in ast.walk(value))


def _is_limit(value: object) -> bool:
    if isinstance(value, tuple):
        return all(_is_limit(one) for one in value)
    if isinstance(value, dict):
        return all(_is_limit(one) for one in value.values())
    return isinstance(value, int | float | timedelta) or (is_dataclass(value) and type(value).__name__.endswith(BUNDLES))


def _shown(name: str, value: object) -> str:
    if isinstance(value, timedelta):
        return str(value)
    if type(value) is int and name.upper().endswith("BYTES"):
        size, unit = next(((size, unit) for size, unit in _UNITS if value and value % size == 0), (1, "bytes"))
        return f"{value // size} {unit}"
    return f"{value:_}".replace("_", " ") if type(value) is int else f"`{value!r}`"


if __name__ == "__main__":
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    django.setup()
    PAGE.write_text(page())
