"""Text that is cut is cut to what its column holds: longer it would be an error of the database, shorter it would lose words."""

import ast
from collections import defaultdict
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from unittest import TestCase

from django.apps import apps

SMALL = 10
"""Up to here it is a count of what is shown."""
SERVER = Path(__file__).resolve().parents[2] / "server"


def given(node: ast.AST) -> list[tuple[str, ast.expr]]:
    """(column, what is put there) of `name=…` and `row.name = …`; "" for a fact of a sentence, which is as long as some column."""
    if isinstance(node, ast.keyword):
        return [(node.arg or "", node.value)]
    if isinstance(node, ast.Dict):
        return [("", value) for value in node.values]
    if isinstance(node, ast.Assign):
        target = node.targets[0]
        targets = target.elts if isinstance(target, ast.Tuple) else [target]
        values = node.value.elts if isinstance(node.value, ast.Tuple) else [node.value]
        return [(one.attr, value) for one, value in zip(targets, values, strict=False) if isinstance(one, ast.Attribute)]
    return []


def cuts(tree: ast.AST) -> Iterator[tuple[str, int, int]]:
    """(column, length, line) of each text that is cut to so many letters; "" where it is not put into a column at once."""
    named = {id(value): name for node in ast.walk(tree) for name, value in given(node)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Subscript) and isinstance(node.slice, ast.Slice) and isinstance(node.slice.upper, ast.Constant):
            yield named.get(id(node), ""), int(node.slice.upper.value), node.lineno
        for text, length in pairwise(node.args if isinstance(node, ast.Call) else node.elts if isinstance(node, ast.Tuple) else ()):
            if type(getattr(length, "value", None)) is int and not isinstance(getattr(text, "value", None), int):
                yield getattr(text, "value", "") if isinstance(text, ast.Constant) else "", length.value, node.lineno  # `told("name", 80)`


class Cuts(TestCase):
    def test_text_is_cut_to_the_length_of_its_column(self):
        held: dict[str, set[int]] = defaultdict(set)
        for column in (column for model in apps.get_models() for column in model._meta.get_fields()):
            if (most := getattr(column, "max_length", None)) is not None:
                held[column.name].add(most)
        every = set[int]().union(*held.values())
        seen = [
            (f"{file.relative_to(SERVER)}:{line}", name, length)
            for file in sorted(SERVER.glob("*/actions/*.py"))
            for name, length, line in cuts(ast.parse(file.read_text()))
        ]
        self.assertEqual([one for one in seen if one[2] > SMALL and one[2] not in (held.get(one[1]) or every)], [])
        self.assertGreater(len(seen), 40)

    def test_what_there_is_one_of_is_number_one(self):
        """Every way to such a row asks for the same id."""
        ids = [
            (f"{file.relative_to(SERVER)}:{node.value.lineno}", node.value.value)
            for file in sorted(SERVER.glob("*/actions/*.py"))
            for node in ast.walk(ast.parse(file.read_text()))
            if isinstance(node, ast.keyword) and node.arg in ("id", "pk") and isinstance(node.value, ast.Constant)
        ]
        self.assertEqual([one for one in ids if one[1] != 1], [])
        self.assertGreater(len(ids), 5)
