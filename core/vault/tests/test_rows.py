"""Whether what a device tells of an item today is what the backup before says of it, word for word."""

from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from core.content.items import Item
from core.vault.inventory import _unchanged
from core.vault.manifests import row_of
from core.vault.tests.bench_of_one import START

ITEM = Item(kind="documents", id="a", name="A", size_bytes=5, modified=START, tag="t", attributes={"mode": 0o644})


class Rows(TestCase):
    def test_every_field_counts(self):
        self.assertTrue(_unchanged(row_of(ITEM), ITEM))
        for fields in (
            {"id": "b"}, {"name": "B"}, {"size_bytes": 6}, {"tag": "u"}, {"attributes": None}, {"attributes": {"mode": 0o600}},
            {"modified": START + timedelta(microseconds=1)},
        ):  # fmt: skip
            self.assertFalse(_unchanged(row_of(ITEM), replace(ITEM, **fields)), fields)
