from dataclasses import replace
from datetime import date, timedelta
from unittest import TestCase

from core.content.own_cloud import OwnCloud, OwnCloudPart, OwnCloudState
from core.quota.ladder import Rung
from core.quota.lasting import is_soon, lasting
from core.quota.own_account import beginning, letter, steps, wanted_bytes

GIB = 1 << 30
OWN = OwnCloud(
    state=OwnCloudState.ON, service="Harbourlight backup", account="a@harbourlight.example", last_success=None, used_bytes=9 * GIB,
    allowed_bytes=10 * GIB,
    kinds=(OwnCloudPart(name="photos", size_bytes=4 * GIB), OwnCloudPart(name="videos", size_bytes=GIB), OwnCloudPart(name="app_data", size_bytes=GIB),
           OwnCloudPart(name="attachments", size_bytes=2 * GIB), OwnCloudPart(name="contacts", size_bytes=5), OwnCloudPart(name="other", size_bytes=GIB)),
    devices=(OwnCloudPart(name="Orlo P5", size_bytes=6 * GIB), OwnCloudPart(name="Orlo P3", size_bytes=2 * GIB), OwnCloudPart(name="Orlo P1", size_bytes=0)),
)  # fmt: skip


class TheLadder(TestCase):
    def found(self, **changes: object):
        return steps(OWN, **({"in_use": ["orlo p5"], "in_step": {"photos": "Tidepool"}, "ours": ["videos"]} | changes))  # type: ignore[arg-type]

    def test_old_devices_first_then_kinds_in_their_order_and_nothing_of_no_size_or_no_kind(self):
        self.assertEqual(
            [(one.rung, one.title, one.bytes) for one in self.found()],
            [
                (Rung.GONE_DEVICES, "Remove the old backup of Orlo P3 there", 2 * GIB),
                (Rung.IN_STEP, "Leave photos out of it", 4 * GIB),
                (Rung.PICTURES, "Leave videos out of it", GIB),
                (Rung.HAD_AGAIN, "Leave app data out of it", GIB),
                (Rung.ATTACHMENTS, "Leave message attachments out of it", 2 * GIB),
            ],
        )

    def test_each_says_what_is_lost_and_whether_this_office_holds_it(self):
        _, photos, videos, *_ = self.found()
        self.assertEqual(photos.loses, "Tidepool keeps them in step, which is no backup; no backup of this office holds them")
        self.assertEqual(videos.loses, "they are no longer there; this office’s backups hold them")

    def test_without_another_service_photos_are_pictures(self):
        self.assertEqual([one.rung for one in self.found(in_step={})][1:3], [Rung.PICTURES, Rung.PICTURES])

    def test_the_shortest_beginning_that_may_suffice(self):
        row = self.found()
        for wanted, count in ((0, 0), (1, 1), (2 * GIB, 1), (2 * GIB + 1, 2), (100 * GIB, 5)):
            self.assertEqual(len(beginning(row, wanted)), count, wanted)

    def test_room_is_wanted_until_a_fifth_is_free(self):
        self.assertEqual(wanted_bytes(OWN), GIB)
        self.assertEqual(wanted_bytes(replace(OWN, used_bytes=GIB)), 0)
        self.assertEqual([wanted_bytes(replace(OWN, allowed_bytes=0)), wanted_bytes(replace(OWN, used_bytes=None))], [None, None])


class TheLetter(TestCase):
    def written(self, own: OwnCloud = OWN, lasts: object = None, chosen: int = 1, suffices: bool = True) -> tuple[str, str]:
        ladder = steps(own, in_use=["Orlo P5"], in_step={}, ours=())
        return letter(own, lasts, ladder[:chosen], device="Orlo P5", holder="Jun Sato", office="Saltmarsh & Pike", suffices=suffices)  # type: ignore[arg-type]

    def test_it_says_how_it_stands_and_what_helps(self):
        days = [date(2026, 3, 1) + timedelta(days=n) for n in range(20)]
        lasts = lasting(days, [8 * GIB + n * GIB // 20 for n in range(20)], 10 * GIB, today=days[-1])
        subject, body = self.written(lasts=lasts)
        self.assertEqual(subject, "Saltmarsh & Pike: your Harbourlight backup is full in 21 days")
        self.assertIn("into which your Orlo P5 puts a copy of itself, will be full in about 21 days (9 GiB of 10 GiB).", body)
        self.assertIn("\n1. Remove the old backup of Orlo P3 there (up to 2 GiB).\n", body)
        self.assertNotIn("may not be enough", body)

    def test_a_full_one_and_one_of_which_little_is_known(self):
        self.assertTrue(self.written(replace(OWN, used_bytes=10 * GIB))[0].endswith("is full"))
        subject, body = self.written(replace(OWN, service=""))
        self.assertTrue(subject.endswith("your cloud account is nearly full"), subject)
        self.assertIn("Your cloud account, into which your Orlo P5 puts a copy of itself, is nearly full (9 GiB of 10 GiB).", body)

    def test_what_does_not_suffice_says_so(self):
        self.assertIn("may not be enough", self.written(suffices=False)[1])
        self.assertNotIn("What helps", self.written(chosen=0)[1])


class Soon(TestCase):
    def test_within_three_weeks_or_perhaps_within_one(self):
        for days, earliest, soon in ((21, 15, True), (22, 8, False), (22, 7, True), (None, 7, True), (None, None, False), (0, 0, True)):
            self.assertEqual(is_soon(days, earliest), soon, (days, earliest))
