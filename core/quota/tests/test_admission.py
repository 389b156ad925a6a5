from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from core.quota.admission import (
    RESERVE_BYTES,
    AdmissionWish,
    Admitted,
    DoesNotFit,
    Estimate,
    Room,
    admit,
    admit_night,
    estimated,
    overrun,
    usual_stored_bytes,
)
from core.units import MIB


def room(stored: int = 0, allowance: int | None = 100 * MIB, free: int | None = None, **more: object) -> Room:
    return Room(**{"stored_bytes": stored, "allowance_bytes": allowance, "free_bytes": free, "name": "Server room"} | more)  # type: ignore[arg-type]


class WillItFit(TestCase):
    def test_without_history_nothing_is_assumed_to_shrink_and_it_says_so(self):
        estimate = estimated(50 * MIB, [])
        self.assertGreaterEqual(estimate.bytes, 50 * MIB)
        self.assertIn("no run of it tells", estimate.says)

    def test_the_median_of_the_history_counts_and_one_odd_run_does_not(self):
        history = [(10 * MIB, 5 * MIB), (10 * MIB, 5 * MIB), (10 * MIB, 10 * MIB)]
        estimate = estimated(10 * MIB, history)
        self.assertAlmostEqual(estimate.bytes / MIB, 5.1, places=1)
        self.assertEqual(estimate.says, "as its last 3 runs did")
        self.assertEqual(estimated(10 * MIB, history[:1]).says, "by one run alone")

    def test_the_message_names_what_is_left_and_what_is_needed(self):
        with self.assertRaises(DoesNotFit) as caught:
            admit(30 * MIB, [room(stored=80 * MIB)], history=[])
        self.assertIn("Server room has 20 MiB left", str(caught.exception))
        self.assertIn("30.6 MiB and 4 MiB in reserve", str(caught.exception))

    def test_the_smaller_of_allowance_and_medium_counts(self):
        with self.assertRaises(DoesNotFit):
            admit(30 * MIB, [room(free=10 * MIB)], history=[])
        self.assertIsNone(admit(30 * MIB, [room(allowance=None)], history=[]).most_bytes)

    def test_exactly_enough_is_enough(self):
        need = estimated(MIB, []).bytes + RESERVE_BYTES
        admit(MIB, [room(allowance=need)], history=[])
        with self.assertRaises(DoesNotFit):
            admit(MIB, [room(allowance=need - 1)], history=[])

    def test_an_unchanged_device_always_fits(self):
        self.assertEqual(admit(0, [room(stored=100 * MIB)], history=[]).estimate.bytes, 0)

    def test_what_others_were_admitted_for_is_theirs(self):
        with self.assertRaises(DoesNotFit) as caught:
            admit(30 * MIB, [room(promised_bytes=80 * MIB)], history=[])
        self.assertIn("20 MiB left, 80 MiB being promised to other runs", str(caught.exception))
        self.assertEqual(admit(10 * MIB, [room(promised_bytes=80 * MIB)], history=[]).most_bytes, 16 * MIB)

    def test_the_tightest_room_decides_and_has_its_own_reserve(self):
        of_team = room(stored=9 * MIB, allowance=10 * MIB, name="Shore Crew in Server room", reserve_bytes=0)
        with self.assertRaises(DoesNotFit) as caught:
            admit(2 * MIB, [room(), of_team], history=[])
        self.assertEqual(str(caught.exception), "Shore Crew in Server room has 1 MiB left; this run needs about 2 MiB. Nothing was stored.")
        self.assertEqual(admit(MIB // 2, [room(), of_team], history=[]).by, "Shore Crew in Server room")

    def test_an_overrun_goes_on_while_it_takes_no_room_of_others(self):
        admitted = Admitted(estimate=Estimate(bytes=MIB, says=""), most_bytes=5 * MIB, by="Server room")
        self.assertIsNone(overrun(admitted, 5 * MIB))
        self.assertIn("has stored 5.5 MiB: the rest of Server room is promised", str(overrun(admitted, 5 * MIB + MIB // 2)))
        self.assertIsNone(overrun(Admitted(estimate=admitted.estimate, most_bytes=None), 1 << 40))


class ANight(TestCase):
    def test_what_three_of_four_runs_do_not_pass_is_expected(self):
        self.assertIsNone(usual_stored_bytes([]))
        self.assertEqual(usual_stored_bytes([5, 9]), 9)
        self.assertEqual(usual_stored_bytes([1, 2, 3, 4, 1000]), 4)

    def test_who_starts_first_fits_first_and_who_does_not_takes_nothing(self):
        rooms = {"store": room(allowance=10 * MIB, reserve_bytes=0), "team": room(allowance=4 * MIB, reserve_bytes=0)}
        wishes = [
            AdmissionWish(key="a", expected_bytes=3 * MIB, rooms=("store", "team")),
            AdmissionWish(key="b", expected_bytes=2 * MIB, rooms=("store", "team")),
            AdmissionWish(key="c", expected_bytes=7 * MIB, rooms=("store",)),
            AdmissionWish(key="d", expected_bytes=1, rooms=("store",)),
            AdmissionWish(key="e", expected_bytes=0, rooms=("store", "team")),
            AdmissionWish(key="f", expected_bytes=9 * MIB, rooms=("elsewhere",)),
        ]
        self.assertEqual(admit_night(wishes, rooms), {"b": "team", "d": "store"})

    @given(
        st.lists(st.tuples(st.integers(0, 50), st.sampled_from(["s", "t", "st"])), max_size=30), st.integers(0, 300), st.integers(0, 300)
    )
    def test_no_room_is_ever_promised_twice(self, wanted, of_store, of_team):
        rooms = {"s": room(allowance=of_store, reserve_bytes=0), "t": room(allowance=of_team, reserve_bytes=0)}
        wishes = [AdmissionWish(key=str(n), expected_bytes=held, rooms=tuple(keys)) for n, (held, keys) in enumerate(wanted)]
        short = admit_night(wishes, rooms)
        for key, limit in (("s", of_store), ("t", of_team)):
            self.assertLessEqual(sum(wish.expected_bytes for wish in wishes if key in wish.rooms and wish.key not in short), limit)
