"""A pack tells by itself what it holds (§6.1): also one with more chunks than come with its last 16 KiB, and one that lies."""

import random
from unittest import TestCase, mock

from core.vault.blobs import PACKS, pack_name
from core.vault.check import check
from core.vault.chunks import LENGTH_BYTES, VaultLimits
from core.vault.errors import Damaged
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents

SOURCE = random.Random(5)
MANY = {("documents", f"d{number:04}"): SOURCE.randbytes(5000) for number in range(1000)}
KIB = 1024


class Footers(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = Bench(limits=VaultLimits(workers=1))
        cls.manifest = cls.bench.capture(MemoryDevice(MANY)).manifest
        cls.vault = cls.bench.again()
        cls.vault.refresh()
        sizes = cls.vault.ids(PACKS)
        cls.pack = max(sizes, key=sizes.__getitem__)
        cls.whole = cls.bench.blobs.held[pack_name(cls.pack)]  # type: ignore[attr-defined]

    def tearDown(self) -> None:
        self.bench.blobs.held[pack_name(self.pack)] = self.whole  # type: ignore[attr-defined]

    def put(self, content: bytes) -> int:
        self.bench.blobs.held[pack_name(self.pack)] = content  # type: ignore[attr-defined]
        return len(content)

    def test_one_that_is_longer_than_a_first_look_is_read_whole(self) -> None:
        length = int.from_bytes(self.whole[-LENGTH_BYTES:], "big")
        self.assertGreater(length, 16 * KIB)
        known = self.vault.index.entries(self.pack)
        self.assertEqual(self.vault.footer(self.pack, len(self.whole)).tobytes(), known.tobytes())
        with mock.patch.object(self.vault.blobs, "read", side_effect=AssertionError("it is all at hand")):
            self.assertEqual(self.vault.footer(self.pack, len(self.whole), self.whole).tobytes(), known.tobytes())

    def test_without_any_index_everything_is_read_by_what_packs_tell(self) -> None:
        held = dict(self.bench.blobs.held)  # type: ignore[attr-defined]
        for name in held:
            if name.startswith("indexes/"):
                self.bench.blobs.delete(name)
        self.assertEqual(contents(self.bench.again(), self.manifest), MANY)
        self.bench.blobs.held.update(held)  # type: ignore[attr-defined]

    def test_a_pack_that_is_cut_or_grew_or_whose_footer_was_changed_is_damaged(self) -> None:
        end = len(self.whole)
        for content, says in (
            (self.whole[: end - 1], "damaged|cut short"),
            (self.whole[:2], "cut short"),
            (self.whole[:-LENGTH_BYTES] + (end).to_bytes(LENGTH_BYTES, "big"), "cut short"),
            (self.whole[:100] + b"x" + self.whole[100:], "not as long as its footer says"),
            (self.whole[: end - 50] + bytes([self.whole[end - 50] ^ 1]) + self.whole[end - 49 :], "footer of pack .* damaged"),
        ):
            size = self.put(content)
            with self.assertRaisesRegex(Damaged, says):
                self.vault.footer(self.pack, size)
            self.assertIn(pack_name(self.pack), [entry.object for entry in check(self.bench.again(), percent=100).damaged])
