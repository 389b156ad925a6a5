"""What remains of a run, and how long it will take before it begins."""

import math
import random
import statistics
from itertools import pairwise
from unittest import TestCase

import numpy as np
from scipy.optimize import nnls

from core.schedule.duration import Basis, Ran, expected, office_speed
from core.schedule.estimate import LITTLE_TRUST_SECONDS, SETTLING_SECONDS, Cost, RemainingTime, Rest


def run(rest: RemainingTime, parts: list[tuple[int, int, float]]) -> list[tuple[float, Rest | None]]:
    """Feed (items, bytes, seconds) parts; what was shown after each, with the moment."""
    all_items, all_bytes = sum(part[0] for part in parts), sum(part[1] for part in parts)
    at, items, read, shown = 0.0, 0, 0, []
    for part in parts:
        items, read, at = items + part[0], read + part[1], at + part[2]
        rest.tell(at, done_items=items, done_bytes=read, all_items=all_items, all_bytes=all_bytes)
        shown.append((at, rest.rest(at)))
    return shown


def phone(draw: random.Random) -> list[tuple[int, int, float]]:
    """Many small items first, then few large ones; an item costs 10 ms, a byte 0.25 µs, give or take a quarter."""
    parts = []
    for items, size in [(40, 40_000)] * 60 + [(2, 6_000_000)] * 60:
        parts.append((items, size, (items * 0.010 + size * 0.25e-6) * draw.lognormvariate(0, 0.25)))
    return parts


class TheRest(TestCase):
    def test_small_items_first_do_not_fool_it_once_both_costs_have_been_seen(self):
        # whoever counts bytes only is off by a factor here: the first 60 parts are 0.7 % of the bytes and a fifth of the time
        parts = phone(random.Random(1))
        total = sum(part[2] for part in parts)
        shown = run(RemainingTime(), parts)
        at, rest = next((at, rest) for at, rest in shown if at >= total / 2)
        self.assertIsNotNone(rest)
        self.assertLess(abs(rest.seconds - (total - at)) / (total - at), 0.2)

    def test_a_fitting_prior_makes_it_right_from_a_quarter_on_nine_times_in_ten(self):
        right = 0
        for seed in range(40):
            parts = phone(random.Random(seed))
            total = sum(part[2] for part in parts)
            shown = run(RemainingTime(prior=Cost(seconds_an_item=0.011, seconds_a_byte=0.27e-6)), parts)
            at, rest = next((at, rest) for at, rest in shown if at >= total / 4)
            right += abs(rest.seconds - (total - at)) <= 0.2 * (total - at)
        self.assertGreaterEqual(right, 36)

    def test_both_costs_are_those_of_least_squares_that_are_never_below_zero(self):
        """By `scipy.optimize.nnls`, of stretches that each count: the prior is one more, and what was seen took as long as it took."""
        draw = random.Random(5)
        signs = set()
        for slow in ("", "items", "bytes") * 15:
            parts = []
            for _ in range(draw.randint(2, 8)):
                items, size = draw.randint(0, 4000), draw.randint(0, 80_000_000)
                parts.append(
                    (
                        items,
                        size,
                        {"items": 4 + items / 100 + 20 - size / 4e6, "bytes": 4 + size / 1e6 + 20 - items / 200}.get(
                            slow, draw.uniform(4, 9)
                        ),
                    )
                )
            rest, prior = RemainingTime(), Cost()
            run(rest, parts)
            end, at, rows, spent = sum(part[2] for part in parts), 0.0, [], []
            for items, size, seconds in parts:
                at += seconds
                weight = 0.5 ** ((end - at) / max(20.0, end / 3))
                rows.append([math.sqrt(weight) * items * prior.seconds_an_item, math.sqrt(weight) * size * prior.seconds_a_byte])
                spent.append(math.sqrt(weight) * seconds)
            trust = LITTLE_TRUST_SECONDS / math.sqrt(2)
            (p, q), _ = nnls(np.array([*rows, [trust, 0], [0, trust]]), np.array([*spent, trust, trust]))
            signs.add((p > 0, q > 0))
            self.assertAlmostEqual(
                rest.cost.seconds_an_item * prior.seconds_a_byte * q, rest.cost.seconds_a_byte * prior.seconds_an_item * p, 12
            )
        self.assertEqual(signs, {(True, True), (False, True), (True, False)})

    def test_the_range_narrows_and_its_far_end_does_not_creep(self):
        shown = run(RemainingTime(), phone(random.Random(3)))
        entries = [(at, rest) for at, rest in shown if rest is not None]
        widths = [rest.most - rest.least for _, rest in entries]
        self.assertLess(widths[-30], widths[20] / 2)
        half = entries[len(entries) // 2 :]
        ends = [at + rest.most for at, rest in half]
        self.assertLess(max(ends) - ends[0], 0.1 * ends[0])

    def test_half_of_the_range_is_three_deviations_of_what_was_seen_with_three_usual_stretches_beside_it(self):
        """Of the mean of so many stretches that are left, beside that of those that were seen. By `statistics`, on made-up stretches."""
        rest, cost = RemainingTime(), Cost(seconds_an_item=0.01, seconds_a_byte=0.0)
        rest._stretches.extend([(4.0, 400, 0), (5.0, 400, 0), (3.0, 400, 0)])
        off = statistics.fsum(((seconds - 4.0) / seconds) ** 2 for seconds in (4.0, 5.0, 3.0))
        deviation = math.sqrt((off + 3 * 0.2**2) / (3 - 1 + 3))
        seen, left = (12.0 + rest.trust_seconds) / 4.0, 400.0 / 4.0
        self.assertAlmostEqual(rest._spread(cost, 12.0, 400.0), 3 * deviation * math.sqrt(1 / seen + 1 / left), places=12)
        self.assertAlmostEqual(rest._spread(cost, 12.0, 1.0), 0.6, msg="never wider", places=12)
        rest._stretches.extend([(4.0, 400, 0)] * 4000)
        self.assertAlmostEqual(rest._spread(cost, 16_012.0, 1e6), 0.04, msg="never narrower", places=12)

    def test_an_end_of_the_range_goes_inwards_three_times_as_fast_as_outwards(self):
        rest = RemainingTime()
        rest._show(30.0, 100.0, 0.5)
        self.assertEqual(rest.rest(30.0), Rest(seconds=100.0, least=50.0, most=150.0))
        share = 1.0 / SETTLING_SECONDS  # of what it is off, for each second
        end, least, most = 130.0, 80.0, 180.0
        for at, left, spread in ((31.0, 90.0, 0.1), (32.0, 120.0, 0.6), (33.0, 80.0, 0.1)):
            ends = [at + left * (1 + part) for part in (-spread, 0, spread)]
            least += (ends[0] - least) * share * (3 if ends[0] > least else 1)
            end += (ends[1] - end) * share
            most += (ends[2] - most) * share * (3 if ends[2] < most else 1)
            rest._show(at, left, spread)
            shown = rest.rest(at)
            for seen, told in ((shown.least, least), (shown.seconds, end), (shown.most, most)):
                self.assertAlmostEqual(seen, told - at, places=9)

    def test_the_truth_lies_inside_of_the_range_nearly_always(self):
        inside = total_shown = 0
        for seed in range(20):
            parts = phone(random.Random(100 + seed))
            end = sum(part[2] for part in parts)
            for at, rest in run(RemainingTime(), parts)[30::10]:
                total_shown += 1
                inside += rest is not None and rest.least * 0.98 <= end - at <= rest.most * 1.02 + 0.5
        self.assertGreater(inside / total_shown, 0.85)

    def test_at_constant_speed_one_stall_of_three_seconds_does_not_make_it_jump(self):
        parts = [(1, 1_000_000, 1.0)] * 39 + [(1, 1_000_000, 4.0)] + [(1, 1_000_000, 1.0)] * 60
        shown = [rest.seconds for _, rest in run(RemainingTime(prior=Cost(seconds_an_item=0.01, seconds_a_byte=1e-6)), parts) if rest]
        self.assertLess(max(after - before for before, after in pairwise(shown)), 8)

    def test_nothing_is_shown_before_there_is_something_to_go_by(self):
        rest = RemainingTime()
        self.assertIsNone(rest.rest(0))
        rest.tell(1.0, done_items=0, done_bytes=0, all_items=10, all_bytes=100)
        self.assertIsNone(rest.rest(1.0))

    def test_a_run_that_becomes_slower_is_noticed(self):
        steady = [(1, 1_000_000, 0.25)] * 100
        slower = [(1, 1_000_000, 2.5)] * 100
        shown = run(RemainingTime(), steady + slower)
        _at, rest = shown[180]
        self.assertGreater(rest.seconds, 20)
        self.assertEqual(round(shown[-1][1].seconds), 0)

    def test_no_cost_is_ever_below_nothing(self):
        # stretches with many items happen to be the faster ones: a free fit would pay for each further item
        rest = RemainingTime(trust_seconds=0.5)
        run(rest, [(0, 36_000_000, 9.0), (900, 36_000_000, 4.5)] * 4)
        self.assertGreaterEqual(rest.cost.seconds_an_item, 0)
        self.assertGreater(rest.cost.seconds_a_byte, 0)

    def test_speed_is_that_of_the_last_seconds(self):
        rest = RemainingTime()
        for second in range(1, 40):
            done = second * 100 if second < 20 else 2000 + (second - 20) * 1000
            rest.tell(second, done_items=1, done_bytes=done, all_items=1, all_bytes=50_000)
        self.assertAlmostEqual(rest.bytes_per_second, 1000, delta=1)


class BeforeItBegins(TestCase):
    def test_one_bad_night_does_not_make_every_night_long(self):
        own = [Ran(seconds=100, read_bytes=1)] * 4 + [Ran(seconds=9000, read_bytes=1)]
        self.assertEqual(expected(own, to_read_bytes=None, speed=1.0).seconds, 100)

    def test_a_new_device_by_its_size_and_the_offices_speed(self):
        speed = office_speed([Ran(seconds=108, read_bytes=200_000_000)] * 3)
        rest = expected([], to_read_bytes=400_000_000, speed=speed)
        self.assertEqual((round(rest.seconds), rest.basis), (208, Basis.SIZE))

    def test_one_of_which_nothing_is_known(self):
        self.assertEqual(expected([], to_read_bytes=None, speed=1.0, typical_seconds=75).basis, Basis.NOTHING)
