"""What is so for every rule and every history, and what a year of nights ends with."""

import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from core.retention.pile import Fact
from core.retention.rule import COUNTS, Period, Rule, Why
from core.retention.verdicts import Moment, leaves_on, verdicts

BERLIN = ZoneInfo("Europe/Berlin")
START = datetime(2025, 6, 1, tzinfo=UTC)
NOW = datetime(2026, 10, 14, 12, tzinfo=UTC)
FACTS = [Fact(0)] * 8 + [
    Fact.PARTIAL, Fact.ANOMALY, Fact.DAMAGED, Fact.ABSENT, Fact.LEAVING, Fact.CHECKED, Fact.ENCRYPTED, Fact.HELD, Fact.OWED, Fact.GIVEN_UP,
]  # fmt: skip


@st.composite
def histories(draw):
    hours = draw(st.lists(st.integers(0, 24 * 500), max_size=40, unique=True))
    facts = draw(st.lists(st.sampled_from(FACTS), min_size=len(hours), max_size=len(hours)))
    stores = draw(st.lists(st.sampled_from(["a", "b", "ab"]), min_size=len(hours), max_size=len(hours)))
    return [
        Moment(id=f"{hour:05}", at=START + timedelta(hours=hour), store=store, facts=fact)
        for hour, fact, where in zip(hours, facts, stores, strict=True)
        for store in where
    ]


PERIODS = st.one_of(st.none(), st.builds(Period, st.integers(1, 500)))
RULES = st.builds(
    Rule, last=st.integers(1, 4), hourly=st.integers(0, 9), daily=st.integers(0, 9), weekly=st.integers(0, 6), monthly=st.integers(0, 14),
    yearly=st.integers(0, 2), within=PERIODS, greatest_age=PERIODS, minimum_age=st.integers(0, 900).map(lambda hours: timedelta(hours=hours)),
)  # fmt: skip
TWO = st.builds(lambda a, b: {"a": a, "b": b}, st.one_of(st.none(), RULES), RULES)


def judged(moments, rules, now=NOW, as_of=None):
    return verdicts(moments, rules, zone=BERLIN, now=now, as_of=as_of)


def stays(moments, rules, now=NOW, as_of=None):
    return [one.moment for one in judged(moments, rules, now, as_of) if one.kept]


class OfEveryRule(TestCase):
    @settings(max_examples=150, deadline=None)
    @given(histories(), TWO)
    def test_asking_again_after_removal_changes_nothing(self, moments, rules):
        left = [one for one in judged(moments, rules) if one.kept]
        again = judged([replace(one.moment, facts=one.moment.facts & ~Fact.LEAVING) for one in left], rules)
        self.assertEqual([(one.moment.id, one.moment.store) for one in again], [(one.moment.id, one.moment.store) for one in left])
        for then, now in zip(left, again, strict=True):
            rule = rules[then.moment.store]
            if rule is not None and rule.greatest_age and then.moment.facts & Fact.PARTIAL:
                # once the complete one of its period is too old and gone, a partial one stands for it: a reason more, never one less
                self.assertEqual(now.why & then.why, then.why)
            else:
                self.assertEqual(now.why, then.why)

    def test_a_partial_one_stands_for_its_year_once_the_complete_one_is_too_old(self):
        rule = Rule(last=1, yearly=1, greatest_age=Period(315))
        complete = Moment(id="1", at=START, store="b", facts=Fact(0))
        partial = Moment(id="2", at=START + timedelta(days=200), store="b", facts=Fact.PARTIAL)
        self.assertEqual({one.moment.id: (one.kept, one.why) for one in judged([complete, partial], {"b": rule})}["2"], (True, Why.LAST))
        self.assertEqual([(one.kept, one.why) for one in judged([partial], {"b": rule})], [(True, Why.LAST | Why.YEAR)])

    @settings(max_examples=60, deadline=None)
    @given(histories(), TWO, st.randoms())
    def test_order_does_not_matter(self, moments, rules, source: random.Random):
        shuffled = list(moments)
        source.shuffle(shuffled)
        self.assertEqual(judged(shuffled, rules), judged(moments, rules))

    @settings(max_examples=150, deadline=None)
    @given(histories(), RULES, st.sampled_from(COUNTS), st.integers(1, 5), st.integers(0, 100))
    def test_a_longer_rule_never_keeps_less_to_go_back_to(self, moments, rule, name, more, days):
        longer = replace(
            rule, minimum_age=rule.minimum_age + timedelta(days=days), **{name: getattr(rule, name) + more},
            greatest_age=Period(rule.greatest_age.count + days) if rule.greatest_age else None,
        )  # fmt: skip
        before, after = ({one.id for one in stays(moments, {"a": own, "b": rule})} for own in (rule, longer))
        self.assertLessEqual(before, after)

    @settings(max_examples=100, deadline=None)
    @given(histories(), TWO)
    def test_what_is_held_or_owed_stays_and_something_sound_of_each_sort_is_left(self, moments, rules):
        left = stays(moments, rules)
        self.assertLessEqual({one for one in moments if one.facts & (Fact.HELD | Fact.OWED)}, set(left))
        spoilt = Fact.ANOMALY | Fact.DAMAGED | Fact.ABSENT | Fact.GIVEN_UP
        for needed, lacks in ((Fact(0), Fact(0)), (Fact(0), Fact.PARTIAL), (Fact.CHECKED, Fact(0)), (Fact.ENCRYPTED, Fact(0))):
            had = [one for one in moments if one.facts & needed == needed and not one.facts & (spoilt | lacks)]
            if had:
                newest = max(had, key=lambda one: (one.at, one.id)).id
                self.assertIn(newest, {one.id for one in left if one in had}, (needed, lacks))


class AYearByHand(TestCase):
    def test_grandfather_father_son(self):
        """Sons of a week, fathers of five weeks, grandfathers of a year, worked by hand over 2025.

        The rotation as handbooks on contingency planning describe it (NIST SP 800-34 among them; from memory).
        """
        nights = [Moment(id=f"{day}", at=datetime(2025, 1, 1, 20, tzinfo=UTC) + timedelta(days=day)) for day in range(365)]
        left = stays(nights, Rule(daily=7, weekly=5, monthly=12), now=datetime(2026, 1, 1, 5, tzinfo=UTC))
        sons = {"12-25", "12-26", "12-27", "12-28", "12-29", "12-30", "12-31"}
        fathers = {"12-31", "12-28", "12-21", "12-14", "12-07"}  # 2026-W01 begins on Monday 29 December
        grandfathers = {"01-31", "02-28", "03-31", "04-30", "05-31", "06-30", "07-31", "08-31", "09-30", "10-31", "11-30", "12-31"}
        self.assertEqual({f"{one.at:%m-%d}" for one in left}, sons | fathers | grandfathers)


class TheFutureComesTrue(TestCase):
    def live(self, rule: Rule, moments: list[Moment], runs: list[datetime]) -> None:
        """What day-by-day life removes is what was foretold, on the day on which it was."""
        now = moments[-1].at
        foretold = leaves_on(moments, rule, zone=BERLIN, now=now, runs=runs)
        left = stays(moments, rule, now)
        self.assertEqual({id for id, _ in foretold}, {one.id for one in left})
        seen: dict[str, date] = {}
        midnights = (now.replace(hour=hour) + timedelta(days=n) for n in range(160) for hour in (12, 22, 23))
        instants = sorted({*runs, *midnights})
        coming = {run: Moment(id=f"~{n}", at=run) for n, run in enumerate(runs)}
        for at in instants:
            before = {one.id for one in left}
            left = stays([*left, *([coming[at]] if at in coming else [])], rule, at)
            seen |= dict.fromkeys(before - {one.id for one in left}, at.astimezone(BERLIN).date())
        self.assertEqual({id: day for (id, _), day in foretold.items()}, {id: seen.get(id) for id, _ in foretold})
        self.assertTrue(any(foretold.values()))

    def test_of_counts_and_of_ages(self):
        moments = [Moment(id=f"{n:03}", at=START + timedelta(days=n, hours=20)) for n in range(60)]
        moments[50] = replace(moments[50], facts=Fact.PARTIAL)
        runs = [moments[-1].at + timedelta(days=n) for n in range(1, 150)]
        for rule in (
            Rule(last=2, daily=5, weekly=3, monthly=2), Rule(within=Period(20)), Rule(last=1, minimum_age=timedelta(days=9)),
            Rule(monthly=9, greatest_age=Period(70)), Rule(hourly=3, weekly=2),
        ):  # fmt: skip
            with self.subTest(rule=rule):
                self.live(rule, moments, runs)

    def test_a_hold_ends_and_one_without_an_end_does_not(self):
        until = Moment(id="a", at=START, hold="before the repair", hold_until=date(2025, 9, 1))
        runs = [START + timedelta(days=n) for n in range(1, 200)]
        days = leaves_on([until, replace(until, id="b", hold_until=None)], Rule(last=1), zone=BERLIN, now=START, runs=runs)
        self.assertEqual(days, {("a", ""): date(2025, 9, 2), ("b", ""): None})

    def test_what_outlasts_the_runs_or_stays_for_a_reason_without_an_end(self):
        old = Moment(id="a", at=START, facts=Fact.ANOMALY)
        days = leaves_on([old, replace(old, id="b", facts=Fact(0))], Rule(last=3), zone=BERLIN, now=START, runs=[START + timedelta(days=1)])
        self.assertEqual(days, {("a", ""): None, ("b", ""): None})


class ThreeYears(TestCase):
    """Random failures, absences, a drive that is away and a cloud that is down; a night's verdicts are carried out late or not at all."""

    RULES = {"room": Rule(last=3, daily=7, weekly=5, monthly=6), "cloud": Rule(last=1, weekly=4, monthly=30, yearly=3)}

    def test_they_end_with_exactly_the_restore_points_that_the_rule_promises(self):
        for seed in range(1):
            order = random.Random(seed)
            there: dict[tuple[str, str], Moment] = {}
            made: list[Moment] = []
            down = {"room": 0, "cloud": 0}
            for night in range(3 * 365):
                now = START + timedelta(days=night, hours=20, minutes=order.randint(0, 300))
                down = {store: max(0, left - 1) or (order.random() < 0.03) * order.randint(1, 25) for store, left in down.items()}
                up = {store for store, left in down.items() if not left}
                if up and order.random() > 0.15:
                    made.append(Moment(id=f"{night:04}", at=now, facts=Fact.PARTIAL if order.random() < 0.1 else Fact(0)))
                    first = order.choice(sorted(up))
                    there[made[-1].id, first] = replace(made[-1], store=first)
                self.copied(there, now, up)
                self.apply(there, now, up)
                self.assertTrue(not made or any(id == made[-1].id for id, _ in there), "the newest is gone")
            self.copied(there, now, set(self.RULES))
            self.apply(there, now, set(self.RULES))
            for store, rule in self.RULES.items():
                promised = {one.id for one in stays([replace(one, store=store) for one in made], rule, now)}
                with self.subTest(seed=seed, store=store):
                    self.assertEqual({id for id, where in there if where == store}, promised)

    def copied(self, there: dict[tuple[str, str], Moment], now: datetime, up: set[str]) -> None:
        """What one store has and the other one's rule would keep is copied when that is up; until then it is owed."""
        for store, other in (("room", "cloud"), ("cloud", "room")):
            lacking = [one for (id, where), one in there.items() if where == store and (id, other) not in there]
            if not lacking:
                continue
            mine = [one for (_, where), one in there.items() if where == other]
            offered = [replace(one, store=other, facts=one.facts & ~Fact.OWED) for one in lacking]
            wanted = {one.id for one in stays([*mine, *offered], {other: self.RULES[other]}, now)}
            for one, offer in zip(lacking, offered, strict=True):
                if one.id in wanted and other in up:
                    there[one.id, other] = offer
                owed = Fact.OWED if one.id in wanted and other not in up else Fact(0)
                there[one.id, store] = replace(one, facts=offer.facts | owed)

    def apply(self, there: dict[tuple[str, str], Moment], now: datetime, up: set[str]) -> None:
        seen = [one if one.store in up else replace(one, facts=one.facts | Fact.ABSENT) for one in there.values()]
        for one in judged(seen, self.RULES, now):
            if not one.kept and one.moment.store in up:
                del there[one.moment.id, one.moment.store]
