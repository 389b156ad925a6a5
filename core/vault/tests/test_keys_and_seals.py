"""Keys, seals, codes and frames: against published vectors, through the functions that the vault calls, and against tampering.

The vectors' digits were typed from memory of the publications that are named; that libraries of other people agree
with every one of them is what vouches for the digits.
"""

import random
from unittest import TestCase, mock

from blake3 import blake3
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.argon2 import Argon2id
from hypothesis import given, settings
from hypothesis import strategies as st

from core.errors import BadInput
from core.vault import keys as keys_module
from core.vault import sealing
from core.vault.chunking import MAX_CHUNK_BYTES, PAGED_CHUNK_BYTES, Cutter
from core.vault.errors import Damaged
from core.vault.framing import framed, unframed
from core.vault.keys import Keys, StretchCost, check_new_passphrase, hkdf, stretched
from core.vault.recovery_code import ALPHABET, looks_like_code, new_code, secret_of
from core.vault.sealing import chunk_place, local_place, seal, shared_place, unseal
from core.vault.tests.bench_of_one import CHEAP, PASSPHRASE

KEYS = Keys(id=bytes(16), master=b"m" * 32)


class DerivationsFollowTheirStandards(TestCase):
    def test_hkdf_sha_256_of_rfc_5869(self):
        # RFC 5869, A.1, A.2 and A.3: their OKM is longer; the first 32 bytes are what a request for 32 gives
        cases = (
            (b"\x0b" * 22, bytes(range(13)), bytes(range(0xF0, 0xFA)), "3cb25f25faacd57a90434f64d0362f2a2d2d0a90cf1a5a4c5db02d56ecc4c5bf"),
            (
                bytes(range(0x50)),
                bytes(range(0x60, 0xB0)),
                bytes(range(0xB0, 0x100)),
                "b11e398dc80327a1c8e7f78c596a49344f012eda2d4efad8a050cc4c19afa97c",
            ),
            (b"\x0b" * 22, b"", b"", "8da4e775a563c18f715f802a063c5a31b8a11f5c5ee1879ec3454e5f3c738d2d"),
        )
        for secret, salt, info, okm in cases:
            self.assertEqual(hkdf(secret, salt=salt, info=info).hex(), okm)

    def test_argon2id_of_rfc_9106(self):
        """By another implementation, OpenSSL's, which gives the vector of RFC 9106, 5.3, and for the product's own function the same."""
        fields = {"length": 32, "iterations": 3, "lanes": 4, "memory_cost": 32}
        vector = Argon2id(salt=b"\x02" * 16, ad=b"\x04" * 12, secret=b"\x03" * 8, **fields).derive(b"\x01" * 32)
        self.assertEqual(vector.hex(), "0d640df58d78766c08c037a34a8b53c9d01ef0452d75b65eb52520e96b01e659")
        cost = StretchCost(passes=3, memory_bytes=32 * 1024, lanes=4)
        for words in ("\x01" * 32, "tide tables and chalk", "Größe ✓"):
            again = Argon2id(salt=b"\x02" * 16, **fields).derive(words.encode())
            self.assertEqual(stretched(words, salt=b"\x02" * 16, cost=cost), again)

    def test_argon2id_depends_on_every_parameter(self):
        base = stretched("chalk", salt=b"s" * 16, cost=CHEAP)
        others = [
            stretched("chalK", salt=b"s" * 16, cost=CHEAP),
            stretched("chalk", salt=b"t" * 16, cost=CHEAP),
            stretched("chalk", salt=b"s" * 16, cost=StretchCost(passes=2, memory_bytes=128 * 1024, lanes=1)),
            stretched("chalk", salt=b"s" * 16, cost=StretchCost(passes=1, memory_bytes=256 * 1024, lanes=1)),
        ]
        self.assertEqual(len({base, *others}), 5)

    def test_blake3_keyed_of_its_published_vectors(self):
        # BLAKE3 team, test_vectors.json: input byte i is i mod 251; keyed_hash, first 16 bytes, which are a chunk's id
        key = b"whats the Elvish word for friend"
        vectors = {
            0: "92b2b75604ed3c761f9d6f62392c8a92",
            1: "6d7878dfff2f485635d39013278ae14f",
            1023: "c951ecdf03288d0fcc96ee3413563d8a",
            1024: "75c46f6f3d9eb4f55ecaaee480db732e",
            1025: "357dc55de0c7e382c900fd6e320acc04",
        }
        known = Keys(id=bytes(16), master=bytes(32))
        object.__setattr__(known, "ids", key)
        for length, begin in vectors.items():
            content = bytes(n % 251 for n in range(length))
            self.assertEqual(known.chunk_id(content).hex(), begin, length)

    def test_aes_256_gcm_of_the_nist_vectors_through_the_seal(self):
        # NIST CAVP gcmEncryptExtIV256, as in McGrew and Viega's test case 16 with 96-bit nonce; the vault's own nonce is zero,
        # so the vector's is put in its place, and so are its key and its associated data
        key = bytes.fromhex("feffe9928665731c6d6a8f9467308308feffe9928665731c6d6a8f9467308308")
        nonce = bytes.fromhex("cafebabefacedbaddecaf888")
        plain = bytes.fromhex(
            "d9313225f88406e5a55909c5aff5269a86a7a9531534f7da2e4c303d8a318a721c3c0c95956809532fcf0e2449a6b525b16aedf5aa0de657ba637b39"
        )
        data = bytes.fromhex("feedfacedeadbeeffeedfacedeadbeefabaddad2")
        sealed = (
            "522dc1f099567d07f47f37a32a84427d643a8cdcbfe5c0c97598a2bd2555d1aa8cb08e48590dbb3da7b08b1056828838c5f61e6393ba7a0abcc9f662"
            "76fc6ece0f4e1768cddf8853bb2d551b"
        )
        with mock.patch.object(sealing, "_NONCE", nonce), mock.patch.object(sealing, "AESGCM", lambda derived: AESGCM(key)):
            self.assertEqual(seal(KEYS, data, plain)[16:].hex(), sealed)
            self.assertEqual(unseal(KEYS, data, bytes(16) + bytes.fromhex(sealed)), plain)

    def test_printing_the_keys_shows_none_of_them(self):
        for secret in (KEYS.master, KEYS.ids, KEYS.seals, KEYS.salts, KEYS.header):
            self.assertNotIn(secret.hex(), repr(KEYS) + str(KEYS))
        self.assertNotIn("m" * 8, repr(KEYS))

    def test_derived_keys_differ_from_each_other_and_between_stores(self):
        other = Keys(id=b"v" * 16, master=KEYS.master)
        entries = [getattr(keys, name) for keys in (KEYS, other) for name in ("ids", "salts", "seals", "header")]
        self.assertEqual(len(set(entries)), 8)


class SealsAreBoundToTheirPlace(TestCase):
    def test_what_was_sealed_opens_only_in_its_place(self):
        store = b"s" * 16
        places = [
            chunk_place(b"a" * 16), chunk_place(b"b" * 16), shared_place("manifests/aa"), shared_place("manifests/bb"),
            local_place(store, "marks/aa"), local_place(b"t" * 16, "marks/aa"), local_place(store, "damage/aa"),
        ]  # fmt: skip
        for place in places:
            sealed = seal(KEYS, place, b"content")
            self.assertEqual(unseal(KEYS, place, sealed), b"content")
            for other in places:
                if other != place:
                    with self.assertRaises(Damaged):
                        unseal(KEYS, other, sealed)

    def test_every_flipped_bit_is_found(self):
        sealed = seal(KEYS, shared_place("manifests/aa"), b"content")
        for at in range(len(sealed) * 8):
            flipped = bytearray(sealed)
            flipped[at // 8] ^= 1 << at % 8
            with self.assertRaises(Damaged):
                unseal(KEYS, shared_place("manifests/aa"), bytes(flipped))

    def test_every_shortened_or_lengthened_seal_is_found(self):
        sealed = seal(KEYS, chunk_place(bytes(16)), b"content")
        for wrong in [sealed[:length] for length in range(len(sealed))] + [sealed + b"\0", b"\0" + sealed]:
            with self.assertRaises(Damaged):
                unseal(KEYS, chunk_place(bytes(16)), wrong)

    def test_no_key_meets_two_messages(self):
        """The zero nonce is safe as long as each key of AES serves one message only: watched while much is sealed."""
        seen: dict[bytes, tuple[bytes, bytes]] = {}

        class Watched:
            def __init__(self, key: bytes) -> None:
                self._key = key

            def encrypt(self, nonce: bytes, plain: bytes, data: bytes) -> bytes:
                self_message = (plain, data)
                if seen.setdefault(self._key, self_message) != self_message:
                    raise AssertionError("a key met a second message")
                return AESGCM(self._key).encrypt(nonce, plain, data)

        source = random.Random(4)
        with mock.patch.object(sealing, "AESGCM", Watched):
            for number in range(3000):
                plain = source.choice([b"", b"same", source.randbytes(number % 50)])
                place = source.choice([chunk_place(source.randbytes(16)), chunk_place(bytes(16)), shared_place("manifests/aa")])
                seal(KEYS, place, plain)
        self.assertGreater(len(seen), 1000)

    def test_sealing_the_same_again_gives_the_same_bytes(self):
        self.assertEqual(seal(KEYS, chunk_place(bytes(16)), b"x"), seal(KEYS, chunk_place(bytes(16)), b"x"))

    def test_the_same_content_has_unrelated_ids_in_two_stores(self):
        other = Keys(id=b"v" * 16, master=b"n" * 32)
        self.assertNotEqual(KEYS.chunk_id(b"same"), other.chunk_id(b"same"))
        self.assertNotEqual(KEYS.chunk_id(b"same"), blake3(b"same").digest(length=16))


class RecoveryCodes(TestCase):
    code = new_code(random.Random(3).randbytes)

    def test_has_six_groups_of_five_without_look_alikes(self):
        self.assertRegex(self.code, r"^([2-9A-HJKMNP-Z]{5}-){5}[2-9A-HJKMNP-Z]{5}$")
        self.assertFalse(set("01ILO") & set(ALPHABET))
        self.assertEqual(len(set(ALPHABET)), 31)

    def test_is_read_however_it_is_typed(self):
        spaced = " ".join(self.code.lower().split("-"))
        self.assertEqual(secret_of(spaced), secret_of(self.code))
        self.assertTrue(looks_like_code(spaced))
        self.assertFalse(looks_like_code(PASSPHRASE))

    def test_every_single_mistake_is_noticed(self):
        bare = self.code.replace("-", "")
        for at in range(30):
            for letter in ALPHABET:
                if letter != bare[at]:
                    with self.assertRaises(BadInput):
                        secret_of(bare[:at] + letter + bare[at + 1 :])

    def test_every_pair_that_changed_places_is_noticed(self):
        bare = self.code.replace("-", "")
        for one in range(30):
            for other in range(one + 1, 30):
                letters = list(bare)
                letters[one], letters[other] = letters[other], letters[one]
                if letters != list(bare):
                    with self.assertRaises(BadInput):
                        secret_of("".join(letters))

    @settings(max_examples=400, deadline=None)
    @given(st.integers(0, 29), st.integers(0, 29), st.sampled_from(ALPHABET), st.sampled_from(ALPHABET))
    def test_any_two_mistakes_are_noticed(self, one, other, letter, another):
        letters = list(self.code.replace("-", ""))
        before = list(letters)
        letters[one], letters[other] = letter, another
        if letters != before:
            with self.assertRaises(BadInput):
                secret_of("".join(letters))

    def test_a_mistake_is_explained_without_repeating_the_code(self):
        bare = self.code.replace("-", "")
        for wrong, says in ((bare[:-1], "29"), ("0" + bare[1:], "Place 1 "), (bare[1:] + bare[0], "mistyped")):
            with self.assertRaises(BadInput) as caught:
                secret_of(wrong)
            self.assertIn(says, str(caught.exception))
            self.assertNotIn(bare[5:15], str(caught.exception))

    def test_symbols_are_drawn_evenly(self):
        source = random.Random(8)
        counts = dict.fromkeys(ALPHABET, 0)
        for _ in range(600):
            for letter in new_code(source.randbytes).replace("-", "")[:28]:
                counts[letter] += 1
        # chi-squared of 31 cells, 30 degrees of freedom: 59.7 is its 99.9th percentile (handbook tables)
        expected = 600 * 28 / 31
        self.assertLess(sum((count - expected) ** 2 / expected for count in counts.values()), 59.7)


class CutsAndFrames(TestCase):
    def test_joined_chunks_are_the_content_and_the_same_whatever_the_pieces(self):
        content = random.Random(9).randbytes(7_000_000)
        whole = [bytes(chunk) for chunk in Cutter(5).cut([content])]
        for step in (1_000, 65_536, 1 << 20, 5_000_000):
            pieces = [content[at : at + step] for at in range(0, len(content), step)]
            self.assertEqual([bytes(chunk) for chunk in Cutter(5).cut(pieces)], whole)
        self.assertEqual(b"".join(whole), content)
        self.assertLessEqual(max(map(len, whole)), MAX_CHUNK_BYTES)
        self.assertGreater(len(whole), 10)

    def test_the_compiled_kernel_is_in_use(self):
        from pyfastcdc import FastCDC

        self.assertEqual(FastCDC.__module__, "pyfastcdc.cy.fastcdc")

    def test_an_insertion_moves_only_the_chunks_around_it(self):
        content = random.Random(3).randbytes(4_000_000)
        before = {bytes(chunk) for chunk in Cutter(5).cut([content])}
        after = [bytes(chunk) for chunk in Cutter(5).cut([content[:2_000_000] + b"inserted" + content[2_000_000:]])]
        self.assertLessEqual(sum(chunk not in before for chunk in after), 3)

    def test_edges_differ_between_stores(self):
        content = random.Random(3).randbytes(4_000_000)
        self.assertNotEqual([len(chunk) for chunk in Cutter(5).cut([content])], [len(chunk) for chunk in Cutter(6).cut([content])])

    def test_a_database_is_cut_at_fixed_pages_whatever_the_pieces(self):
        content = b"SQLite format 3\x00" + random.Random(1).randbytes(9_000_000)
        expected = [PAGED_CHUNK_BYTES] * (len(content) // PAGED_CHUNK_BYTES) + [len(content) % PAGED_CHUNK_BYTES]
        for step in (7, 1 << 20, len(content)):
            step = max(step, 5_000)
            pieces = [content[at : at + step] for at in range(0, len(content), step)]
            self.assertEqual([len(chunk) for chunk in Cutter(5).cut(pieces)], expected)

    def test_nothing_gives_no_chunk(self):
        self.assertEqual(list(Cutter(5).cut([])), [])
        self.assertEqual(list(Cutter(5).cut([b"", b""])), [])

    def test_what_does_not_shrink_is_kept_raw(self):
        noise = random.Random(1).randbytes(10_000)
        self.assertEqual(framed(noise), b"\x00" + noise)
        self.assertLess(len(framed(bytes(10_000))), 100)
        for content in (noise, bytes(10_000), b""):
            self.assertEqual(unframed(framed(content)), content)

    def test_frames_that_lie_are_refused(self):
        import zstandard

        bomb = zstandard.ZstdCompressor(level=1).compress(bytes(17 * 1024 * 1024))
        without_size = zstandard.ZstdCompressor(write_content_size=False).compress(b"x" * 100)
        for frame in (b"", b"\x02abc", b"\x01abc", b"\x01" + bomb, b"\x01" + without_size, framed(bytes(10_000))[:-3]):
            with self.subTest(frame=frame[:8]), self.assertRaises(Damaged):
                unframed(frame)


class Passphrases(TestCase):
    def test_new_ones_are_long_and_typed_twice(self):
        for passphrase, repeated, field in (("short", "short", "passphrase"), (PASSPHRASE, "other", "passphrase_again")):
            with self.assertRaises(BadInput) as caught:
                check_new_passphrase(passphrase, repeated)
            self.assertEqual(caught.exception.field, field)
        self.assertIsNone(check_new_passphrase(PASSPHRASE, PASSPHRASE))

    def test_the_default_cost_lies_between_floor_and_ceiling(self):
        self.assertTrue(StretchCost().within(keys_module.LOWEST_COST, keys_module.HIGHEST_COST))
        self.assertFalse(CHEAP.within(keys_module.LOWEST_COST, keys_module.HIGHEST_COST))
