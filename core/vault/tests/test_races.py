"""What happens in the worst moment: a sweep in the middle of a commit, a commit in the middle of a sweep, two sweeps at once.

Each test lets the other side act at one exact operation, before it or after it, so that nothing is left to chance.
"""

from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from unittest import TestCase

from core.vault import blobs as names
from core.vault.blobs import Content
from core.vault.capture import Capture, Request
from core.vault.check import check
from core.vault.errors import RunTooLong
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone
from core.vault.tests.faults import Killed
from core.vault.writer import Writer


class Interrupted(MemoryBlobs):
    """Lets somebody else act once, when an operation on a name with this beginning comes."""

    def __init__(self) -> None:
        super().__init__()
        self.operation = self.prefix = ""
        self.after = False
        self.act: Callable[[], object] | None = None
        self.acted = False

    def at(self, operation: str, prefix: str, act: Callable[[], object], *, after: bool = False) -> None:
        self.operation, self.prefix, self.act, self.after, self.acted = operation, prefix, act, after, False

    def _now(self, operation: str, name: str, after: bool) -> None:
        if self.act is not None and operation == self.operation and name.startswith(self.prefix) and after == self.after:
            act, self.act, self.acted = self.act, None, True
            act()

    def create(self, name: str, content: Content) -> None:
        self._now("create", name, False)
        super().create(name, content)
        self._now("create", name, True)

    def delete(self, name: str) -> None:
        self._now("delete", name, False)
        super().delete(name)
        self._now("delete", name, True)

    def list(self, prefix: str):
        self._now("list", prefix, False)
        listed = list(super().list(prefix))
        self._now("list", prefix, True)
        return iter(listed)


class Races(TestCase):
    def setUp(self):
        self.blobs = Interrupted()
        self.bench = Bench(self.blobs)
        self.old = self.bench.capture(MemoryDevice(phone(1))).manifest
        self.kept = self.bench.capture(MemoryDevice(phone(2)), of="d2").manifest

    def whole(self, *expected: tuple[bytes, dict[tuple[str, str], bytes]]) -> None:
        for id, content in ((self.kept.id, phone(2)), *expected):
            vault = self.bench.again()
            self.assertEqual(contents(vault, vault.manifest(id)), content)
        self.assertEqual([(entry.object, entry.reason) for entry in check(self.bench.again(), percent=100).damaged], [])
        for hours in (5, 10, 15):
            sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
        for id, content in ((self.kept.id, phone(2)), *expected):
            vault = self.bench.again()
            self.assertEqual(contents(vault, vault.manifest(id)), content)

    def swept(self, grace: float) -> Callable[[], object]:
        """The backup that a run relies on is removed, and a sweep comes by."""

        def act() -> None:
            self.bench.again().remove(self.old.id)
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=grace)

        return act

    def run_through(self) -> bytes | None:
        """A run that relies on everything the old backup stored: the backup's id, or nothing when it had to give up."""
        with suppress(RunTooLong):
            return self.bench.capture(MemoryDevice(phone(1)), self.old).manifest.id
        return None

    def test_a_mark_at_any_moment_of_a_commit_is_survived(self):
        for operation, prefix, after in (
            ("list", names.MARKS, False), ("list", names.MARKS, True), ("list", names.PACKS, True), ("create", names.MANIFESTS, False),
            ("create", names.MANIFESTS, True), ("create", names.SEEN, False),
        ):  # fmt: skip
            self.setUp()
            device_done = self.bench.capture(MemoryDevice(phone(1)), self.old)  # so that the run below has nothing to upload
            self.bench.vault.remove(device_done.manifest.id)
            self.blobs.at(operation, prefix, self.swept(3600), after=after)
            with self.subTest(operation=operation, prefix=prefix, after=after):
                made = self.run_through()
                self.assertTrue(self.blobs.acted)
                self.assertIsNotNone(made)
                self.whole((made, phone(1)))

    def test_a_sweep_without_grace_at_any_moment_of_a_commit_loses_nothing_that_was_committed(self):
        given_up = 0
        for operation, prefix, after in (
            ("list", names.MARKS, False), ("list", names.PACKS, True), ("create", names.MANIFESTS, False), ("create", names.MANIFESTS, True),
        ):  # fmt: skip
            self.setUp()
            self.blobs.at(operation, prefix, self.swept(0), after=after)
            with self.subTest(operation=operation, prefix=prefix, after=after):
                made = self.run_through()
                self.assertTrue(self.blobs.acted)
                given_up += made is None
                self.whole(*([(made, phone(1))] if made else []))
                self.assertEqual(len(self.bench.again().backup_ids()), 2 if made else 1)
        self.assertGreater(given_up, 0, "where everything it relied on was gone, the run had to give up")

    def test_a_commit_at_any_moment_of_a_sweep_loses_nothing(self):
        made: list[bytes | None] = []
        for grace in (0, 3600):
            for operation, prefix, after in (
                ("create", names.MARKS, False), ("create", names.MARKS, True), ("list", names.MANIFESTS, False), ("list", names.MANIFESTS, True),
                ("create", names.INDEXES, True), ("delete", names.PACKS, False), ("delete", names.PACKS, True), ("delete", names.MARKS, False),
            ):  # fmt: skip
                self.setUp()
                self.bench.vault.remove(self.old.id)
                self.blobs.at(operation, prefix, lambda: made.append(self.run_through()), after=after)
                with self.subTest(grace=grace, operation=operation, prefix=prefix, after=after):
                    made.clear()
                    for hours in (0, 2, 4):
                        sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours), grace_seconds=grace)
                    self.assertTrue(self.blobs.acted)
                    self.whole(*[(id, phone(1)) for id in made if id])
                    if grace:
                        self.assertIsNotNone(made[0])

    def test_a_sweep_at_any_moment_of_another_sweep_loses_nothing(self):
        for grace in (0, 3600):
            for operation, prefix, after in (
                ("create", names.PACKS, True), ("create", names.MARKS, False), ("create", names.MARKS, True), ("create", names.INDEXES, True),
                ("delete", names.PACKS, False), ("delete", names.PACKS, True), ("delete", names.INDEXES, False), ("delete", names.MARKS, False),
            ):  # fmt: skip
                self.setUp()
                # the kept backup needs a photo that lies in a pack which is otherwise waste
                shared = phone(2) | {("photos", "p0"): phone(1)["photos", "p0"]}
                third = self.bench.capture(MemoryDevice(shared), of="d3").manifest
                self.bench.vault.remove(self.old.id)
                again = lambda: sweep(self.bench.again(), now=self.bench.now + timedelta(hours=1), grace_seconds=grace)  # noqa: B023, E731
                self.blobs.at(operation, prefix, again, after=after)
                with self.subTest(grace=grace, operation=operation, prefix=prefix, after=after):
                    for hours in (0, 2, 4):
                        sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours), grace_seconds=grace)
                    self.assertTrue(self.blobs.acted)
                    self.whole((third.id, shared))

    def test_killed_right_after_a_manifest_whose_content_had_been_swept_leaves_no_broken_backup(self):
        def die() -> None:
            raise Killed

        def sweep_and_wait_for_the_manifest(changed_bytes: int) -> None:
            self.swept(0)()
            self.blobs.at("create", names.MANIFESTS, die, after=True)

        run = Capture(
            MemoryDevice(phone(1)), Writer(self.bench.again()),
            Request(device="d1", device_told={}, kinds=("contacts", "photos", "documents", "app_data"), note="", zone="UTC"),
            clock=lambda: self.bench.now, admit=sweep_and_wait_for_the_manifest,
        )  # fmt: skip
        with suppress(Killed, RunTooLong):
            run.run(self.old)
        self.blobs.act = None
        self.whole()

    def test_two_writers_of_the_same_content_at_the_same_moment(self):
        made: list[bytes] = []
        self.blobs.at("create", names.MANIFESTS, lambda: made.append(self.bench.capture(MemoryDevice(phone(8)), of="d8").manifest.id))
        made.append(self.bench.capture(MemoryDevice(phone(8)), of="d9").manifest.id)
        self.whole(*[(id, phone(8)) for id in made])

    def test_a_removal_in_the_middle_of_a_run_that_builds_on_it(self):
        self.blobs.at("create", names.MANIFESTS, lambda: self.bench.again().remove(self.old.id))
        made = self.run_through()
        self.whole((made, phone(1)))
