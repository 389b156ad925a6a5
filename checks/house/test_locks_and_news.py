"""Who decides alone, and what the screens that are open are told: by whom, in one table each, joined with the code.

A lock that is left out shows in no answer until two decide at once; news that is left out shows on no screen but somebody else's."""

import ast
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
SERVER = ROOT / "server"

LOCKS = {
    # `lock_device`, `lock_devices`: about one's backups and copies nobody else decides meanwhile
    "lock_device": """
        oversight.anomalies.trust_again recovery.ask_restore.ask_restore retention.apply_rule.apply_rule retention.erase_in._stand_in
        retention.look_at_backup.looked_at retention.owe_copies.owe_copies_of runs.compare_store._back runs.compare_store._missing
        runs.compare_store.adopt runs.compare_store.give_up_missing runs.copy_backup.ask_copy runs.hold_backup.hold_backup
        runs.hold_backup.release_backup runs.note_backup.note_backup runs.settle_dates.settle_date runs.take_found.give_back
        runs.take_found.take_found
    """,
    "lock_devices": """
        retention.ask_erasure._written retention.drain_store.drain_store retention.drain_store.retire_store retention.erase_in._begin
        retention.erase_in._claim retention.erase_in._end retention.erase_in._whole retention.hold_many.hold_many
        retention.hold_many.still_needed retention.keep_backups.keep_backups retention.leave_sooner.leave_sooner
        retention.remove_backups.remove_backups retention.take_again.take_again runs.check_store._noted runs.mend_store._noted
    """,
    # `lock_alone`: one at a time in the whole office
    "administrators": "people.accounts.change_user",
    "clock": "people.clock.look_at_clock people.clock.settle_clock",
    "export …": """
        recovery.end_exports._erase_file recovery.end_exports._erase_folder recovery.end_exports._note_trouble
        recovery.end_exports.keep_folder recovery.write_export._note_begun
    """,
    "first administrator": "people.office.set_up_office",
    "freeze": "retention.freeze.freeze",
    "kind choices": "plans.choose_kinds.choose_kinds",
    "look …": "recovery.note_look._note",
    "office record": "recovery.take_office.take_office",
    "rules": "retention.set_exception.set_exception",
    "save …": "api.read_before.ReadBefore.heed",
    "server key": "oversight.establish_key.establish_key",
    "sign in …": "people.sign_in.sign_in",
    "ssh key": "fleet.ssh_key.own_ssh_key",
    "watch": "telling.watch_office.watch_office",
}
NEWS = {
    # of something in particular
    "copies": """
        retention.owe_copies.owe_copies_of runs.carry_copies.Paced.__call__ runs.carry_copies._wait runs.copy_backup._begun
        runs.copy_backup._cut runs.copy_backup.ask_copy runs.copy_backup.copy_backup runs.end_run._owe_copies
        runs.hurry_copies.hurry_copies runs.hurry_copies.withdraw_copy
    """,
    "devices": """
        plans.choose_kinds.choose_kinds plans.choose_kinds.leave_to_plan recovery.take_office.take_office
        retention.finish_removals.finish_removals retention.hold_many.hold_many retention.hold_many.still_needed
        retention.keep_backups.keep_backups retention.look_at_backup.looked_at retention.remove_backups.remove_backups
        retention.set_exception.set_exception runs.accept_omission.accept_omission runs.accept_omission.take_back_omission
        runs.compare_store.adopt runs.compare_store.compare_store runs.compare_store.give_up_missing runs.copy_backup.copy_backup
        runs.end_run.run_ended runs.scan_device.scan_device
        runs.settle_dates.confirm_doubted runs.settle_dates.settle_date runs.start_due._write_missed runs.take_found.give_back
        runs.take_found.take_found runs.take_import.take_import
    """,
    "drills": """
        recovery.ask_drill.begin_drill recovery.ask_drill.stop_drill recovery.carry_out_drill._begun
        recovery.carry_out_drill._drilled.on_progress recovery.carry_out_drill._ended
    """,
    "erasures": """
        retention.ask_erasure._written retention.ask_erasure.call_off retention.erase_in.erase_in retention.take_again.take_again
    """,
    "freezes": "retention.freeze.freeze retention.freeze.lift",
    "incidents": "telling.watch_office.watch_office",
    "line_up": "runs.line_up_night.line_up_night",
    "stores": """
        recovery.take_office.take_office retention.drain_store.drain_store retention.drain_store.retire_store
        retention.drain_store.stop_draining retention.leave_sooner.leave_sooner retention.look_after._decide_alone
        retention.look_after.look_after retention.make_room.make_room runs.check_store._noted runs.compare_store.compare_store
        runs.compare_store.give_up_missing
        runs.look_for_drives._strangers runs.look_for_drives.look_for_drives runs.mend_store._noted runs.part_drive.go_on_parting
        runs.part_drive.part_drive runs.part_drive.use_drive_again runs.take_found.take_found storage.note_trouble.note_trouble
        storage.note_trouble.note_well storage.set_allowance.set_allowance
        storage.set_allowance.take_allowance_away storage.set_rotation.end_rotation storage.set_rotation.keep_drive
        storage.set_rotation.set_rotation
    """,
    "imports": "runs.take_import.ImportProgress.tell runs.take_import.scan_import runs.take_import.take_import",
    "restore": """
        recovery.carry_out.RestoreWatch.tell recovery.carry_out._begun recovery.carry_out._ended recovery.end_exports._erase_file
        recovery.end_exports._erase_folder recovery.end_exports._note_trouble recovery.end_exports.keep_folder
        recovery.requeue._taken_up recovery.stop_restore.stop_restore
    """,
    "run": """
        runs.accept_omission.accept_omission runs.ask_run.ask_run_by_hand runs.carry_out._waits_for_others runs.end_run.ended_badly runs.end_run.run_ended
        runs.fall_over._moved runs.requeue._moved runs.stop_run.stop_run runs.watch_run.RunWatch.tell
    """,
    "session": "people.accounts._end_sessions people.accounts._set people.api.views.SignOutView.post",
}


def _calls(names: tuple[str, ...]) -> Iterator[tuple[str, ast.Call]]:
    """(function as the tables name it, call) of each call of one of these."""
    for file in sorted(SERVER.rglob("*.py")):
        parts = file.relative_to(SERVER).with_suffix("").parts
        if not {"tests", "migrations"} & set(parts):
            yield from _within(ast.parse(file.read_text()), ".".join(part for part in parts if part != "actions"), names)


def _within(node: ast.AST, place: str, names: tuple[str, ...]) -> Iterator[tuple[str, ast.Call]]:
    for child in ast.iter_child_nodes(node):
        if isinstance(child, ast.Call) and isinstance(child.func, ast.Name) and child.func.id in names:
            yield place, child
        inner = isinstance(child, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
        yield from _within(child, f"{place}.{child.name}" if inner else place, names)


def _pairs(table: dict[str, str]) -> Counter[tuple[str, str]]:
    return Counter((what, place) for what, places in table.items() for place in places.split())


def _text(node: ast.expr) -> str:
    """A literal as it stands; what a formatted one is filled with is an ellipsis."""
    if isinstance(node, ast.JoinedStr):
        return "".join(str(part.value) if isinstance(part, ast.Constant) else "…" for part in node.values)
    return node.value if isinstance(node, ast.Constant) else "…"


class WhoDecidesAlone(TestCase):
    def test_is_listed(self):
        taken = Counter(
            (_text(call.args[0]) if call.func.id == "lock_alone" else call.func.id, place)
            for place, call in _calls(("lock_device", "lock_devices", "lock_alone"))
            if not place.startswith("locks.")
        )
        self.assertEqual(taken, _pairs(LOCKS))


class WhatScreensAreTold(TestCase):
    def test_by_whom_is_listed(self):
        counts = Counter(
            (_text(call.args[1]) if _text(call.args[0]) == "changed" else _text(call.args[0]), place)
            for place, call in _calls(("publish",))
        )
        self.assertEqual(counts, _pairs(NEWS))

    def test_is_known_to_them(self):
        """What nobody listens to would show on the screen of whoever did it, and on no other."""
        text = (ROOT / "web" / "src" / "app" / "LiveLine.tsx").read_text()
        topics = set(re.findall(r"'(\w+)'", re.search(r"topic: ([^;]+);", text)[1])) - {"changed", "again"}
        changes = set(
            re.findall(r"^  (\w+): ", re.search(r"const TOLD[^=]+= \{(.*?)^\};", text, re.DOTALL | re.MULTILINE)[1], re.MULTILINE)
        )
        self.assertTrue(topics and changes)
        self.assertEqual(topics | changes, set(NEWS))
