"""A link held to a speed, on a clock that only moves when somebody sleeps."""

from unittest import TestCase

from adapters.links.paced import PacedLink
from core.content import link
from core.content.link import ReadsAhead, TellsAccounts
from core.content.own_cloud import OwnCloud, announced_own_cloud
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone


class Slowly(TestCase):
    def setUp(self):
        self.now = 0.0
        self.limit: int | None = 10_000
        self.slept: list[float] = []
        self.device = MemoryDevice(phone())
        self.link = PacedLink(self.device, lambda: self.limit, clock=lambda: self.now, sleep=self.sleep)

    def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)
        self.now += seconds

    def read(self) -> int:
        return sum(len(piece) for item in self.link.inventory("photos") for piece in self.link.read(item))

    def test_content_takes_as_long_as_the_limit_says(self):
        count = self.read()
        self.assertAlmostEqual(self.now, count / 10_000, delta=1.1)
        self.assertLessEqual(max(self.slept), 1.0, "a stop would not be noticed for so long")

    def test_without_a_limit_nothing_sleeps(self):
        self.limit = None
        self.read()
        self.assertEqual(self.slept, [])

    def test_time_that_passed_unused_is_not_saved_up(self):
        self.now += 3600
        count = self.read()
        self.assertAlmostEqual(self.now - 3600, count / 10_000, delta=1.1)

    def test_a_limit_that_changes_in_the_middle_counts_from_then_on(self):
        items = self.link.inventory("photos")
        for piece in self.link.read(items[0]):
            self.assertTrue(piece)
        self.limit, before, count = 1_000_000, self.now, 0
        for item in items[1:]:
            count += sum(len(piece) for piece in self.link.read(item))
        self.assertLess(self.now - before, count / 10_000 / 10)

    def test_inventories_are_not_held_back(self):
        self.link.inventory("photos")
        self.assertEqual(self.slept, [])

    def test_whatever_a_run_may_ask_a_link_is_passed_on(self):
        """By name: digests and writing are a restore's, whose links are not held back."""
        asked = [one for name, one in vars(link).items() if name.startswith(("Tells", "Reads")) and name != "TellsDigests"]
        self.assertGreaterEqual(len(asked), 4)
        for protocol in asked:
            self.assertIsInstance(self.link, protocol)

    def test_what_the_device_tells_of_its_own_cloud_comes_through(self):
        class Telling(MemoryDevice):
            def tells_own_cloud(self) -> bool:
                return True

            def own_cloud(self) -> OwnCloud | None:
                return announced_own_cloud({"state": "off"})

        paced = PacedLink(Telling({}), lambda: None)
        self.assertEqual((paced.tells_own_cloud(), paced.own_cloud()), (True, announced_own_cloud({"state": "off"})))
        self.assertEqual((self.link.tells_own_cloud(), self.link.own_cloud()), (False, None))

    def test_it_is_the_same_device_with_and_without_what_not_every_link_can(self):
        self.limit = None
        self.assertIsInstance(self.link, ReadsAhead)
        self.assertIsInstance(self.link, TellsAccounts)
        self.assertEqual(self.link.accounts(), [])
        bench = Bench()
        captured = bench.capture(self.link)
        self.assertEqual(contents(bench.again(), captured.manifest), self.device.content)
