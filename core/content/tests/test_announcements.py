"""What a device tells of its accounts and of its own cloud backup: read as the protocol says it, and refused as a lie else."""

from datetime import UTC, datetime
from typing import Any
from unittest import TestCase

from core.content.accounts import MAX_ACCOUNTS, Account, announced_accounts
from core.content.errors import DeviceLied
from core.content.own_cloud import MOST_BYTES, MOST_CHARACTERS, MOST_PARTS, OwnCloud, OwnCloudPart, OwnCloudState, announced_own_cloud

AT = datetime(2026, 3, 2, 21, tzinfo=UTC)
OF_NO_KIND: tuple[object, ...] = (5, True, "5", [], {}, 1.5)


class OwnClouds(TestCase):
    def lies(self, **told: Any) -> None:
        with self.assertRaises(DeviceLied, msg=told):
            announced_own_cloud({"state": "on"} | told)

    def read(self, **told: Any) -> OwnCloud:
        read = announced_own_cloud({"state": "on"} | told)
        assert read is not None
        return read

    def test_none_is_none_and_all_of_it_is_read(self):
        self.assertIsNone(announced_own_cloud(None))
        parts = {"kinds": [{"kind": "photos", "bytes": 3}, {"kind": "odd", "bytes": None}], "devices": [{"name": " ", "bytes": 0}]}
        numbers = {"last_success": "2026-03-02T22:00:00+01:00", "used_bytes": 0, "allowed_bytes": MOST_BYTES}
        self.assertEqual(
            self.read(service="Nimbus\x07", account="a" * (MOST_CHARACTERS + 1), **parts, **numbers),
            OwnCloud(
                state=OwnCloudState.ON, service="Nimbus", account="a" * MOST_CHARACTERS, last_success=AT, used_bytes=0,
                allowed_bytes=MOST_BYTES, kinds=(OwnCloudPart(name="photos", size_bytes=3), OwnCloudPart(name="other", size_bytes=0)),
                devices=(OwnCloudPart(name="(no name)", size_bytes=0),),
            ),
        )  # fmt: skip

    def test_what_it_does_not_tell_is_left_open(self):
        for told in ({}, {"last_success": "", "service": 7, "account": "  ", "used_bytes": None, "kinds": None}):
            read = self.read(**told)
            self.assertEqual((read.service, read.account, read.last_success, read.used_bytes, read.kinds), ("", "", None, None, ()))

    def test_what_the_protocol_does_not_say_is_a_lie(self):
        for told in (*OF_NO_KIND, {"state": "perhaps"}, {"state": []}, {"state": None}):
            with self.assertRaises(DeviceLied, msg=told):
                announced_own_cloud(told)
        for size in (-1, MOST_BYTES + 1, True, "5", 1.0, []):
            self.lies(used_bytes=size)
            self.lies(devices=[{"name": "d", "bytes": size}])
        for moment in ("soon", 5, "2026-03-02T22:00:00", "0001-01-01T00:00:00+14:00", []):
            self.lies(last_success=moment)
        for parts in ({}, "x", 5, [1], [{"name": "d"}, None]):
            self.lies(devices=parts)

    def test_as_many_parts_as_the_protocol_allows(self):
        parts = [{"name": f"d{number}", "bytes": 1} for number in range(MOST_PARTS + 1)]
        self.assertEqual(len(self.read(devices=parts[:-1]).devices), MOST_PARTS)
        self.lies(devices=parts)


class Accounts(TestCase):
    def test_of_our_kinds_all_of_it_is_read(self):
        told = [
            {"kind": "photos", "service": "Nimbus\x07", "default": True, "last_sync": "2026-03-02T22:00:00+01:00", "off_by_policy": True},
            {"kind": "contacts", "service": "s" * 101, "default": 1, "last_sync": "", "off_by_policy": "yes"},
            {"kind": "none of ours"}, {"kind": []}, {},
        ]  # fmt: skip
        photos, contacts = announced_accounts(told)
        self.assertEqual(photos, Account(kind="photos", service="Nimbus", is_default=True, last_sync=AT, off_by_policy=True))
        self.assertEqual(contacts, Account(kind="contacts", service="s" * 100, is_default=False, last_sync=None, off_by_policy=False))

    def test_one_keeps_its_kind_when_it_has_and_may(self):
        for last_sync, off, keeps in ((AT, False, True), (AT, True, False), (None, False, False), (None, True, False)):
            account = Account(kind="photos", service="s", is_default=True, last_sync=last_sync, off_by_policy=off)
            self.assertIs(account.keeps, keeps)

    def test_what_is_no_list_of_them_is_a_lie(self):
        one = {"kind": "photos"}
        self.assertEqual(len(announced_accounts([one] * MAX_ACCOUNTS)), MAX_ACCOUNTS)
        for told in (*(one for one in OF_NO_KIND if one != []), None, [one] * (MAX_ACCOUNTS + 1), [one, 5], [one | {"last_sync": "soon"}]):
            with self.assertRaises(DeviceLied, msg=str(told)[:50]):
                announced_accounts(told)
