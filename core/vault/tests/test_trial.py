import random
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.vault.blobs import Keeps
from core.vault.errors import BlobMissing, StoreMissing, StoreReadOnly, StoreUnreachable
from core.vault.memory import MemoryBlobs
from core.vault.trial import NEEDED, Result, TrialStep, trial

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)


class Place(MemoryBlobs):
    """A place with something wrong: `bad` names the step that goes wrong."""

    def __init__(self, bad: str = "") -> None:
        super().__init__()
        self.bad = bad

    def create(self, name, content):
        if self.bad == "write":
            raise StoreReadOnly("It may not be written.")
        if self.bad == "exclusive":
            self.held.pop(name, None)
        super().create(name, content)

    def read(self, name, *, offset=0, length=None):
        content = super().read(name, offset=offset, length=length)
        return b"x" + content[1:] if self.bad == "read" else content

    def list(self, prefix):
        if self.bad == "reach":
            raise StoreUnreachable("It does not answer.")
        return iter(()) if self.bad == "list" else super().list(prefix)

    def delete(self, name):
        if self.bad != "remove":
            super().delete(name)

    def clock(self):
        return NOW + timedelta(minutes=20) if self.bad == "clock" else NOW

    def keeps(self):
        return Keeps.LOCKED


def usable(results: list[Result]) -> bool:
    return all(result.well for result in results if result.needed)


class Trials(TestCase):
    def tried(self, place: MemoryBlobs) -> list[Result]:
        ticks = iter(range(100))
        return list(trial(lambda: place, now=lambda: NOW, seconds=lambda: float(next(ticks)), random=random.Random(3).randbytes))

    def test_only_what_was_refused_is_a_right_to_ask_for(self):
        lacking = {
            bad: [one.step for one in self.tried(Place(bad)) if one.lacks_right]
            for bad in ("", "write", "remove", "reach", "read", "clock")
        }
        self.assertEqual(lacking, {"": [], "write": [TrialStep.WRITE], "remove": [TrialStep.REMOVE], "reach": [], "read": [], "clock": []})

    def test_a_good_place_passes_every_step_and_keeps_nothing(self):
        place = Place()
        results = self.tried(place)
        self.assertEqual([result.step for result in results], list(TrialStep))
        self.assertTrue(all(result.well for result in results))
        self.assertTrue(usable(results))
        self.assertEqual(place.held, {})
        says = {result.step: result.says for result in results}
        self.assertEqual(says[TrialStep.SPEED], "Writing 4 MiB/s, reading 4 MiB/s, on 4 MiB.")
        self.assertIn("lock", says[TrialStep.VERSIONS])

    def test_each_thing_that_is_wrong_is_found_by_its_own_step_and_makes_the_place_useless(self):
        for step in NEEDED:
            with self.subTest(step=step):
                place = Place(bad=step.value)
                results = self.tried(place)
                wrong = [result for result in results if not result.well]
                self.assertEqual(wrong[0].step, step)
                self.assertTrue(all(result.remedy for result in wrong))
                self.assertFalse(usable(results))
                if step is not TrialStep.REMOVE:
                    self.assertEqual(place.held, {}, "something was left behind")

    def test_a_clock_that_is_off_is_said_and_hinders_nothing(self):
        results = self.tried(Place(bad="clock"))
        self.assertEqual([(result.step, result.needed) for result in results if not result.well], [(TrialStep.CLOCK, False)])
        self.assertIn("20 minutes", next(result.says for result in results if not result.well))
        self.assertTrue(usable(results))

    def test_what_lies_there_already_is_said(self):
        for held, word in (({"header": b"x", "manifests/" + "a" * 32: b""}, "1 backup"), ({"letters.txt": b""}, "1 other")):
            place = Place()
            place.held.update(held)
            one = next(result for result in self.tried(place) if result.step is TrialStep.CONTENT)
            self.assertFalse(one.well)
            self.assertIn(word, one.says)
            self.assertEqual(place.held, held)

    def test_a_place_that_is_not_there_ends_the_trial(self):
        def gone():
            raise StoreMissing("There is no bucket x.")

        results = list(trial(gone, now=lambda: NOW, seconds=lambda: 0.0, random=random.Random(3).randbytes))
        self.assertEqual([(result.step, result.well) for result in results], [(TrialStep.REACH, False)])

    def test_the_pretended_place_reads_as_a_store_does(self):
        with self.assertRaises(BlobMissing):
            Place().read("seen/1")
