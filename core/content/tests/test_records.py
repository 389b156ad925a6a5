"""Texts in records: what stands there, and nothing that only looks like it."""

from unittest import TestCase

from core.content.records import UnreadableRecord, record, rows, text, texts


class Texts(TestCase):
    def test_of_anything(self):
        for value, said in ((True, "yes"), (False, "no"), (0, "0"), (1.5, "1.5"), ("x", "x"), (None, ""), ([], ""), ({"a": 1}, "")):
            self.assertEqual(text(value), said)

    def test_in_a_list_or_alone(self):
        self.assertEqual(texts(["a", "", None, 2, False]), ["a", "2", "no"])
        self.assertEqual((texts("a"), texts(None)), (["a"], []))
        self.assertEqual(rows([{"a": 1}, "x", None, {}]), [{"a": 1}, {}])
        self.assertEqual(rows("x"), [])

    def test_what_is_no_record_is_named(self):
        self.assertEqual(record(b'{"a": 1}'), {"a": 1})
        for content in (b"[]", b"x", b"\xff", b"[" * 100_000, b'"' + b"a" * (8 << 20) + b'"'):
            with self.assertRaises(UnreadableRecord):
                record(content)
