"""The house itself: what no single test can see."""

import ast
import importlib
import os
import pkgutil
import re
import subprocess
import sys
import tempfile
import traceback
from dataclasses import fields, is_dataclass
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

from django.core.management import call_command

from core.errors import AtticError
from core.vault.chunks import VaultLimits
from core.vault.keys import check_new_passphrase
from core.vault.memory import MemoryBlobs
from core.vault.opening import create_vault, open_vault
from core.vault.tests.bench_of_one import LENIENT

ROOT = Path(__file__).resolve().parents[2]
PACKAGES = ("core", "adapters", "commandline", "bench", "server", "standins", "demo", "launcher", "checks")
LONGEST = 400
SECRET = re.compile(r"((\w+_)?password|passphrase(_again)?|private_key|secret_key|recovery_code|master): (str|bytes)( \| None)?|key: bytes")


def tracked(*patterns: str) -> list[Path]:
    done = subprocess.run(["git", "ls-files", "-co", "--exclude-standard", *patterns], cwd=ROOT, capture_output=True, text=True, check=True)
    return [ROOT / line for line in done.stdout.splitlines() if (ROOT / line).is_file()]


def inside(path: Path) -> set[str]:
    """The folders of this project that it lies in; where the project itself lies says nothing of its files."""
    return set(path.relative_to(ROOT).parts[:-1])


def all_errors(kind: type[AtticError] = AtticError) -> list[type[AtticError]]:
    return [kind, *(one for child in kind.__subclasses__() for one in all_errors(child))]


class Files(TestCase):
    def test_every_package_at_the_top_is_declared_to_the_import_linter(self):
        seen = {path.parent.name for path in ROOT.glob("*/__init__.py")}
        self.assertEqual(seen, set(PACKAGES))
        declared = (ROOT / ".importlinter").read_text()
        for package in PACKAGES:
            self.assertIn(f"    {package}\n", declared)

    def test_no_source_file_holds_more_than_one_subject_can_fill(self):
        sources = [path for path in tracked("*.py", "*.ts", "*.tsx") if path.name != "schema.d.ts" and "migrations" not in inside(path)]
        long = {str(path.relative_to(ROOT)): count for path in sources if (count := len(path.read_text().splitlines())) > LONGEST}
        long.pop("docs/rescue.py")  # has to be one file: it is what is left when everything else is lost
        self.assertEqual(long, {})

    def test_every_module_says_what_it_is_about(self):
        silent = []
        for path in tracked(
            "core/*.py", "adapters/*.py", "server/*.py", "standins/*.py", "launcher/*.py", "demo/*.py", "commandline/*.py", "bench/*.py"
        ):
            if {"tests", "migrations"} & inside(path) or path.name in ("__init__.py", "apps.py"):
                continue
            if ast.get_docstring(ast.parse(path.read_text())) is None:
                silent.append(str(path.relative_to(ROOT)))
        self.assertEqual(silent, [])

    def test_every_class_and_function_of_the_server_says_what_it_is(self):
        silent = []
        for path in tracked("server/*.py"):
            if not {"tests", "migrations"} & inside(path):
                for node in ast.parse(path.read_text()).body:
                    named = isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef) and not node.name.startswith("_")
                    if named and ast.get_docstring(node) is None:
                        silent.append(f"{path.relative_to(ROOT)}:{node.lineno}")
        self.assertEqual(silent, [])

    def test_no_class_name_stands_in_two_rooms(self):
        """What reads `Plan` says which; commands have the name that their framework wants."""
        rooms: dict[str, list[str]] = {}
        for path in tracked("core/*.py", "adapters/*.py", "server/*.py", "commandline/*.py"):
            if not {"tests", "migrations"} & inside(path):
                for name in re.findall(r"^class (\w+)", path.read_text(), re.MULTILINE):
                    rooms.setdefault(name, []).append(str(path.relative_to(ROOT)))
        self.assertEqual({name: files for name, files in rooms.items() if len(files) > 1 and name != "Command"}, {})

    def test_the_core_reads_no_clock_no_environment_and_no_file(self):
        banned = re.compile(r"datetime\.now|time\.time\(|os\.environ|\bopen\(|import socket|import logging|import os\b")
        seen = {}
        for path in tracked("core/*.py"):
            if "tests" not in inside(path) and (lines := [line for line in path.read_text().splitlines() if banned.search(line)]):
                seen[path.name] = lines
        # these write into an archive that the caller opened
        inside_one = {"zipped.py": ["with self._zip.open("], "locked.py": ["with outer.open("]}
        self.assertEqual({name: [line.strip().split("info")[0] for line in lines] for name, lines in seen.items()}, inside_one)

    def test_lock_files_name_no_place(self):
        for path in (*ROOT.glob("*.lock"), ROOT / "web" / "package-lock.json"):
            self.assertNotRegex(
                path.read_text(),
                r"https?://(?!(opencollective|github|tidelift|www\.patreon|paulmillr|feross|dotenvx)\b)[a-z.]*(pypi|npmjs|registry)",
            )


class Generated(TestCase):
    def test_the_contract_is_what_the_server_says_now(self):
        with tempfile.NamedTemporaryFile(suffix=".yaml") as file:
            call_command("spectacular", file=file.name)
            self.assertEqual(
                Path(file.name).read_text(), (ROOT / "contract" / "openapi.yaml").read_text(), "run ./attic manage spectacular"
            )

    def test_the_front_ends_types_are_made_from_the_contract(self):
        with tempfile.TemporaryDirectory() as folder:
            made = Path(folder) / "schema.d.ts"
            command = ["npx", "openapi-typescript", "../contract/openapi.yaml", "-o", str(made)]
            subprocess.run(command, cwd=ROOT / "web", capture_output=True, check=True)
            self.assertEqual(made.read_text(), (ROOT / "web" / "src" / "api" / "schema.d.ts").read_text(), "run npm run types in web/")

    def test_no_migration_is_missing(self):
        call_command("makemigrations", check=True, dry_run=True, verbosity=0)


class Errors(TestCase):
    def test_each_has_a_code_of_its_own_and_a_remedy(self):
        import core.content.records
        import core.quota.admission
        import core.vault.errors  # noqa: F401

        kinds = list(dict.fromkeys(kind for kind in all_errors() if "tests" not in kind.__module__))
        self.assertGreater(len(kinds), 25)
        self.assertEqual(len({kind.code for kind in kinds}), len(kinds))
        for kind in kinds:
            self.assertRegex(kind.code, r"^[a-z]+\.[a-z_]+$")
            self.assertTrue(kind.remedy, kind)

    def test_a_secret_never_gets_into_a_printed_error(self):
        """Neither the words that were typed nor the key, whoever refuses them, printed with everything that led to it."""
        words, key, limits = "seven dry herring boxes", b"\x77" * 32, VaultLimits()
        blobs = MemoryBlobs()
        create_vault(blobs, passphrase=words, now=datetime(2026, 3, 2, tzinfo=UTC), random=os.urandom, limits=limits, policy=LENIENT)
        deeds = (
            lambda: open_vault(blobs, passphrase=f"{words}!", random=os.urandom, limits=limits, policy=LENIENT),
            lambda: open_vault(blobs, key_file=key, random=os.urandom, limits=limits, policy=LENIENT),
            lambda: check_new_passphrase(words, f"{words}!"),
        )
        for deed in deeds:
            with self.assertRaises(AtticError) as caught:
                deed()
            printed = "".join(traceback.format_exception(caught.exception)) + repr(caught.exception) + str(vars(caught.exception))
            for secret in (words, key.hex(), repr(key)):
                self.assertNotIn(secret, printed)

    def test_no_object_that_holds_a_secret_shows_it(self):
        """Each dataclass of every module, by the names of its fields."""
        holders, shown = 0, []
        for package in map(importlib.import_module, ("core", "adapters", "server", "commandline")):
            for module in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
                if {"tests", "migrations", "__main__", "manage"} & set(module.name.split(".")):
                    continue
                for made in vars(importlib.import_module(module.name)).values():
                    if not isinstance(made, type) or not is_dataclass(made) or made.__module__ != module.name:
                        continue
                    secrets = [one for one in fields(made) if SECRET.fullmatch(f"{one.name}: {getattr(one.type, '__name__', one.type)}")]
                    holders += bool(secrets)
                    shown += [f"{module.name}.{made.__name__}.{one.name}" for one in secrets if one.repr and made.__dataclass_params__.repr]
        self.assertEqual(shown, [])
        self.assertGreater(holders, 8)


class Documents(TestCase):
    def test_every_local_link_leads_somewhere(self):
        dead = []
        for page in (ROOT / "README.md", *(ROOT / "docs").rglob("*.md")):
            for target in re.findall(r"\]\(([^)#]+)[^)]*\)", page.read_text()):
                if not target.startswith("http") and not (page.parent / target).exists():
                    dead.append(f"{page.name}: {target}")
        self.assertEqual(dead, [])

    def test_the_commands_of_the_readme_exist(self):
        done = subprocess.run([sys.executable, "-m", "launcher", "--help"], cwd=ROOT, capture_output=True, text=True, check=True).stdout
        for command in re.findall(r"\./attic (\w+)", (ROOT / "README.md").read_text()):
            self.assertIn(f"./attic {command}", done)

    def test_the_front_end_fetches_nothing_from_elsewhere(self):
        built = [*(ROOT / "web" / "dist").rglob("*.css"), *(ROOT / "web" / "dist").rglob("*.js")]
        self.assertGreater(len({path.suffix for path in built}), 1, "nothing was built")
        for path in built:
            matches = re.findall(
                r"""(?:fetch|import|EventSource|Worker|WebSocket|src=|href=)\(?["'`](?:https?:)?//[^"'`]+""", path.read_text()
            )
            self.assertEqual(matches, [], path.name)
        for path in (ROOT / "web" / "dist").rglob("*.css"):
            self.assertNotRegex(path.read_text(), r"url\(['\"]?https?:")
        self.assertNotIn("http", (ROOT / "web" / "dist" / "index.html").read_text())


class Pickers(TestCase):
    """A list that is cut may lack the one that is chosen: a select then shows another one than is sent."""

    def test_no_select_is_filled_from_a_list_that_grows_without_end(self):
        wrong = []
        for path in (ROOT / "web" / "src").rglob("*.tsx"):
            text = path.read_text()
            for asked in re.findall(r"const (\w+) = use(?:Devices|Runs|Holders)\(", text):
                wrong += [f"{path.name}: {one}" for one in re.findall(r"options=\{[^}]*\b" + asked + r"\.data[^}]*\}", text)]
                for listed in re.findall(r"const (\w+) = [^;]*\b" + asked + r"\.data[^;]*\.map\(\(\w+\) => \(\{ value:", text, re.S):
                    wrong += [f"{path.name}: {listed}"] if f"options={{{listed}}}" in text else []
        self.assertEqual(wrong, [])

    def test_whoever_is_written_to_is_named_on_the_button(self):
        text = (ROOT / "web" / "src" / "features" / "recovery" / "WhereTo.tsx").read_text()
        self.assertIn("{doing(going.target, devices.shown)}", text)
        self.assertIn("devices.shown === ''", text)
