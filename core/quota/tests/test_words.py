"""What is said of room that lacks, and to whom; and the trend of a store at its bounds."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from core.content.own_cloud import OwnCloud, OwnCloudState
from core.quota.admission import AdmissionWish, DoesNotFit, Room, admit, admit_copy, admit_night, estimated, overrun, usual_stored_bytes
from core.quota.lasting import NO_LIMIT
from core.quota.own_account import letter
from core.quota.runway import LEAST_DAYS, LEAST_MEASURED, STRETCH_DAYS, TooLittle, Trend, runway, trend, without_jumps
from core.units import MIB

GB = 10**9


def room(left: int | None, *, promised: int = 0, reserve: int = 0, name: str = "Server room") -> Room:
    return Room(
        stored_bytes=0, allowance_bytes=None if left is None else left + promised, free_bytes=None, name=name, promised_bytes=promised,
        reserve_bytes=reserve,
    )  # fmt: skip


class Fits(TestCase):
    def test_a_copy_may_take_all_but_the_reserve(self):
        admit_copy(9, [room(10, reserve=1), room(None)])
        admit_copy(0, [room(0, reserve=5)])
        for lacking, left in ((10, 10), (1, 1)):
            with self.assertRaises(DoesNotFit) as caught:
                admit_copy(lacking, [room(left, reserve=1)])
        says = "Server room has 1 byte left; this copy needs 1 byte. Nothing of it was copied."
        self.assertEqual(caught.exception.message, says)
        with self.assertRaises(DoesNotFit) as caught:
            admit_copy(3 * MIB, [room(2 * MIB, promised=MIB)])
        says = "Server room has 2 MiB left, 1 MiB being promised to runs; this copy needs 3 MiB. Nothing of it was copied."
        self.assertEqual(caught.exception.message, says)

    def test_a_run_is_told_what_it_needs_and_who_has_the_rest(self):
        with self.assertRaises(DoesNotFit) as caught:
            admit(10 * MIB, [room(20 * MIB, name="Roomy"), room(5 * MIB, promised=MIB, reserve=2 * MIB)], history=[])
        says = "Server room has 5 MiB left, 1 MiB being promised to other runs; this run needs about 10.2 MiB and 2 MiB in reserve. Nothing was stored."
        self.assertEqual(caught.exception.message, says)
        admitted = admit(10 * MIB, [room(20 * MIB, name="Roomy"), room(19 * MIB)], history=[])
        self.assertEqual((admitted.most_bytes, admitted.by), (19 * MIB, "Server room"))
        self.assertIsNone(overrun(admitted, 19 * MIB))
        error = overrun(admitted, 19 * MIB + 1)
        assert error is not None
        self.assertTrue(
            error.message.startswith("It was admitted with about 10.2 MiB and has stored 19 MiB: the rest of Server room is promised")
        )
        self.assertEqual(admit(0, [room(0)], history=[]).most_bytes, 0)
        self.assertEqual((admit(9, [room(None)], history=[]).most_bytes, admit(9, [], history=[]).by), (None, ""))

    def test_what_earlier_runs_say(self):
        half = (10 * MIB, 5 * MIB)
        self.assertEqual([estimated(1000, [half] * count).bytes for count in (0, 1, 3)], [1020, 510, 510])
        self.assertEqual(estimated(1000, [(10 * MIB, 0)]).bytes, 51)
        self.assertEqual(estimated(1000, [(10 * MIB, 90 * MIB)]).bytes, 1020)
        self.assertEqual([estimated(1, [half] * count).says for count in (1, 2)], ["by one run alone", "as its last 2 runs did"])

    def test_three_of_four_runs(self):
        self.assertEqual([usual_stored_bytes(runs) for runs in ([], [5], [1, 9, 3], [1, 2, 3, 4], [4, 8, 0, 4, 8])], [None, 5, 9, 3, 8])

    def test_a_night_takes_from_every_room_and_one_that_does_not_fit_from_none(self):
        def wish(key: str, bytes_: int, *rooms: str) -> AdmissionWish:
            return AdmissionWish(key=key, expected_bytes=bytes_, rooms=rooms)

        rooms = {"a": room(10, reserve=1), "b": room(5), "free": room(None)}
        wishes = [
            wish("1", 6, "a", "free"),
            wish("2", 4, "a", "b"),
            wish("3", 3, "a"),
            wish("4", 5, "b"),
            wish("5", 0, "a"),
            wish("6", 99, "free", "gone"),
        ]
        self.assertEqual(admit_night(wishes, rooms), {"2": "a"})
        self.assertEqual(admit_night([wish("1", 20, "a", "b")], rooms), {"1": "b"})


class Letters(TestCase):
    def test_a_full_account_one_that_fills_and_one_that_is_nearly_full(self):
        def written(used: int | None, allowed: int | None, days: int | None, *, suffices: bool = True) -> tuple[str, str]:
            own = OwnCloud(
                state=OwnCloudState.ON, service="Cloudberry", account="", last_success=None, used_bytes=used, allowed_bytes=allowed
            )
            lasts = None if days is None else replace(NO_LIMIT, days=days)
            subject, body = letter(own, lasts, [], device="Orlo P5", holder="Zoe", office="Saltmarsh & Pike", suffices=suffices)
            return subject.removeprefix("Saltmarsh & Pike: your Cloudberry is "), body.split("\n")[2].split("copy of itself, ")[1].split(
                " A full"
            )[0]

        for used, allowed, days, subject, says in (
            (10 * GB, 10 * GB, 4, "full", "is full (9.3 GiB of 9.3 GiB)."), (9 * GB, 10 * GB, 4, "full in 4 days", "will be full in about 4 days (8.4 GiB of 9.3 GiB)."),
            (9 * GB, 10 * GB, 1, "nearly full", "will be full in about a day (8.4 GiB of 9.3 GiB)."), (9 * GB, 10 * GB, None, "nearly full", "is nearly full (8.4 GiB of 9.3 GiB)."),
            (None, 10 * GB, None, "nearly full", "is nearly full."), (9 * GB, None, None, "nearly full", "is nearly full."),
        ):  # fmt: skip
            self.assertEqual(written(used, allowed, days), (subject, says))


class Trends(TestCase):
    def line(self, count: int = 30, *, pace: int = GB, jump: int = 0, at: int = 15) -> tuple[list[float], list[int]]:
        return [float(day) for day in range(count)], [100 * GB + pace * day + (jump if day >= at else 0) for day in range(count)]

    def test_a_straight_line_has_its_pace_with_or_without_one_day_that_jumped(self):
        for jump in (0, 500 * GB, -60 * GB):
            made = trend(*self.line(jump=jump))
            assert isinstance(made, Trend)
            for value in (made.pace, made.low, made.high):
                self.assertAlmostEqual(value / GB, 1.0, places=6)
            self.assertTrue(made.grows)

    def test_it_says_when_it_is_full_and_nothing_of_what_never_is(self):
        days, held = self.line()
        one = runway(days, held, held[-1] + 20 * GB)
        self.assertEqual([round(value or 0, 3) for value in (one.days, one.earliest, one.latest)], [20.0, 20.0, 20.0])  # type: ignore[union-attr]
        full = runway(days, held, held[-1])
        self.assertEqual((full.days, full.earliest, full.latest), (0.0, 0.0, 0.0))  # type: ignore[union-attr]
        shrinks = runway(*self.line(pace=-GB), 900 * GB)
        self.assertEqual((shrinks.days, shrinks.trend.grows), (None, False))  # type: ignore[union-attr]

    def test_too_little_is_said_to_be_that(self):
        self.assertEqual(trend([], []), TooLittle(measured=0, over_days=0.0))
        few = trend(*self.line(LEAST_MEASURED - 1))
        self.assertEqual(few, TooLittle(measured=LEAST_MEASURED - 1, over_days=float(LEAST_MEASURED - 2)))
        close = [LEAST_DAYS * number / 100 for number in range(60)]
        self.assertIsInstance(trend(close, list(range(60))), TooLittle)

    def test_only_the_last_stretch_counts(self):
        days, held = self.line(int(STRETCH_DAYS) + 200)
        bent = [value - 40 * GB * max(0, 200 - number) for number, value in enumerate(held)]
        self.assertEqual(trend(days, bent), trend(days[200:], held[200:]))

    def test_many_days_that_jump_are_how_it_is(self):
        at, values = np.arange(40.0), np.zeros(40)
        for step in range(0, 40, 5):
            values[step:] += 50.0 * GB
        self.assertTrue((without_jumps(at, values) == values).all())
        once = np.where(at >= 20, 50.0 * GB, 0.0)
        self.assertEqual(set(without_jumps(at, once)), {50.0 * GB})
