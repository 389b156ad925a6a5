"""Rules of the server's house: who writes what, and where. Read from the source itself."""

import ast
import inspect
import re
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

from procrastinate.contrib.django import app

from checks.house.test_house import ROOT, inside, tracked
from server.jobs import REGISTER

STATEFUL = ("server/runs", "server/recovery")
"""Where runs, restores, imports and copies live."""


def sources(*folders: str) -> Iterator[tuple[Path, ast.Module]]:
    for path in tracked(*[f"{folder}/*.py" for folder in folders]):
        if not {"tests", "migrations"} & inside(path):
            yield path, ast.parse(path.read_text())


def shown(path: Path, node: ast.AST) -> str:
    return f"{path.relative_to(ROOT)}:{node.lineno}"  # type: ignore[attr-defined]


class WhoWrites(TestCase):
    def test_no_row_is_written_as_a_whole_over_what_somebody_else_has_just_changed(self):
        seen = []
        for path, tree in sources("server", "demo"):
            for node in ast.walk(tree):
                saves = isinstance(node, ast.Call) and ast.unparse(node.func).endswith(".save")
                if saves and not node.args and not {"update_fields", "force_insert"} & {word.arg for word in node.keywords}:
                    seen.append(shown(path, node))
        self.assertEqual(seen, [])

    def test_the_state_of_a_run_a_restore_an_import_or_a_copy_has_one_writer(self):
        seen = []
        for path, tree in sources(*STATEFUL):
            for node in ast.walk(tree):
                assigned = isinstance(node, ast.Assign) and any(_is_state(target) for target in node.targets)
                updated = isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "update"
                named = isinstance(node, ast.Call) and any(
                    word.arg == "update_fields" and "state" in ast.unparse(word.value) for word in node.keywords
                )
                if assigned or named or (updated and any(word.arg == "state" for word in node.keywords)):
                    seen.append(shown(path, node))
        # a night that was never started is written down as missed: its row begins so
        self.assertEqual([where.partition(":")[0] for where in seen], ["server/runs/actions/start_due.py"])

    def test_mutations_live_in_actions(self):
        writes = re.compile(r"\.(bulk_create|bulk_update|update_or_create|get_or_create|create|update|delete|save)\($")
        seen = []
        for path, tree in sources("server"):
            relative = str(path.relative_to(ROOT))
            if "/actions/" in relative or relative in ("server/transition.py", "server/locks.py"):
                continue
            for node in ast.walk(tree):
                if isinstance(node, ast.Call) and writes.search(ast.unparse(node.func) + "(") and "objects" in ast.unparse(node.func):
                    seen.append(shown(path, node))
        self.assertEqual(seen, [])

    def test_views_and_serializers_ask_no_database(self):
        asks = re.compile(r"\.objects\b|get_object_or_404|\.(filter|exclude|annotate|select_related|prefetch_related|values_list)\(")
        seen = []
        for path in tracked("server/*/api/*.py"):
            if "tests" not in inside(path):
                seen += [f"{path.relative_to(ROOT)}:{n}" for n, line in enumerate(path.read_text().splitlines(), 1) if asks.search(line)]
        self.assertEqual(seen, [])

    def test_no_import_hides_inside_a_function(self):
        seen = []
        for path, tree in sources("server"):
            for function in ast.walk(tree):
                if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef):
                    seen += [shown(path, node) for node in ast.walk(function) if isinstance(node, ast.Import | ast.ImportFrom)]
        # Django calls `ready` once every app is there; only then may checks be registered
        self.assertEqual({where.partition(":")[0] for where in seen}, {"server/project/apps.py"})


def _is_state(target: ast.expr) -> bool:
    parts = target.elts if isinstance(target, ast.Tuple) else [target]
    return any(isinstance(part, ast.Attribute) and part.attr == "state" for part in parts)


class JobsAndTheirRegister(TestCase):
    def tasks(self):
        return {name: task for name, task in app.tasks.items() if not name.startswith(("procrastinate.", "builtin:"))}

    def test_each_job_is_fulfilled_and_nothing_else_is_a_job(self):
        self.assertEqual(set(self.tasks()), set(REGISTER))

    def test_its_function_takes_the_arguments_that_the_register_names_in_its_pool(self):
        for name, task in self.tasks().items():
            taken = [word for word in inspect.signature(task.func).parameters if word != "context"]
            self.assertEqual((taken, task.queue), (list(REGISTER[name].arguments), str(REGISTER[name].pool)), name)

    def test_no_job_or_queue_is_named_anywhere_else(self):
        queues = re.compile(r"queue=[\"']|configure_task\(|\.defer\(|app\.task\(|@app\.periodic")
        rows = [
            str(path.relative_to(ROOT))
            for path in tracked("server/*.py")
            if "tests" not in inside(path) and queues.search(path.read_text())
        ]
        self.assertEqual(rows, ["server/jobs.py"])


class ErrorTree(TestCase):
    def test_nothing_in_core_and_adapters_derives_from_exception_beside_it(self):
        foreign = {"Exception", "BaseException", "RuntimeError", "ValueError", "OSError", "KeyError", "TypeError"}
        seen = []
        for path, tree in sources("core", "adapters"):
            for node in ast.walk(tree):
                if isinstance(node, ast.ClassDef) and foreign & {ast.unparse(base) for base in node.bases}:
                    seen.append(f"{shown(path, node)} {node.name}")
        self.assertEqual(seen, ["core/errors.py:11 AtticError"])

    def test_whoever_catches_everything_says_what_becomes_of_it(self):
        """A row, a job or a door: never silence. It goes on rising, it is logged, or the comment beside it says where it goes."""
        seen = []
        for path, tree in sources("core", "adapters", "server"):
            lines = path.read_text().splitlines()
            for node in ast.walk(tree):
                if not isinstance(node, ast.ExceptHandler) or (node.type and ast.unparse(node.type) not in ("Exception", "BaseException")):
                    continue
                explained = "#" in lines[node.lineno - 1] or "log." in ast.unparse(node)
                if not explained and not isinstance(node.body[-1], ast.Raise):
                    seen.append(shown(path, node))
        self.assertEqual(seen, [])
