"""The vault against a plain dictionary: any sequence of backups, removals, sweeps and crashes."""

from datetime import timedelta
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.vault.check import check
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents

CONTENT = st.dictionaries(
    st.tuples(st.sampled_from(["contacts", "photos", "app_data"]), st.sampled_from("abcdef")),
    st.sampled_from([b"", b"tiny", b"x" * 5_000, bytes(range(256)) * 120, b"SQLite format 3\x00" + bytes(70_000)]),
    max_size=8,
)
STEPS = st.one_of(
    st.tuples(st.just("backup"), CONTENT, st.integers(0, 6)),
    st.tuples(st.just("remove"), st.integers(0, 5)),
    st.tuples(st.just("sweep"), st.sampled_from([0, 1, 3]), st.integers(0, 8)),
)


class Crash(BaseException):
    """The process is killed."""


class Fragile(MemoryBlobs):
    """Dies at a chosen change."""

    left: int | None = None

    def _change(self) -> None:
        if self.left is not None:
            if self.left == 0:
                raise Crash
            self.left -= 1

    def create(self, name: str, content: bytes) -> None:
        self._change()
        super().create(name, content)

    def delete(self, name: str) -> None:
        self._change()
        super().delete(name)


class TheVaultIsADictionary(TestCase):
    @settings(max_examples=120, deadline=None)
    @given(st.lists(STEPS, max_size=9))
    def test_after_any_sequence_every_backup_reads_back_and_the_store_is_whole(self, steps):
        bench = Bench(Fragile())
        blobs: Fragile = bench.blobs  # type: ignore[assignment]
        model: dict[bytes, dict[tuple[str, str], bytes]] = {}
        for step in steps:
            blobs.left = None
            try:
                if step[0] == "backup":
                    # 0 to 4: killed at that change; 5 and 6: lives
                    blobs.left = step[2] if step[2] < 5 else None
                    previous = next(iter(bench.again().manifests()), None)
                    captured = bench.capture(MemoryDevice(dict(step[1])), previous)
                    model[captured.manifest.id] = step[1]
                elif step[0] == "remove" and model:
                    id = sorted(model)[step[1] % len(model)]
                    bench.again().remove(id)
                    del model[id]
                elif step[0] == "sweep":
                    bench.now += timedelta(hours=step[1])
                    blobs.left = step[2] if step[2] < 6 else None
                    sweep(bench.again(), now=bench.now)
            except Crash:
                pass
            blobs.left = None
            # a backup whose commit was the last change before the crash exists, as the format promises
            for id in bench.again().backup_ids():
                self.assertIn(id, model)
            for id, content in model.items():
                self.assertEqual(contents(vault := bench.again(), vault.manifest(id)), content)
            self.assertTrue(check(bench.again(), percent=100).ok)
