"""Before a device is wiped. That a reset leaves a card alone, and what a card encrypted by its device is worth
afterwards, is common practice, no published source."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.content.link import Card, DeviceReport
from core.coverage.wipe import CopyFacts, Evidence, Missing, Remedy, may_be_wiped

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)
HOUR, DAY = timedelta(hours=1), timedelta(days=1)
ONE = CopyFacts(
    store="Server room", intact=True, checked_at=NOW - DAY, passphrase_proven_at=NOW - 10 * DAY, off_site=False, medium="folder"
)
TWO = replace(ONE, store="Cloud", off_site=True, medium="bucket")
STATE = DeviceReport(make="", model="", family="orlo", os_version="", finder_lock=False, card=Card(present=False))
SAFE = Evidence(
    backup_at=NOW - HOUR, backup_partial=False, copies=(ONE, TWO), scanned_at=NOW - HOUR / 2, missing=(), state=STATE, uncovered=(),
    in_step_only=(), link_cannot_tell=False, damaged=(),
)  # fmt: skip


def codes(evidence: Evidence, *, blocking: bool = True) -> list[str]:
    return [reason.code for reason in may_be_wiped(evidence, now=NOW).reasons if reason.blocks is blocking]


class Yes(TestCase):
    def test_only_when_nothing_speaks_against_it(self):
        answer = may_be_wiped(SAFE, now=NOW)
        self.assertTrue(answer.safe)
        self.assertEqual(answer.reasons, ())


class No(TestCase):
    def test_what_nobody_looked_at_is_told_by_how_old_its_backup_is(self):
        for age, says in (
            (HOUR, "Nobody has compared"),
            (DAY, "Nobody has compared"),
            (DAY + HOUR, "is 25 hours old, and nobody has looked"),
        ):
            (reason,) = may_be_wiped(replace(SAFE, scanned_at=None, backup_at=NOW - age), now=NOW).reasons
            self.assertIn(says, reason.says)
            self.assertEqual((reason.code, reason.remedy), ("not_looked", Remedy.LOOK))

    def test_each_piece_of_evidence_alone_turns_the_answer(self):
        cases = {
            "no_backup": replace(SAFE, backup_at=None, copies=()),
            "not_looked": replace(SAFE, scanned_at=None),
            "look_old": replace(SAFE, scanned_at=NOW - 2 * DAY),
            "partial": replace(SAFE, backup_partial=True),
            "damaged": replace(SAFE, damaged=(("photos", 2),), copies=(replace(ONE, intact=False),)),
            "missing": replace(SAFE, missing=(Missing(kind="photos", items=1, examples=("a.jpg",)),)),
            "uncovered": replace(SAFE, uncovered=("health",)),
            "files_only": replace(SAFE, link_cannot_tell=True),
            "unchecked": replace(SAFE, copies=(replace(ONE, checked_at=None), replace(TWO, checked_at=NOW - 31 * DAY))),
            "one_copy": replace(SAFE, copies=(ONE,)),
            "unproven": replace(SAFE, copies=tuple(replace(copy, passphrase_proven_at=NOW - 91 * DAY) for copy in (ONE, TWO))),
            "unknown": replace(SAFE, state=replace(STATE, finder_lock=None)),
            "finder_lock": replace(SAFE, state=replace(STATE, finder_lock=True)),
            "card_encrypted": replace(SAFE, state=replace(STATE, card=Card(present=True, encrypted=True))),
        }  # fmt: skip
        for code, evidence in cases.items():
            with self.subTest(code=code):
                answer = may_be_wiped(evidence, now=NOW)
                self.assertFalse(answer.safe)
                self.assertEqual(codes(evidence), [code])
                self.assertTrue(all(reason.says and reason.step for reason in answer.reasons))

    def test_what_cannot_be_told_never_counts_as_safe(self):
        for state in (None, replace(STATE, finder_lock=None), replace(STATE, card=None)):
            self.assertEqual(codes(replace(SAFE, state=state)), ["unknown"])

    def test_a_damaged_copy_is_no_copy(self):
        self.assertEqual(codes(replace(SAFE, copies=(ONE, replace(TWO, intact=False)))), ["one_copy"])

    def test_a_check_or_a_proof_of_one_copy_is_enough_and_of_a_damaged_one_is_not(self):
        self.assertEqual(codes(replace(SAFE, copies=(ONE, replace(TWO, checked_at=None, passphrase_proven_at=None)))), [])
        damaged = replace(TWO, intact=False)
        self.assertIn("unchecked", codes(replace(SAFE, copies=(replace(ONE, checked_at=None), damaged))))

    def test_two_copies_in_one_house_and_a_card_that_stays_are_said_and_do_not_block(self):
        self.assertEqual(codes(replace(SAFE, copies=(ONE, replace(TWO, off_site=False))), blocking=False), ["one_place"])
        self.assertEqual(
            codes(replace(SAFE, state=replace(STATE, card=Card(present=True, encrypted=False))), blocking=False), ["card_stays"]
        )

    def test_missing_items_of_a_kind_that_is_covered_by_nothing_are_said_once(self):
        evidence = replace(SAFE, missing=(Missing(kind="health", items=3, examples=("a",)),), uncovered=("health",))
        self.assertEqual(codes(evidence), ["uncovered"])

    def test_what_the_page_can_start_is_named(self):
        answer = may_be_wiped(replace(SAFE, backup_at=None, copies=(), scanned_at=None), now=NOW)
        self.assertEqual([reason.remedy for reason in answer.reasons], [Remedy.RUN])
        self.assertEqual(may_be_wiped(replace(SAFE, copies=(ONE,)), now=NOW).reasons[0].remedy, Remedy.COPY)
