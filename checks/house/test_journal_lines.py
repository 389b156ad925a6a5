"""Every kind of line that the journal knows is written somewhere, by the deed that it is about, and says what its facts are."""

import ast
import re
from collections import Counter
from functools import cache
from pathlib import Path
from unittest import TestCase

from core.coverage.own_cloud import OwnStanding
from server.oversight.cause_lines import CAUSES
from server.oversight.causes import _FAILED_STEPS
from server.oversight.events import EVENTS, told_event
from server.oversight.models import Event
from server.people.lines import LINES, filled, sentence

SERVER = Path(__file__).resolve().parents[2] / "server"
BY_VARIABLE = {
    # calls whose code or way is not a literal, and all that they may write
    "recovery/actions/note_look.py": (
        "content.looked_into", "content.looked_into/weighed", "content.searched", "content.saved", "content.fetched",
    ),
    "retention/actions/apply_rule.py": ("backup.fell_out", "backup.back", "backup.goes"),
    "recovery/actions/set_drill_rules.py": ("drill.rules", "drill.rules/none"),
    "storage/actions/add_store.py": ("store.added/own_key", "store.added/offices_key", "store.added/attached"),
    "storage/actions/slots.py": ("store.slots/added", "store.slots/changed", "store.slots/removed"),
    "storage/actions/change_store.py": ("store.mode/in_use", "store.mode/read_only", "store.mode/paused", "store.mode/detached"),
    "storage/actions/set_allowance.py": ("allowance.set/of", "allowance.set/store"),
}  # fmt: skip


@cache
def _calls() -> list[tuple[str, ast.Call]]:
    seen = []
    for file in sorted(SERVER.rglob("*.py")):
        if not {"tests", "migrations"} & set(file.parts):
            for node in ast.walk(ast.parse(file.read_text())):
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "write_journal":
                    seen.append((str(file.relative_to(SERVER)), node))
    return seen


def _literal(call: ast.Call, name: str) -> str | None:
    value = next((keyword.value for keyword in call.keywords if keyword.arg == name), None)
    return value.value if isinstance(value, ast.Constant) and isinstance(value.value, str) else None


class EveryKindOfLine(TestCase):
    def test_is_written_by_the_deed_that_it_is_about_and_no_other_line_is(self):
        """Dropping a line, or its code, is seen here whatever its other tests look at."""
        written: Counter[str] = Counter()
        for file, call in _calls():
            code, way = _literal(call, "what"), _literal(call, "way")
            by_variable = BY_VARIABLE.get(file, ())
            if code is not None and not any(one.split("/")[0] == code for one in by_variable):
                written[f"{code}/{way}" if way else code] += 1
        for file, kinds in BY_VARIABLE.items():
            self.assertTrue(any(where == file for where, _ in _calls()), file)
            text = (SERVER / file).read_text()
            for kind in kinds:
                written[kind] += 1
                if "mode" not in kind:
                    self.assertTrue(all(f'"{part}"' in text for part in kind.split("/")), (file, kind))
        self.assertEqual(set(written), set(LINES))

    def test_is_of_a_code_that_stays_as_it_is(self):
        """What lies in the journal for years is read by these names."""
        for code in LINES:
            self.assertRegex(code, r"^[a-z_]+\.[a-z_]+(/[a-z_]+)?$")

    def test_each_deed_is_written_once(self):
        """Where two places write the same line, one of them could go unnoticed: they are listed."""
        counted = Counter(
            f"{_literal(call, 'what')}/{_literal(call, 'way') or ''}" for _, call in _calls() if _literal(call, "what") is not None
        )
        self.assertEqual({code: count for code, count in counted.items() if count > 1}, {})


class EveryKindOfCause(TestCase):
    def test_is_found_somewhere_and_says_what_its_facts_are(self):
        text = "".join(file.read_text() for file in (SERVER / "oversight").glob("*.py") if file.name != "cause_lines.py")
        used = set(re.findall(r'kind="([a-z_]+)"', text)) | set(re.findall(r'\("(damaged|lost|fell_over)", store\.', text)) | {"owed"}
        self.assertEqual({code.split("/")[0] for code in CAUSES}, used)
        ways = {code.split("/")[1] for code in CAUSES if code.startswith("own_cloud/")}
        self.assertEqual(ways, {one.value for one in OwnStanding} - {OwnStanding.ON_TIME.value})
        self.assertEqual({code.split("/")[1] for code in CAUSES if code.startswith("failed/")}, set(_FAILED_STEPS))

    def test_what_happened_to_an_incident_has_its_sentence(self):
        self.assertEqual({code.split("/")[0] for code in EVENTS}, {one.value for one in Event})
        self.assertEqual(
            told_event("joined", {"devices": ["p1 (L. Pellow)", "p2 (E. Brandt)"], "more": 3}),
            "Joined by p1 (L. Pellow), p2 (E. Brandt) and 3 more.",
        )


class Sentences(TestCase):
    TOLD = {
        "a": "{count:#copy|copies} {count:~is|are} tried{until:? until %|}{why:?: %|.}", "b": "{names}", "c": "{names:;}", "d/e": "way {n}",
        "f": "{every:~every day|every % days}",
    }  # fmt: skip

    def test_count_choose_and_leave_out(self):
        for facts, says in (
            ({"count": 1, "until": None, "why": ""}, "1 copy is tried."),
            ({"count": 2, "until": "Monday", "why": "a cable"}, "2 copies are tried until Monday: a cable"),
        ):
            self.assertEqual(filled(self.TOLD, "a", facts), says)
        self.assertEqual(filled(self.TOLD, "b", {"names": ["x", "y"]}), "x, y")
        self.assertEqual(filled(self.TOLD, "c", {"names": ["x", "y"]}), "x; y")
        self.assertEqual(filled(self.TOLD, "d", {"way": "e", "n": 3}), "way 3")
        self.assertEqual([filled(self.TOLD, "f", {"every": n}) for n in (1, 7)], ["every day", "every 7 days"])

    def test_what_people_typed_is_told_as_it_is(self):
        self.assertEqual(filled(self.TOLD, "b", {"names": "{count} 100 % | {0.__class__}"}), "{count} 100 % | {0.__class__}")
        self.assertEqual(filled(self.TOLD, "a", {"count": 2, "until": "", "why": "{why} %|"}), "2 copies are tried: {why} %|")

    def test_a_fact_that_is_missing_is_an_error_where_it_is_written_and_not_where_it_is_read(self):
        with self.assertRaises(KeyError):
            sentence("device.paired", {"device": "p1"})
        with self.assertRaises(KeyError):
            sentence("device.lent", {})

    def test_every_sentence_can_be_told_of_anything(self):
        for code, words in (LINES | CAUSES | EVENTS).items():
            names = {re.split(r"[:!.\[]", one)[0] for one in re.findall(r"\{([^{}]+)\}", words)}
            for value in (0, 1, "x", ["x", "y"], None, True):
                said = filled({code: words}, code, dict.fromkeys(names, value))
                self.assertNotIn("{", said, code)
                self.assertTrue(said, code)
