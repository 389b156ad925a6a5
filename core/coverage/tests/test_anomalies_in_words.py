"""Every anomaly whole: what it says, what it compares with, its numbers; and each bound on both sides."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.coverage.anomalies import DetectedAnomaly, Lacking, Odd, Taken, TakenKind, anomalies, far_fewer

DAY = datetime(2026, 3, 1, 22, tzinfo=UTC)


def one(days_ago: float, *, items: int = 400, changed: int = 0, new: int = 1, size: int | None = None, **more: object) -> Taken:
    kinds = {"photos": TakenKind(items=items, size_bytes=items * 1_000_000 if size is None else size, changed=changed)}
    return Taken(id=f"b{days_ago}", at=DAY - timedelta(days=days_ago), kinds=kinds, new_items=new, **more)  # type: ignore[arg-type]


def days(count: int, **all_alike: object) -> list[Taken]:
    return [one(day, **all_alike) for day in range(1, count + 1)]  # type: ignore[arg-type]


def only(taken: Taken, history: list[Taken]) -> DetectedAnomaly:
    (detected,) = anomalies(taken, history)
    return detected


class WhatOneBackupShows(TestCase):
    def test_far_fewer_is_a_share_and_a_floor(self):
        for before, after, far in (
            (100, 70, False),
            (100, 69, True),
            (12, 2, True),
            (11, 2, False),
            (30, 20, True),
            (29, 20, False),
            (40, 30, False),
        ):
            with self.subTest(before=before, after=after):
                told = far_fewer({"photos": before, "notes": 1}, {"photos": after, "notes": 1})
                self.assertEqual(told, [Lacking(kind="photos", before=before, after=after)] if far else [])

    def test_a_device_that_gives_nothing_is_told_whatever_it_had(self):
        gone = far_fewer({"photos": 2, "contacts": 1, "notes": 0}, {})
        self.assertEqual(gone, [Lacking(kind="contacts", before=1, after=0), Lacking(kind="photos", before=2, after=0)])
        self.assertEqual(far_fewer({"photos": 2, "contacts": 1}, {"photos": 1}), [])
        self.assertEqual(far_fewer({"photos": 0}, {}), [])

    def test_what_it_lacks_is_said_with_what_that_means(self):
        ends = "Until somebody has looked, this backup counts for no promise and makes none leave."
        for kind, after, code, says in (
            ("photos", 0, Odd.VANISHED, f"Photos: none is left of 400. {ends}"),
            ("photos", 3, Odd.SHRUNK, f"Photos: 3 are left of 400. {ends}"),
            ("dreams", 3, Odd.SHRUNK, f"dreams: 3 are left of 400. {ends}"),
        ):
            lacks = replace(one(0), lacking=(Lacking(kind=kind, before=400, after=after),))
            (detected,) = (each for each in anomalies(lacks, days(2)) if each.kind == kind)
            self.assertEqual((detected.code, detected.says, detected.before), (code, says, "b1"))
            self.assertEqual(detected.numbers, {"before": 400, "after": after})


class AKind(TestCase):
    def test_that_vanished_was_steady_before(self):
        gone = Taken(id="now", at=DAY, kinds={}, new_items=1)
        detected = only(gone, days(3, items=3))
        self.assertEqual(detected.says, "Photos: none is left on the device; the backup before had 3.")
        self.assertEqual((detected.code, detected.kind, detected.before), (Odd.VANISHED, "photos", "b1"))
        self.assertEqual(detected.numbers, {"before": 3, "after": 0})
        self.assertEqual(anomalies(gone, days(3, items=2)), [])
        self.assertEqual(only(gone, days(1, items=3)).code, Odd.VANISHED)
        self.assertEqual(anomalies(gone, [one(1, items=9), one(2, items=9), one(3, items=0)]), [])
        self.assertEqual(only(gone, [one(1, items=9), one(2, items=9), one(3, items=1), one(4, items=0)]).code, Odd.VANISHED)
        self.assertEqual(anomalies(gone, [one(1, items=9), replace(one(2), kinds={}), one(3, items=9)]), [])
        self.assertEqual(anomalies(one(0, items=0), days(3, items=9))[0].code, Odd.VANISHED)

    def test_that_was_rewritten_is_said_with_what_is_usual(self):
        detected = only(one(0, changed=200), days(7, changed=4))
        says = "Photos: 200 of 400 items were rewritten at once; 4 is usual. Malware that encrypts does this; so does an app that converts its files."
        self.assertEqual((detected.code, detected.says, detected.before), (Odd.MANY_CHANGED, says, "b1"))
        self.assertEqual(detected.numbers, {"changed": 200, "before": 400, "score": 24.5})
        self.assertEqual(anomalies(one(0, changed=199), days(7, changed=4)), [])
        self.assertEqual(anomalies(one(0, changed=200), days(6, changed=4)), [])
        self.assertEqual(only(one(0, items=60, changed=30), days(7, items=60)).code, Odd.MANY_CHANGED)
        self.assertEqual(anomalies(one(0, items=58, changed=29), days(7, items=58)), [])

    def test_that_shrank_or_grew_is_said_in_items_or_in_bytes(self):
        cases = (
            (one(0, items=279), Odd.SHRUNK, "Photos: 279 items now, 400 in the backup before.", (400, 279)),
            (one(0, items=801), Odd.GROWN, "Photos: 801 items now, 400 in the backup before.", (400, 801)),
            (one(0, size=100 << 20), Odd.SHRUNK, "Photos: 100 MiB now, 381 MiB in the backup before.", (400_000_000, 100 << 20)),
            (one(0, size=2 << 30), Odd.GROWN, "Photos: 2 GiB now, 381 MiB in the backup before.", (400_000_000, 2 << 30)),
        )
        for taken, code, says, (before, after) in cases:
            with self.subTest(says):
                detected = only(taken, days(7))
                self.assertEqual((detected.code, detected.says), (code, says))
                self.assertEqual((detected.numbers["before"], detected.numbers["after"]), (before, after))
        for harmless in (one(0, items=281, size=400_000_000), one(0, items=800, size=400_000_000), one(0)):
            self.assertEqual(anomalies(harmless, days(7)), [])
        self.assertEqual(anomalies(one(0, items=279), days(6)), [])

    def test_a_change_below_the_floor_is_nobodys_concern(self):
        self.assertEqual(anomalies(one(0, items=11, size=1000), days(7, items=20, size=1000)), [])
        self.assertEqual(only(one(0, items=10, size=1000), days(7, items=20, size=1000)).code, Odd.SHRUNK)
        few = 400 * 1024
        self.assertEqual(anomalies(one(0, size=few - 256 * 1024 + 1), days(7, size=few)), [])
        self.assertEqual(only(one(0, size=few - 256 * 1024), days(7, size=few)).code, Odd.SHRUNK)

    def test_what_came_back_after_a_dip_is_no_growth(self):
        dipped = [one(1, items=150), *(one(day, items=400) for day in range(2, 10))]
        self.assertEqual(anomalies(one(0, items=400), dipped), [])


class TheWholeDevice(TestCase):
    def test_quiet_for_six_days_and_four_times_as_long_as_ever(self):
        often = [one(day, new=0 if day < 6 else 1) for day in range(1, 26)]
        detected = only(one(0, new=0), often)
        self.assertEqual(
            detected.says, "Nothing new or changed on it for 6 days; the longest such time before was 24 hours. Is it still in use?"
        )
        self.assertEqual((detected.code, detected.kind, detected.before), (Odd.NOTHING_NEW, "", "b6"))
        self.assertEqual(detected.numbers, {"quiet_days": 6.0, "longest_days": 1.0})
        self.assertEqual(anomalies(one(0, new=0), often, in_use=False), [])
        self.assertEqual(anomalies(one(0, new=1), often), [])
        self.assertEqual(anomalies(one(0, new=0), [one(day, new=0 if day < 5 else 1) for day in range(1, 26)]), [])
        self.assertEqual(anomalies(one(0, new=0), often[:19]), [])
        self.assertEqual(only(one(0, new=0), often[:20]).code, Odd.NOTHING_NEW)

    def test_whoever_was_quiet_a_quarter_as_long_before_is_left_alone(self):
        def with_a_quiet_spell(before: int) -> list[Taken]:
            return [one(day, new=0 if day < 8 or 8 < day < 8 + before else 1) for day in range(1, 26)]

        self.assertEqual(only(one(0, new=0), with_a_quiet_spell(2)).numbers, {"quiet_days": 8.0, "longest_days": 2.0})
        self.assertEqual(anomalies(one(0, new=0), with_a_quiet_spell(3)), [])

    def test_a_history_that_begins_with_its_last_news_says_nothing(self):
        self.assertEqual(anomalies(one(0, new=0), [one(day, new=int(day == 25)) for day in range(1, 26)]), [])
        self.assertEqual(anomalies(one(0, new=0), days(25, new=0)), [])

    def test_a_clock_says_how_far_and_which_way_it_is_off(self):
        rest = "dates of its items and backups cannot be trusted."
        for seconds, says in ((121.4, f"Its clock is 2 minutes ahead: {rest}"), (-7200.0, f"Its clock is 2 hours behind: {rest}")):
            for history in ([], days(1)):
                detected = only(one(0, clock_off_seconds=seconds), history)
                self.assertEqual((detected.code, detected.kind, detected.says), (Odd.CLOCK_OFF, "", says))
                self.assertEqual((detected.before, detected.numbers), ("b1" if history else "", {"seconds": float(round(seconds))}))
        self.assertEqual(anomalies(one(0, clock_off_seconds=120.0), days(1)), [])

    def test_encryption_that_was_switched_off_is_said_and_what_was_never_told_is_not(self):
        for before, now, odd in (
            (True, False, True),
            (True, None, False),
            (None, False, False),
            (False, False, False),
            (True, True, False),
        ):
            detected = anomalies(one(0, encrypted=now), [one(1, encrypted=before)])
            self.assertEqual([each.code for each in detected], [Odd.NOT_ENCRYPTED] if odd else [], (before, now))
        said = only(one(0, encrypted=False), [one(1, encrypted=True)])
        self.assertEqual(said.says, "The device kept its content encrypted before, and does not any more.")
        self.assertEqual((said.before, said.numbers), ("b1", {}))

    def test_only_the_last_thirty_count(self):
        wild = [one(day, items=400 if day <= 30 else 4000 * (day % 2 + 1)) for day in range(1, 80)]
        self.assertEqual(only(one(0, items=279), wild).numbers["score"], only(one(0, items=279), days(30)).numbers["score"])
