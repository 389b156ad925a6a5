"""When a clock may be believed. The cases are those of clocks that were seen to go wrong: empty batteries, wrong months,
a machine put to sleep, a network that set it right. Limits: common practice, no published source."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from core.schedule.clock import AGREEMENT, LARGEST_JUMP, LONGEST_OFF, Anchor, ClockVerdict, Ticks, Witness, judge

AT = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)
ANCHOR = Anchor(at=AT, ticks=Ticks(boot="a", seconds=1000.0))


def later(seconds: float = 0, *, boot: str = "a", off: timedelta = timedelta()) -> tuple[datetime, Ticks]:
    """What is read so many real seconds later, with the clock off by so much."""
    return AT + timedelta(seconds=seconds) + off, Ticks(boot=boot, seconds=1000.0 + seconds if boot == "a" else 5.0)


def says(off: timedelta, *kinds: str) -> list[Witness]:
    return [Witness(name=f"{kind} {n}", kind=kind, off_seconds=off.total_seconds()) for n, kind in enumerate(kinds)]


class HowItMoved(TestCase):
    def test_time_that_passes_is_no_jump_however_long_it_is(self):
        for seconds in (0, 10, 3600, 90 * 86_400):
            judged = judge(*later(seconds), ANCHOR, [])
            self.assertEqual(
                (judged.verdict, judged.jump, judged.estimate), (ClockVerdict.SURE, timedelta(), AT + timedelta(seconds=seconds))
            )

    def test_a_jump_beyond_the_limit_is_doubt_in_both_directions_and_the_limit_itself_is_not(self):
        for sign in (1, -1):
            self.assertEqual(judge(*later(10, off=sign * LARGEST_JUMP), ANCHOR, []).verdict, ClockVerdict.SURE)
            beyond = sign * (LARGEST_JUMP + timedelta(seconds=1))
            judged = judge(*later(10, off=beyond), ANCHOR, [])
            self.assertEqual((judged.verdict, judged.jump, judged.estimate), (ClockVerdict.DOUBT, beyond, AT + timedelta(seconds=10)))

    def test_back_in_2001_and_twenty_days_ahead(self):
        for off in (datetime(2001, 1, 1, tzinfo=UTC) - AT, timedelta(days=20)):
            self.assertEqual(judge(*later(10, off=off), ANCHOR, []).verdict, ClockVerdict.DOUBT)

    def test_a_jump_that_is_undone_is_over(self):
        self.assertEqual(judge(*later(500), ANCHOR, [], in_doubt=True).verdict, ClockVerdict.SURE)

    def test_after_a_restart_it_may_have_been_off_for_weeks_but_not_run_backwards(self):
        for since, verdict in (
            (timedelta(hours=1), ClockVerdict.SURE), (LONGEST_OFF, ClockVerdict.SURE), (LONGEST_OFF + timedelta(seconds=1), ClockVerdict.DOUBT),
            (timedelta(days=4000), ClockVerdict.DOUBT), (-LARGEST_JUMP, ClockVerdict.SURE), (-LARGEST_JUMP - timedelta(seconds=1), ClockVerdict.DOUBT),
            (timedelta(days=-9000), ClockVerdict.DOUBT),
        ):  # fmt: skip
            judged = judge(AT + since, Ticks(boot="b", seconds=5.0), ANCHOR, [])
            self.assertEqual((judged.verdict, judged.estimate), (verdict, None), since)

    def test_doubt_outlasts_a_restart_although_the_clock_looks_well_then(self):
        judged = judge(AT + timedelta(hours=1), Ticks(boot="b", seconds=5.0), ANCHOR, [], in_doubt=True)
        self.assertEqual(judged.verdict, ClockVerdict.DOUBT)

    def test_a_first_start_believes_it(self):
        self.assertEqual(judge(AT, Ticks(boot="a", seconds=1.0), None, []).verdict, ClockVerdict.SURE)


class WhoSaysSo(TestCase):
    FORWARD = timedelta(days=20)

    def judged(self, witnesses, off=FORWARD):
        return judge(*later(10, off=off), ANCHOR, witnesses, in_doubt=True)

    def test_two_that_agree_with_it_settle_any_jump(self):
        for kinds in (("kernel", "mail"), ("bucket", "device", "device"), ("mail", "bucket")):
            judged = self.judged(says(timedelta(seconds=20), *kinds))
            self.assertEqual((judged.verdict, len(judged.agreeing)), (ClockVerdict.SURE, 2), kinds)

    def test_one_alone_settles_nothing_and_neither_does_one_device(self):
        for witnesses in (says(timedelta(), "kernel"), says(timedelta(), "device"), says(timedelta(), "device", "device", "device"),
                          says(timedelta(), "kernel", "device")):  # fmt: skip
            self.assertEqual(self.judged(witnesses).verdict, ClockVerdict.DOUBT, witnesses)

    def test_two_that_agree_with_each_other_against_it_say_that_it_is_wrong_and_by_how_much(self):
        judged = self.judged(says(-self.FORWARD, "mail", "device", "device"))
        self.assertEqual((judged.verdict, judged.off), (ClockVerdict.WRONG, -self.FORWARD))
        # also without any jump: it was wrong from the beginning
        self.assertEqual(judge(*later(10), ANCHOR, says(timedelta(days=300), "mail", "bucket")).verdict, ClockVerdict.WRONG)

    def test_two_that_contradict_each_other_settle_nothing(self):
        apart = AGREEMENT + timedelta(seconds=1)
        witnesses = [*says(timedelta(), "mail"), *says(apart, "bucket")]
        self.assertEqual(self.judged(witnesses).verdict, ClockVerdict.DOUBT)
        self.assertEqual(judge(*later(10), ANCHOR, witnesses).verdict, ClockVerdict.SURE, "nothing had moved")

    def test_a_device_that_lies_does_not_move_the_median(self):
        honest = says(timedelta(), "device", "device", "kernel")
        liar = Witness(name="liar", kind="device", off_seconds=1e9)
        self.assertEqual(self.judged([*honest, liar]).verdict, ClockVerdict.SURE)

    def test_the_same_source_twice_is_one_voice(self):
        twice = [Witness(name="mail", kind="mail", off_seconds=0.0)] * 2
        self.assertEqual(self.judged(twice).verdict, ClockVerdict.DOUBT)

    @given(
        st.lists(st.tuples(st.sampled_from(["device", "mail", "bucket", "kernel"]), st.floats(-1e8, 1e8)), max_size=6), st.floats(-1e8, 1e8)
    )
    def test_without_a_pair_that_agrees_a_jump_is_never_believed(self, answers, off):
        witnesses = [Witness(name=f"{kind} {n}", kind=kind, off_seconds=seconds) for n, (kind, seconds) in enumerate(answers)]
        self.assertEqual(judge(*later(10, off=self.FORWARD), ANCHOR, witnesses).agreeing, ())  # they spoke before it jumped
        judged = judge(*later(10, off=timedelta(seconds=off)), ANCHOR, witnesses, in_doubt=True)
        if judged.verdict is ClockVerdict.SURE and abs(off) > LARGEST_JUMP.total_seconds() + 1:
            self.assertEqual(len(judged.agreeing), 2)
            self.assertGreaterEqual(sum(abs(one.off_seconds) <= 2 * AGREEMENT.total_seconds() for one in witnesses), 2)
