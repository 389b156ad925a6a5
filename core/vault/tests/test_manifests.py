"""Bytes that no writer makes: manifests, branches, index objects."""

import json
from unittest import TestCase

from core.vault.errors import BlobExists, Damaged
from core.vault.manifests import decode_manifest, decode_rows, encode_manifest, parted_branch
from core.vault.memory import MemoryBlobs
from core.vault.packs import decode_index
from core.vault.tests.bench_of_one import Bench, MemoryDevice, phone


class BytesThatNoWriterMakes(TestCase):
    def test_manifests_that_no_writer_makes_are_damaged(self):
        bench = Bench()
        document = json.loads(encode_manifest(bench.capture(MemoryDevice(phone())).manifest))
        self.assertEqual(
            encode_manifest(decode_manifest(json.dumps(document).encode(), id=bytes(16))),
            json.dumps(document, separators=(",", ":"), ensure_ascii=False).encode(),
        )
        kind = document["kinds"][0]
        for wrong in (
            {"version": 3}, {"kinds": [kind | {"depth": 10**9}]}, {"kinds": [kind | {"depth": -1}]}, {"kinds": [kind | {"tops": "abc"}]},
            {"kinds": [kind | {"tops": "ab"}]}, {"finished_at": "yesterday"}, {"kinds": 5}, {"sealed": "zz"},
        ):  # fmt: skip
            with self.subTest(wrong=wrong), self.assertRaises(Damaged):
                decode_manifest(json.dumps(document | wrong).encode(), id=bytes(16))
        for content in (b"", b"[]", b"null", b"{}", b"[" * 100_000):
            with self.assertRaises(Damaged):
                decode_manifest(content, id=bytes(16))

    def test_fields_that_this_version_does_not_know_survive(self):
        content = json.loads(encode_manifest(Bench().capture(MemoryDevice(phone())).manifest)) | {"colour": "green"}
        again = decode_manifest(json.dumps(content).encode(), id=bytes(16))
        self.assertEqual(json.loads(encode_manifest(again))["colour"], "green")

    def test_branches_that_no_writer_makes_are_damaged(self):
        for chunks, items in (
            (b"", b"["), (b"", b"[[1]]"), (b"", b"5"), (b"", b'[["a",null,1,1,"t",[0,0,1],null]]'), (b"x" * 15, b'[["a",null,1,1,"t",[0,0,1],null]]'),
            (b"x" * 16, b'[["a",null,1,1,"t",[7,0,1],null]]'), (b"x" * 16, b'[["a",null,1,1,"t",5,null]]'), (b"", b'{"a": 1}'),
        ):  # fmt: skip
            with self.subTest(items=items), self.assertRaises(Damaged):
                decode_rows(chunks, items)
        for content in (b"", b"\x00\x00\x00\x02" + bytes(20)):
            with self.assertRaises(Damaged):
                parted_branch(content)

    def test_memory_blobs_never_overwrite(self):
        blobs = MemoryBlobs()
        blobs.create("a", b"1")
        with self.assertRaises(BlobExists):
            blobs.create("a", b"2")

    def test_an_index_object_that_ends_early_is_damaged(self):
        for content in (b"short", bytes(16) + b"\x00\x00\x00\x09" + bytes(24)):
            with self.assertRaises(Damaged):
                list(decode_index(content))
