"""Three copies, two media, one off site (common practice, no published source): each lack by itself and the step that mends it."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.coverage.three_two_one import CHECKED_FOR, LAGS_BEHIND, CopyPlace, CopyStep, Lack, PlacesTarget, three_two_one

NOW = datetime(2026, 3, 2, 6, 0, tzinfo=UTC)


def place(store: str, medium: str = "folder", *, off_site: bool = False, days: float = 0, checked: float | None = 1) -> CopyPlace:
    checked_at = None if checked is None else NOW - timedelta(days=checked)
    return CopyPlace(store=store, medium=medium, off_site=off_site, newest_at=NOW - timedelta(days=days), checked_at=checked_at)


IN_ROOM, IN_CLOUD = PlacesTarget(medium="folder", off_site=False), PlacesTarget(medium="bucket", off_site=True)
BOTH = (IN_ROOM, IN_CLOUD)
ROOM, CLOUD, DRIVE = place("room"), place("cloud", "bucket", off_site=True), place("drive", "drive")


class EachLack(TestCase):
    def told(self, *places: CopyPlace, targets=BOTH, on_device=True):
        return three_two_one(places, targets, on_device=on_device, now=NOW)

    def test_by_itself(self):
        cases = [
            ((ROOM, CLOUD), {}, 3, 2, (), CopyStep.NONE),
            ((), {}, 0, 0, (Lack.BACKUP,), CopyStep.RUN),
            ((), {"targets": None}, 0, 0, (Lack.BACKUP,), CopyStep.PLAN),
            ((ROOM,), {"targets": (IN_ROOM,)}, 2, 1, (Lack.COPIES, Lack.OFF_SITE, Lack.MEDIA), CopyStep.TARGET),
            ((ROOM,), {}, 2, 1, (Lack.COPIES, Lack.OFF_SITE, Lack.MEDIA), CopyStep.WAIT),
            ((CLOUD,), {}, 2, 1, (Lack.COPIES, Lack.MEDIA), CopyStep.WAIT),
            ((ROOM, DRIVE), {"targets": (IN_ROOM, PlacesTarget(medium="drive", off_site=False))}, 3, 2, (Lack.OFF_SITE,), CopyStep.TARGET),
            ((CLOUD, place("other cloud", "bucket", off_site=True)), {}, 3, 1, (Lack.MEDIA,), CopyStep.WAIT),
            ((CLOUD, place("other cloud", "bucket", off_site=True)), {"targets": (IN_CLOUD, IN_CLOUD)}, 3, 1, (Lack.MEDIA,), CopyStep.TARGET),
            ((place("room", checked=None), place("cloud", "bucket", off_site=True, checked=31)), {}, 3, 2, (Lack.CHECK,), CopyStep.CHECK),
            ((place("room", checked=None), CLOUD), {}, 3, 2, (), CopyStep.NONE),
        ]  # fmt: skip
        for places, more, copies, media, lacks, step in cases:
            with self.subTest(places=[one.store for one in places], more=more):
                said = self.told(*places, **more)
                self.assertEqual((said.copies, said.media, said.lacks, said.step), (copies, media, lacks, step))
                self.assertEqual(said.whole, not lacks)

    def test_of_a_device_that_is_gone_what_is_on_it_counts_no_more(self):
        self.assertEqual(self.told(ROOM, CLOUD, on_device=False).lacks, (Lack.COPIES,))
        self.assertEqual(self.told(ROOM, CLOUD, DRIVE, on_device=False).lacks, ())

    def test_an_old_copy_in_another_place_counts_for_nothing(self):
        for days, copies in ((7.9, 3), (8.1, 2)):
            self.assertEqual(self.told(ROOM, place("cloud", "bucket", off_site=True, days=days)).copies, copies)

    def test_an_old_backup_is_measured_by_the_newest_one_and_not_by_today(self):
        old = place("room", days=200), place("cloud", "bucket", off_site=True, days=201)
        self.assertEqual(self.told(*old).copies, 3)

    def test_a_copy_lags_and_a_check_lasts_up_to_its_bound(self):
        def lacks(*, behind: timedelta, checked: timedelta) -> tuple[int, bool]:
            newest = CopyPlace(store="a", medium="folder", off_site=False, newest_at=NOW, checked_at=NOW - checked)
            other = CopyPlace(store="b", medium="bucket", off_site=True, newest_at=NOW - behind, checked_at=None)
            told = three_two_one([newest, other], (), on_device=True, now=NOW)
            return told.copies, Lack.CHECK in told.lacks

        second = timedelta(seconds=1)
        self.assertEqual(lacks(behind=LAGS_BEHIND, checked=CHECKED_FOR), (3, False))
        self.assertEqual(lacks(behind=LAGS_BEHIND + second, checked=CHECKED_FOR + second), (2, True))
