from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from core.schedule.nights import bounds, night_of

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
