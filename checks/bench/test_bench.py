"""The bench measures what it says: on little content it runs through, and its own loops are right."""

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from bench import limit
from bench.content import Phone, many_small_files
from bench.figures import Figure

ROOT = Path(__file__).resolve().parents[2]


class TheLimit(TestCase):
    def test_what_went_forward_comes_back(self):
        with tempfile.TemporaryDirectory() as holder:
            here = Path(holder)
            phone = Phone(here / "phone", megabytes=8, tiny_files=50)
            files = sorted(path for path in phone.root.rglob("*") if path.is_file())
            layout, written = limit.forward(files, here / "stored", workers=2)
            self.assertEqual((here / "stored").stat().st_size, written)
            limit.backward(layout, here / "stored", root=phone.root, into=here / "back", workers=2)
            self.assertEqual(subprocess.run(["diff", "-r", phone.root, here / "back"], check=False).returncode, 0)
            limit.backward(layout, here / "stored", root=phone.root, into=None, workers=2)

    def test_walk_stat_compare_counts_what_differs(self):
        with tempfile.TemporaryDirectory() as holder:
            root = Path(holder)
            many_small_files(root, 150)
            known = limit.known_files(root)
            self.assertEqual((len(known), limit.walk_stat_compare(root, known)), (150, 0))
            (root / "00000" / "contact-000003.txt").write_text("changed")
            (root / "new").write_text("new")
            self.assertEqual(limit.walk_stat_compare(root, known), 2)

    def test_a_day_changes_databases_in_place_and_the_same_seed_gives_the_same_phone(self):
        with tempfile.TemporaryDirectory() as holder:
            phones = [Phone(Path(holder) / name, megabytes=4, tiny_files=30) for name in "ab"]
            for _ in range(2):
                self.assertEqual(subprocess.run(["diff", "-r", phones[0].root, phones[1].root], check=False).returncode, 0)
                for phone in phones:
                    phone.one_day_later()
            database = phones[0].root / "app data" / "messages-0.sqlite"
            self.assertEqual(database.read_bytes()[:15], b"SQLite format 3")


class Standings(TestCase):
    def test_more_or_less_is_better_as_the_figure_says(self):
        for value, higher, expected in (
            (0.9, True, "wanted"), (0.7, True, "good"), (0.5, True, "short"), (0.85, True, "wanted"),
            (0.5, False, "wanted"), (0.8, False, "good"), (0.9, False, "short"), (None, False, "not measured"),
        ):  # fmt: skip
            marks = {"good": 0.65, "wanted": 0.85} if higher else {"good": 0.85, "wanted": 0.65}
            self.assertEqual(Figure(name="", value=value, unit="", told="", higher=higher, **marks).standing, expected)


class TheCommand(TestCase):
    def test_formats_are_measured_on_little_content(self):
        with tempfile.TemporaryDirectory() as holder:
            command = [sys.executable, "-m", "bench", "formats", "--megabytes", "6", "--rounds", "1", "--folder", holder, "--json", "-"]
            env = {**os.environ, "PYTHONPATH": str(ROOT)}
            done = subprocess.run(command, cwd=holder, env=env, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr[-2000:])
            self.assertEqual(os.listdir(holder), [])
        values = {figure["name"]: figure["value"] for figure in json.loads(done.stdout)}
        self.assertEqual(len(values), 6)
        self.assertTrue(all(value > 0 for value in values.values()))

    def test_every_figure_is_measured_on_little_content(self):
        with tempfile.TemporaryDirectory() as holder:
            command = [sys.executable, "-m", "bench", "vault", "--megabytes", "10", "--rounds", "1", "--folder", holder, "--json", "-"]
            command += [word for name in ("first", "unchanged", "stored") for word in ("--only", name)]
            env = {**os.environ, "PYTHONPATH": str(ROOT)}
            done = subprocess.run(command, cwd=holder, env=env, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr[-2000:])
            content = json.loads(done.stdout)
            self.assertEqual(os.listdir(holder), [])
        values = {figure["name"]: figure["value"] for figure in content}
        self.assertEqual(len(values), 11)
        self.assertTrue(all(value is None or value > 0 for value in values.values()))
        self.assertLess(values["stored after 7 days against unique 64 KiB chunks"], 1.5)
