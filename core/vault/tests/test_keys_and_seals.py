"""Keys, seals and frames: against published vectors and against tampering."""

import json
from unittest import TestCase

from blake3 import blake3
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from core.errors import BadInput
from core.vault.chunking import MAX_CHUNK_BYTES, PAGED_CHUNK_BYTES, Cutter, framed, unframed
from core.vault.errors import Damaged, NewerVault, NotAVault, VaultExists, WrongPassphrase
from core.vault.keys import Cost, VaultKeys, check_new_passphrase, hkdf, passphrase_slot, stretched
from core.vault.memory import MemoryBlobs
from core.vault.sealing import open_chunk, open_object, seal_chunk, seal_object
from core.vault.tests.bench_of_one import CHEAP, PASSPHRASE, SMALL, Bench, MemoryDevice, phone
from core.vault.vault import create_vault, open_vault

KEYS = VaultKeys(vault=bytes(16), master=b"m" * 32)


class DerivationsFollowTheirStandards(TestCase):
    def test_hkdf_first_bytes_of_rfc_5869_case_1(self):
        # RFC 5869, A.1: OKM of 42 bytes; its first 32 are what a 32-byte request gives
        found = hkdf(b"\x0b" * 22, salt=bytes(range(13)), info=bytes(range(0xF0, 0xFA)))
        self.assertEqual(found.hex(), "3cb25f25faacd57a90434f64d0362f2a2d2d0a90cf1a5a4c5db02d56ecc4c5bf")

    def test_argon2id_depends_on_every_parameter(self):
        base = stretched("chalk", salt=b"s" * 16, cost=CHEAP)
        others = [
            stretched("chalK", salt=b"s" * 16, cost=CHEAP),
            stretched("chalk", salt=b"t" * 16, cost=CHEAP),
            stretched("chalk", salt=b"s" * 16, cost=Cost(passes=2, memory_bytes=128 * 1024, lanes=1)),
        ]
        self.assertEqual(len({base, *others}), 4)

    def test_printing_the_keys_shows_none_of_them(self):
        self.assertNotIn(KEYS.master.hex(), repr(KEYS))
        self.assertNotIn("m" * 8, repr(KEYS))


class APlainReaderOpensWhatTheVaultSealed(TestCase):
    def test_a_stored_photo_opens_with_a_few_lines_of_cryptography(self):
        """From the passphrase to the bytes of a photo with `cryptography`, `blake3` and `argon2` alone."""
        from argon2.low_level import Type, hash_secret_raw
        from zstandard import decompress

        bench = Bench()
        device = MemoryDevice(phone())
        captured = bench.capture(device)
        blobs = bench.blobs
        header = json.loads(blobs.read("header"))
        vault = bytes.fromhex(header["vault"])
        slots = [json.loads(blobs.read(name)) for name, _ in blobs.list("keys/")]
        slot = next(slot for slot in slots if slot["kind"] == "passphrase")
        wrapping = hash_secret_raw(
            PASSPHRASE.encode(), bytes.fromhex(slot["salt"]), slot["passes"], slot["memory_bytes"] // 1024, slot["lanes"], 32, Type.ID
        )
        told = json.dumps({name: slot[name] for name in slot if name != "wrapped"}, sort_keys=True).encode()
        master = AESGCM(wrapping).decrypt(bytes(12), bytes.fromhex(slot["wrapped"]), vault + told)

        def derived(purpose: bytes) -> bytes:
            return HKDF(SHA256(), 32, vault, b"old attic vault 1 " + purpose).derive(master)

        def opened(name: str, sealed: bytes) -> bytes:
            key = blake3(sealed[4:20] + name.encode(), key=derived(b"objects")).digest()
            return AESGCM(key).decrypt(bytes(12), sealed[20:], vault + name.encode())

        places = {}
        for name, size in blobs.list("packs/"):
            length = int.from_bytes(blobs.read(name, offset=size - 4), "big")
            footer = opened(name + "#footer", blobs.read(name, offset=size - 4 - length, length=length))
            at = 0
            for n in range(0, len(footer), 24):
                sealed_length = int.from_bytes(footer[n + 16 : n + 20], "big")
                places[footer[n : n + 16].hex()] = (name, at, sealed_length)
                at += sealed_length

        def chunk(id: str) -> bytes:
            name, at, length = places[id]
            sealed = blobs.read(name, offset=at, length=length)
            key = blake3(sealed[:20] + bytes.fromhex(id), key=derived(b"chunks")).digest()
            frame = AESGCM(key).decrypt(bytes(12), sealed[20:], vault + bytes.fromhex(id))
            return decompress(frame[1:]) if frame[0] else frame[1:]

        name = f"manifests/{captured.manifest.id.hex()}"
        root = json.loads(decompress(opened(name, blobs.read(name))))
        photos = next(entry for entry in root["kinds"] if entry["kind"] == "photos")
        for branch in photos["branches"]:
            for id, _, _, _, _, spans in json.loads(chunk(branch)):
                content = b"".join(chunk(span)[offset : offset + length] for span, offset, length in spans)
                self.assertEqual(content, device.content["photos", id])


class SealsAreBoundToTheirPlace(TestCase):
    def test_a_chunk_opens_only_under_its_own_id(self):
        one, two = KEYS.chunk_id(b"one"), KEYS.chunk_id(b"two")
        sealed = seal_chunk(KEYS, one, framed(b"one"), salt=b"s" * 20)
        self.assertEqual(unframed(open_chunk(KEYS, one, sealed)), b"one")
        with self.assertRaises(Damaged):
            open_chunk(KEYS, two, sealed)

    def test_an_object_opens_only_under_its_own_name(self):
        sealed = seal_object(KEYS, "manifests/aa", b"content", random=bytes)
        self.assertEqual(open_object(KEYS, "manifests/aa", sealed), b"content")
        with self.assertRaises(Damaged):
            open_object(KEYS, "manifests/bb", sealed)

    def test_every_flipped_bit_is_found(self):
        sealed = seal_object(KEYS, "indexes/aa", b"content", random=bytes)
        for at in range(len(sealed) * 8):
            flipped = bytearray(sealed)
            flipped[at // 8] ^= 1 << at % 8
            with self.assertRaises(Damaged):
                open_object(KEYS, "indexes/aa", bytes(flipped))

    def test_the_same_content_has_unrelated_ids_in_two_stores(self):
        other = VaultKeys(vault=b"v" * 16, master=b"n" * 32)
        self.assertNotEqual(KEYS.chunk_id(b"same"), other.chunk_id(b"same"))


class CutsAndFrames(TestCase):
    def test_joined_chunks_are_the_content_whatever_the_pieces(self):
        content = b"".join(n.to_bytes(4, "big") for n in range(700_000))
        for step in (1_000, 65_536, len(content)):
            pieces = [content[at : at + step] for at in range(0, len(content), step)]
            chunks = list(Cutter(5).cut(pieces))
            self.assertEqual(b"".join(chunks), content)
            self.assertLessEqual(max(map(len, chunks)), MAX_CHUNK_BYTES)
            self.assertGreater(len(chunks), 1)

    def test_an_insertion_moves_only_the_chunks_around_it(self):
        import random

        content = random.Random(3).randbytes(4_000_000)
        before = set(Cutter(5).cut([content]))
        after = list(Cutter(5).cut([content[:2_000_000] + b"inserted" + content[2_000_000:]]))
        self.assertLessEqual(sum(chunk not in before for chunk in after), 3)

    def test_a_database_is_cut_at_fixed_pages(self):
        content = b"SQLite format 3\x00" + bytes(100_000)
        self.assertEqual([len(chunk) for chunk in Cutter(5).cut([content])], [PAGED_CHUNK_BYTES] * 3 + [100_016 - 3 * PAGED_CHUNK_BYTES])

    def test_nothing_gives_no_chunk(self):
        self.assertEqual(list(Cutter(5).cut([])), [])
        self.assertEqual(list(Cutter(5).cut([b"", b""])), [])

    def test_what_does_not_shrink_is_kept_raw(self):
        import random

        noise = random.Random(1).randbytes(1000)
        self.assertEqual(framed(noise), b"\x00" + noise)
        self.assertLess(len(framed(bytes(1000))), 100)

    def test_a_frame_that_explodes_is_refused(self):
        import zstandard

        bomb = b"\x01" + zstandard.compress(bytes(64 * 1024 * 1024))
        for frame in (bomb, b"", b"\x07abc", b"\x01garbage"):
            with self.subTest(frame=frame[:8]), self.assertRaises(Damaged):
                unframed(frame)


class OpeningAVault(TestCase):
    def open(self, blobs: MemoryBlobs, passphrase: str = PASSPHRASE):
        return open_vault(blobs, passphrase=passphrase, random=bytes, limits=SMALL)

    def test_passphrase_and_key_file_open_the_same_vault(self):
        bench = Bench()
        self.assertEqual(self.open(bench.blobs).keys, bench.vault.keys)
        self.assertEqual(open_vault(bench.blobs, key_file=b"k" * 32, random=bytes, limits=SMALL).keys, bench.vault.keys)

    def test_a_wrong_passphrase_says_the_same_thing_whatever_the_reason(self):
        blobs = Bench().blobs
        messages = set()
        for wrong in ("", "tide tables and chalK", "x" * 1000):
            with self.assertRaises(WrongPassphrase) as caught:
                self.open(blobs, wrong)
            messages.add(str(caught.exception))
        self.assertEqual(len(messages), 1)
        with self.assertRaises(WrongPassphrase):
            open_vault(blobs, key_file=b"x" * 32, random=bytes, limits=SMALL)

    def test_what_is_no_vault_is_refused_with_a_reason(self):
        for content, error in ((None, NotAVault), (b"hello", NotAVault), (b"[]", NotAVault), (b'{"format": "old-attic-vault"}', NotAVault)):
            blobs = MemoryBlobs()
            if content is not None:
                blobs.create("header", content)
            with self.subTest(content=content), self.assertRaises(error):
                self.open(blobs)

    def test_a_newer_version_is_refused(self):
        blobs = Bench().blobs
        blobs.held["header"] = blobs.held["header"].replace(b'"version": 1', b'"version": 2')
        with self.assertRaises(NewerVault):
            self.open(blobs)

    def test_a_changed_header_is_found(self):
        blobs = Bench().blobs
        blobs.held["header"] = blobs.held["header"].replace(b"2026-03-02", b"2020-03-02")
        with self.assertRaises(Damaged):
            self.open(blobs)

    def test_a_slot_that_asks_for_all_memory_is_refused(self):
        bench = Bench()
        bench.blobs.held = {"header": bench.blobs.held["header"]}
        slot = json.loads(passphrase_slot(bench.vault.keys, PASSPHRASE, random=bytes, cost=CHEAP))
        bench.blobs.create("keys/" + "0" * 32, json.dumps(slot | {"memory_bytes": 1 << 50}).encode())
        with self.assertRaises(NotAVault):
            self.open(bench.blobs)

    def test_a_place_that_is_not_empty_is_left_alone(self):
        blobs = MemoryBlobs()
        blobs.create("holiday.jpg", b"x")
        with self.assertRaises(VaultExists):
            create_vault(blobs, passphrase=PASSPHRASE, key_file=None, now=Bench().now, random=bytes, cost=CHEAP, limits=SMALL)
        self.assertEqual(blobs.held, {"holiday.jpg": b"x"})

    def test_new_passphrases_are_long_and_typed_twice(self):
        for passphrase, repeated, field in (("short", "short", "passphrase"), (PASSPHRASE, "other", "passphrase_again")):
            with self.assertRaises(BadInput) as caught:
                check_new_passphrase(passphrase, repeated)
            self.assertEqual(caught.exception.field, field)
