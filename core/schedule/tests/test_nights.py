from datetime import UTC, date, datetime, timedelta
from random import Random
from unittest import TestCase
from zoneinfo import ZoneInfo

from core.schedule.nights import bounds, busy, night_of

BERLIN = ZoneInfo("Europe/Berlin")


class NightsLastFromNoonToNoon(TestCase):
    def test_after_midnight_it_is_still_the_evening_before(self):
        for local, night in (
            ("2026-03-10T00:40", "2026-03-09"),
            ("2026-03-09T22:00", "2026-03-09"),
            ("2026-03-10T11:59", "2026-03-09"),
            ("2026-03-10T12:00", "2026-03-10"),
        ):
            instant = datetime.fromisoformat(local).replace(tzinfo=BERLIN)
            self.assertEqual(str(night_of(instant, BERLIN)), night)

    def test_every_instant_lies_within_the_bounds_of_its_night_also_when_clocks_change(self):
        instant = datetime(2026, 3, 27, tzinfo=UTC)
        while instant < datetime(2026, 3, 31, tzinfo=UTC):
            start, end = bounds(night_of(instant, BERLIN), BERLIN)
            self.assertTrue(start <= instant < end, instant)
            instant += timedelta(minutes=20)

    def test_the_night_of_the_change_to_summer_time_lasts_23_hours(self):
        # IANA data: Berlin goes from UTC+1 to UTC+2 on 2026-03-29
        start, end = bounds(date(2026, 3, 28), BERLIN)
        self.assertEqual(end - start, timedelta(hours=23))


class HowManyAtATime(TestCase):
    OPENS, CLOSES = datetime(2026, 3, 2, 20, tzinfo=UTC), datetime(2026, 3, 2, 22, tzinfo=UTC)

    def at(self, minutes: float) -> datetime:
        return self.OPENS + timedelta(minutes=minutes)

    def told(self, *spans: tuple[float, float]) -> list[int]:
        return busy([(self.at(a), self.at(b)) for a, b in spans], opens=self.OPENS, closes=self.CLOSES, slices=4)

    def test_each_slice_has_the_most_that_go_on_in_it(self):
        self.assertEqual(self.told((0, 30), (0, 60), (10, 20)), [3, 1, 0, 0])

    def test_one_that_begins_as_another_ends_never_meets_it(self):
        self.assertEqual(self.told((0, 30), (30, 60), (60, 90)), [1, 1, 1, 0])

    def test_what_lies_outside_is_not_drawn(self):
        self.assertEqual(self.told((-30, 15), (110, 200)), [1, 0, 0, 1])

    def test_nothing_and_no_time_are_nothing(self):
        self.assertEqual(self.told(), [])
        self.assertEqual(busy([(self.at(0), self.at(1))], opens=self.OPENS, closes=self.OPENS), [])

    def test_it_is_as_a_slow_count_at_every_minute_says(self):
        draw = Random(7)
        for _ in range(30):
            spans = [(start, start + draw.randint(1, 60)) for start in (draw.randint(-20, 119) for _ in range(12))]
            slow = [max(sum(a <= minute < b for a, b in spans) for minute in range(30 * n, 30 * n + 30)) for n in range(4)]
            self.assertEqual(self.told(*spans), slow)
