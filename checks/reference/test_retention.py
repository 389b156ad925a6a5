"""The rule against a slow, obvious second implementation, on random histories, rules, zones and changes of clocks."""

import random
from datetime import UTC, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from checks.reference.slow_retention import SlowCopy, SlowRule, kept
from core.retention.pile import Fact
from core.retention.rule import Period, Rule, Unit
from core.retention.verdicts import Moment, verdicts

ROUNDS = 600
ZONES = ["Europe/Berlin", "UTC", "America/St_Johns", "Asia/Kolkata", "Australia/Lord_Howe", "Pacific/Apia", "Africa/Casablanca"]
"""Half hours, half hours of summer time, a day that never was (Apia, 30 December 2011), a summer time that pauses."""
STARTS = ["2026-03-28T20:00", "2026-10-24T20:00", "2011-12-28T20:00", "2020-12-30T20:00", "2024-02-27T20:00", "2025-06-01T00:00"]
NAMES = {
    "partial": Fact.PARTIAL, "doubt": Fact.DOUBT, "imported": Fact.IMPORTED, "passing": Fact.PASSING, "anomaly": Fact.ANOMALY,
    "damaged": Fact.DAMAGED, "given up": Fact.GIVEN_UP, "leaving": Fact.LEAVING, "absent": Fact.ABSENT, "held": Fact.HELD,
    "in use": Fact.IN_USE, "owed": Fact.OWED, "checked": Fact.CHECKED, "encrypted": Fact.ENCRYPTED, "frozen": Fact.FROZEN,
}  # fmt: skip


def history(order: random.Random, start: datetime) -> list[SlowCopy]:
    """A backup every few minutes, hours or days, each in one store or two, with something the matter here and there."""
    at, copies = start, []
    step = order.choice([15, 60, 600, 1440, 1440, 20_000])
    strange = order.choice([0.0, 0.05, 0.4])
    for n in range(order.randint(0, 24)):
        at += timedelta(minutes=order.randint(0, 2 * step), seconds=order.randint(0, 59))
        whole = {name for name in ("partial", "doubt", "imported", "passing", "anomaly", "held", "encrypted") if order.random() < strange}
        for store in order.choice([["a"], ["a", "b"], ["b"]]):
            own = {
                n for n in NAMES if n not in ("held", "partial", "doubt", "imported", "passing", "anomaly") and order.random() < strange / 3
            }
            copies.append(SlowCopy(backup=f"{n:03}", store=store, at=at, facts=frozenset(whole | own)))
    return copies


def rule(order: random.Random) -> SlowRule:
    def some(most: int) -> int:
        return order.choice([0, 0, 1, 2, order.randint(0, most)])

    made = SlowRule(
        last=some(5), hourly=some(30), daily=some(9), weekly=some(6), monthly=some(14), yearly=some(3), within_days=some(40),
        minimum_age=timedelta(hours=some(200)), greatest_days=order.choice([0, 0, 0, 1, 30, 400]),
    )  # fmt: skip
    anything = made.last + made.hourly + made.daily + made.weekly + made.monthly + made.yearly + made.within_days
    return made if anything else SlowRule(last=1)


def as_product(slow: SlowRule | None) -> Rule | None:
    if slow is None:
        return None
    return Rule(
        last=slow.last, hourly=slow.hourly, daily=slow.daily, weekly=slow.weekly, monthly=slow.monthly, yearly=slow.yearly,
        within=Period(slow.within_days) if slow.within_days else None, minimum_age=slow.minimum_age,
        greatest_age=Period(slow.greatest_days) if slow.greatest_days else None,
    )  # fmt: skip


def moment(one: SlowCopy) -> Moment:
    facts = Fact(0)
    for name in one.facts:
        facts |= NAMES[name]
    return Moment(id=one.backup, at=one.at, store=one.store, facts=facts)


class ASlowObviousRuleAgrees(TestCase):
    def test_on_random_histories_rules_zones_and_changes_of_clocks(self):
        met = 0
        for seed in range(ROUNDS):
            order = random.Random(seed)
            start = datetime.fromisoformat(order.choice(STARTS)).replace(tzinfo=UTC)
            copies, zone = history(order, start), ZoneInfo(order.choice(ZONES))
            rules = {"a": order.choice([None, rule(order), rule(order)]), "b": rule(order)}
            last = max([one.at for one in copies], default=start)
            now = last + timedelta(minutes=order.choice([-30, 0, 1, 600, 20_000, 900_000]))
            as_of = min(now, order.choice([now, now, last - timedelta(days=order.randint(0, 40))]))
            expected = {(one.backup, one.store) for one in kept(copies, rules, zone, now, as_of)}
            by_rule = verdicts(
                [moment(one) for one in copies], {k: as_product(r) for k, r in rules.items()}, zone=zone, now=now, as_of=as_of
            )
            with self.subTest(seed=seed, zone=zone.key, rules=rules):
                self.assertEqual({(one.moment.id, one.moment.store) for one in by_rule if one.kept}, expected)
            met += len(expected) not in (0, len(copies))
        self.assertGreater(met, ROUNDS // 3, "most histories keep everything or nothing, and show little")

    def test_weeks_months_and_years_of_everything_within(self):
        """Each day of two years against a walk with the standard library's calendar."""
        zone, start = ZoneInfo("Europe/Berlin"), datetime(2023, 11, 20, 12, tzinfo=UTC)
        moments = [Moment(id=f"{n:04}", at=start + timedelta(days=n)) for n in range(500)]
        for now in (start + timedelta(days=n) for n in (103, 104, 130, 193, 465, 466, 499)):
            today = now.astimezone(zone).date()
            for count in (1, 3, 12):
                by_rule = verdicts(moments, Rule(within=Period(count, Unit.MONTHS)), zone=zone, now=now)
                kept_days = {one.moment.at.date() for one in by_rule if one.kept and one.moment.at <= now}
                month = today.year * 12 + today.month - 1 - count
                first = None
                for day in range(today.day, 0, -1):  # the same day of that month, or its last
                    try:
                        first = today.replace(year=month // 12, month=month % 12 + 1, day=day)
                        break
                    except ValueError:
                        continue
                self.assertEqual(min(kept_days), max(first, start.date()), (today, count))
