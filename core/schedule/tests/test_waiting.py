"""What holds a run back, when one that failed is tried again, and when somebody may be told."""

from datetime import UTC, datetime, time, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from core.content.errors import DeviceAway, DeviceLied, DeviceLocked, LinkCut, LinkSlow, NotAccepted, NotPaired, OtherHost
from core.content.link import DeviceReport
from core.errors import AtticError, BadInput
from core.schedule.conditions import Conditions, ConditionUnmet, unmet
from core.schedule.quiet import not_before
from core.schedule.retry import POLICIES, Class, class_of, next_try
from core.vault.errors import Damaged, StoreFull, StoreMissing, WrongPassphrase

NOW = datetime(2026, 3, 2, 22, 0, tzinfo=UTC)
MORNING = NOW + timedelta(hours=7)


class DoesNotFit(AtticError):
    """As the quota says it; the schedule knows it by its code only."""

    code = "quota.does_not_fit"


class TryingAgain(TestCase):
    def pauses(self, error: AtticError, gives_up: datetime = MORNING) -> list[int]:
        """Seconds before each further attempt, each of which fails in the same way."""
        entries, now, attempts = [], NOW, 1
        while (again := next_try(error, attempts=attempts, now=now, gives_up=gives_up)) is not None:
            entries.append(round((again - now).total_seconds()))
            now, attempts = again, attempts + 1
        return entries

    def test_each_cause_has_its_class(self):
        fields = {
            Class.WAIT: (DeviceAway("x"), DeviceLocked("x"), NotAccepted("x"), ConditionUnmet("x")),
            Class.RESUME: (LinkCut("x"), LinkSlow("x")),
            Class.STORE: (StoreMissing("x"),),
            Class.FULL: (StoreFull("x"), DoesNotFit("x")),
            Class.STOP: (WrongPassphrase(), NotPaired("x"), OtherHost("x"), DeviceLied("x"), Damaged("x"), AtticError("x")),
        }
        for wanted, errors in fields.items():
            for error in errors:
                self.assertEqual(class_of(error), wanted, type(error).__name__)

    def test_away_is_waited_for_all_night_and_not_every_minute(self):
        pauses = self.pauses(DeviceAway("x"))
        self.assertEqual(pauses[:5], [60, 120, 300, 600, 900])
        self.assertLess(len(pauses), 35)
        self.assertGreater(sum(pauses), 6.5 * 3600)

    def test_a_cut_is_resumed_soon_and_given_up_after_eight_attempts(self):
        pauses = self.pauses(LinkCut("x"))
        self.assertEqual((pauses[:3], len(pauses) + 1), ([10, 30, 60], POLICIES[Class.RESUME].most_attempts))

    def test_what_nobody_can_wait_for_stops_at_once(self):
        self.assertEqual(self.pauses(WrongPassphrase()) + self.pauses(StoreFull("x")) + self.pauses(DoesNotFit("x")), [])

    def test_never_past_the_end_of_the_window(self):
        self.assertEqual(self.pauses(DeviceAway("x"), NOW + timedelta(seconds=100)), [60])
        self.assertIsNone(next_try(DeviceAway("x"), attempts=1, now=NOW, gives_up=NOW))


class HoldingBack(TestCase):
    def state(self, **fields: object) -> DeviceReport:
        return DeviceReport(make="", model="", family="orlo", os_version="9", **fields)  # type: ignore[arg-type]

    def held(self, conditions: Conditions, **fields: object) -> str:
        unmet_ones = unmet(conditions, self.state(**fields), now=NOW)
        return unmet_ones.message if unmet_ones else ""

    def test_each_condition_by_itself(self):
        self.assertIn("on power", self.held(Conditions(on_power=True), on_power=False))
        self.assertIn("another network", self.held(Conditions(on_office_wireless=True), network="elsewhere"))
        self.assertIn("39 %", self.held(Conditions(battery_percent=40), battery_percent=39, on_power=False))
        self.assertIn("in use", self.held(Conditions(not_in_use_minutes=30), last_used_at=NOW - timedelta(minutes=29)))

    def test_met_ones_do_not_hold_it_back(self):
        whole = Conditions(on_power=True, on_office_wireless=True, battery_percent=40, not_in_use_minutes=30)
        idle = NOW - timedelta(minutes=31)
        self.assertEqual(self.held(whole, on_power=True, network="office", battery_percent=12, last_used_at=idle), "")

    def test_what_a_link_cannot_tell_holds_nothing_back(self):
        self.assertEqual(self.held(Conditions(on_power=True, on_office_wireless=True, battery_percent=90, not_in_use_minutes=60)), "")

    def test_impossible_conditions_name_their_field(self):
        for value, field in (({"battery_percent": 101}, "needs_battery_percent"), ({"not_in_use_minutes": -1}, "not_in_use_minutes")):
            with self.assertRaises(BadInput) as caught:
                Conditions(**value)
            self.assertEqual(caught.exception.field, field)


class QuietHours(TestCase):
    zone = ZoneInfo("Europe/Berlin")

    def told_at(self, local: str, start: str, end: str) -> str:
        now = datetime.fromisoformat(local).replace(tzinfo=self.zone)
        before = not_before(now, quiet_from=time.fromisoformat(start), quiet_until=time.fromisoformat(end), zone=self.zone)
        return f"{before.astimezone(self.zone):%m-%d %H:%M}"

    def test_over_midnight(self):
        self.assertEqual(self.told_at("2026-03-02T21:59", "22:00", "07:00"), "03-02 21:59")
        self.assertEqual(self.told_at("2026-03-02T22:00", "22:00", "07:00"), "03-03 07:00")
        self.assertEqual(self.told_at("2026-03-03T06:59", "22:00", "07:00"), "03-03 07:00")
        self.assertEqual(self.told_at("2026-03-03T07:00", "22:00", "07:00"), "03-03 07:00")

    def test_within_a_day_and_over_a_change_of_clocks(self):
        self.assertEqual(self.told_at("2026-03-02T12:30", "12:00", "13:00"), "03-02 13:00")
        self.assertEqual(self.told_at("2026-03-02T11:30", "12:00", "13:00"), "03-02 11:30")
        self.assertEqual(self.told_at("2026-03-28T23:00", "22:00", "07:00"), "03-29 07:00")

    def test_the_same_time_twice_or_none_means_none(self):
        self.assertEqual(self.told_at("2026-03-02T22:00", "22:00", "22:00"), "03-02 22:00")
        self.assertEqual(not_before(NOW, quiet_from=None, quiet_until=None, zone=self.zone), NOW)
