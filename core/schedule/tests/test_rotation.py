from datetime import date, timedelta
from unittest import TestCase

from core.errors import BadInput
from core.schedule.rotation import DriveRotation, letters, overdue_since, returning_seconds

MONDAY = date(2026, 3, 2)
WEEKLY = DriveRotation(drives=("a", "b", "c"), every_days=7, first_day=MONDAY)


class WhoseTurnItIs(TestCase):
    def test_each_has_its_week_in_order_and_begins_again(self):
        entries = [WEEKLY.turn(MONDAY + timedelta(days=n)).drive for n in (0, 6, 7, 13, 14, 20, 21)]
        self.assertEqual(entries, ["a", "a", "b", "b", "c", "c", "a"])
        self.assertEqual((WEEKLY.turn(date(2026, 3, 11)).first, WEEKLY.turn(date(2026, 3, 11)).last), (date(2026, 3, 9), date(2026, 3, 15)))

    def test_weeks_stay_weeks_over_a_change_of_clocks(self):
        self.assertEqual(WEEKLY.turn(date(2026, 3, 29)).first, date(2026, 3, 23))
        self.assertEqual(WEEKLY.turn(date(2026, 3, 30)).first, date(2026, 3, 30))

    def test_the_one_before_and_the_one_after(self):
        day = date(2026, 3, 18)
        self.assertEqual([WEEKLY.newest(drive, day).first.day for drive in "abc"], [2, 9, 16])
        self.assertEqual([WEEKLY.next(drive, day).first for drive in "abc"], [date(2026, 3, 23), date(2026, 3, 30), date(2026, 4, 6)])

    def test_against_a_slow_list_of_all_turns(self):
        for every_days in (1, 3, 7):
            rotation = DriveRotation(drives=("x", "y", "z", "w"), every_days=every_days, first_day=MONDAY)
            days = [MONDAY + timedelta(days=n) for n in range(120)]
            whose = [rotation.drives[(n // every_days) % 4] for n in range(120)]
            self.assertEqual([rotation.turn(day).drive for day in days], whose)
            for n in range(60, 120):
                for drive in "xyzw":
                    past = [day for day, of in zip(days, whose, strict=True) if of == drive and day <= days[n]]
                    newest = max(day for day in past if day == MONDAY or rotation.turn(day - timedelta(days=1)).drive != drive)
                    self.assertEqual(rotation.newest(drive, days[n]).first, newest)

    def test_one_alone_has_every_turn(self):
        alone = DriveRotation(drives=("a",), every_days=14, first_day=MONDAY)
        self.assertEqual(
            (alone.newest("a", date(2026, 3, 20)).first, alone.next("a", date(2026, 3, 20)).first), (date(2026, 3, 16), date(2026, 3, 30))
        )

    def test_what_is_no_rotation_names_the_field(self):
        for value, field in (({"every_days": 0}, "every_days"), ({"drives": ()}, "drives"), ({"drives": ("a", "a")}, "drives")):
            with self.assertRaises(BadInput) as raised:
                DriveRotation(**({"drives": ("a",), "every_days": 7, "first_day": MONDAY} | value))
            self.assertEqual(raised.exception.field, field)

    def test_letters(self):
        self.assertEqual(letters(["x", "y"]), {"x": "A", "y": "B"})


class WhichOneIsOverdue(TestCase):
    def since(self, drive: str, day: date, seen_on: date | None, **more: object) -> date | None:
        fields = {"added_on": date(2026, 1, 1), "grace_days": 2} | more
        return overdue_since(WEEKLY, drive, seen_on=seen_on, day=day, **fields)

    def test_only_its_own_turn_counts_and_only_after_the_days_of_grace(self):
        self.assertIsNone(self.since("b", date(2026, 3, 10), date(2026, 3, 1)))
        self.assertEqual(self.since("b", date(2026, 3, 11), date(2026, 3, 1)), date(2026, 3, 9))
        self.assertEqual(self.since("b", date(2026, 3, 20), date(2026, 3, 1)), date(2026, 3, 9), "while another has its turn, too")
        self.assertIsNone(self.since("b", date(2026, 3, 20), date(2026, 3, 9)))
        self.assertIsNone(self.since("c", date(2026, 3, 11), None))

    def test_a_turn_before_it_was_added_or_before_the_rotation_began_was_not_missed(self):
        self.assertIsNone(self.since("a", date(2026, 3, 6), None, added_on=date(2026, 3, 3)))
        self.assertEqual(self.since("a", date(2026, 3, 6), None, added_on=MONDAY), MONDAY)
        self.assertIsNone(self.since("c", date(2026, 2, 20), None))

    def test_how_long_it_takes(self):
        self.assertEqual(returning_seconds(1000, bytes_per_second=250.0), 4.0)
        self.assertIsNone(returning_seconds(1000, bytes_per_second=None))


class AtItsLimits(TestCase):
    def test_a_turn_of_a_year_and_a_drive_for_each_letter_are_the_most(self):
        drives = tuple(f"d{n}" for n in range(26))
        self.assertEqual(len(letters(DriveRotation(drives=drives, every_days=366, first_day=MONDAY).drives)), 26)
        for value, field in (
            ({"every_days": 367}, "every_days"),
            ({"every_days": 0}, "every_days"),
            ({"drives": (*drives, "x")}, "drives"),
        ):
            with self.assertRaises(BadInput) as raised:
                DriveRotation(**({"drives": drives, "every_days": 1, "first_day": MONDAY} | value))  # type: ignore[arg-type]
            self.assertEqual(raised.exception.field, field)
