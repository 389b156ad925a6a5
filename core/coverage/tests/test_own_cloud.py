from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.content.errors import DeviceLied
from core.content.own_cloud import OwnCloud, OwnCloudState, announced_own_cloud
from core.coverage.own_cloud import OwnStanding, believed, percent_used, standing_of

NOW = datetime(2026, 3, 2, 8, tzinfo=UTC)
GIB = 1 << 30
TOLD = {
    "state": "on", "service": "Harbourlight backup", "account": "ansa@harbourlight.example", "last_success": "2026-03-02T02:10:00+01:00",
    "used_bytes": 2 * GIB, "allowed_bytes": 5 * GIB, "kinds": [{"kind": "photos", "bytes": GIB}, {"kind": "games", "bytes": 7}],
    "devices": [{"name": "Orlo P4", "bytes": GIB}],
}  # fmt: skip


class WhatADeviceTells(TestCase):
    def test_it_is_read_as_it_is(self):
        cloud = announced_own_cloud(TOLD)
        assert cloud is not None
        self.assertEqual((cloud.state, cloud.account, cloud.used_bytes), (OwnCloudState.ON, "ansa@harbourlight.example", 2 * GIB))
        self.assertEqual(cloud.last_success, datetime(2026, 3, 2, 1, 10, tzinfo=UTC))
        self.assertEqual([(one.name, one.size_bytes) for one in cloud.kinds], [("photos", GIB), ("other", 7)])
        self.assertEqual([one.name for one in cloud.devices], ["Orlo P4"])

    def test_none_is_none_and_what_is_left_out_is_not_known(self):
        self.assertIsNone(announced_own_cloud(None))
        cloud = announced_own_cloud({"state": "off_by_policy"})
        assert cloud is not None
        self.assertEqual((cloud.service, cloud.last_success, cloud.used_bytes, cloud.kinds), ("", None, None, ()))

    def test_what_no_honest_device_tells_is_refused(self):
        for changes in (
            {"state": "maybe"}, {"state": None}, {"used_bytes": -1}, {"used_bytes": True}, {"used_bytes": 1 << 60}, {"used_bytes": 1.5},
            {"allowed_bytes": "5 GB"}, {"last_success": "yesterday"}, {"last_success": 5}, {"last_success": "2026-03-02T02:10:00"},
            {"kinds": "photos"}, {"kinds": [7]}, {"kinds": [{"kind": "photos", "bytes": -1}]}, {"devices": [{"name": "x", "bytes": 1}] * 101},
        ):  # fmt: skip
            with self.assertRaises(DeviceLied, msg=str(changes)):
                announced_own_cloud(TOLD | changes)
        for case in ([], "on", 7):
            with self.assertRaises(DeviceLied):
                announced_own_cloud(case)

    def test_names_are_shown_without_control_characters_and_cut(self):
        cloud = announced_own_cloud(TOLD | {"account": "a\x00b\u202e" + "x" * 500, "devices": [{"name": "", "bytes": 1}]})
        assert cloud is not None
        self.assertEqual((cloud.account[:2], len(cloud.account), cloud.devices[0].name), ("ab", 120, "(no name)"))


class AsAPlanWantsIt(TestCase):
    def of(self, **changes: object) -> OwnStanding:
        cloud = announced_own_cloud(TOLD)
        assert cloud is not None
        return standing_of(replace(cloud, **changes), within=timedelta(days=3), now=NOW)  # type: ignore[arg-type]

    def test_each_standing(self):
        for changes, standing in (
            ({}, OwnStanding.ON_TIME),
            ({"state": OwnCloudState.OFF}, OwnStanding.OFF),
            ({"state": OwnCloudState.OFF_BY_POLICY}, OwnStanding.OFF_BY_POLICY),
            ({"last_success": NOW - timedelta(days=3)}, OwnStanding.ON_TIME),
            ({"last_success": NOW - timedelta(days=3, seconds=1)}, OwnStanding.LATE),
            ({"last_success": None}, OwnStanding.LATE),
            ({"last_success": NOW + timedelta(days=2)}, OwnStanding.LATE),
            ({"used_bytes": 45 * GIB // 10}, OwnStanding.NEARLY_FULL),
            ({"used_bytes": 45 * GIB // 10 - 1}, OwnStanding.ON_TIME),
            ({"used_bytes": 5 * GIB}, OwnStanding.FULL),
            ({"used_bytes": 6 * GIB, "last_success": None}, OwnStanding.FULL),
            ({"allowed_bytes": None, "used_bytes": 90 * GIB}, OwnStanding.ON_TIME),
            ({"allowed_bytes": 0}, OwnStanding.ON_TIME),
        ):
            self.assertEqual(self.of(**changes), standing, changes)
        self.assertEqual(standing_of(None, within=timedelta(days=3), now=NOW), OwnStanding.UNTOLD)

    def test_a_share_of_an_account_and_a_time_that_lies_ahead(self):
        cloud = OwnCloud(
            state=OwnCloudState.ON, service="", account="", last_success=NOW + timedelta(hours=25), used_bytes=1, allowed_bytes=3
        )
        self.assertEqual((percent_used(cloud), believed(cloud, now=NOW)), (33, cloud.last_success))
        self.assertIsNone(believed(replace(cloud, last_success=NOW + timedelta(hours=27)), now=NOW))

    def test_an_account_that_fills_is_an_incident_whatever_the_plan_wants(self):
        cloud = announced_own_cloud(TOLD)
        assert cloud is not None
        for within, changes, soon, standing in (
            (timedelta(days=3), {}, True, OwnStanding.FILLING),
            (None, {}, True, OwnStanding.FILLING),
            (None, {}, False, OwnStanding.ON_TIME),
            (None, {"used_bytes": 5 * GIB}, False, OwnStanding.FULL),
            (None, {"used_bytes": 4.9 * GIB}, False, OwnStanding.ON_TIME),
            (None, {"state": OwnCloudState.OFF, "used_bytes": 5 * GIB}, True, OwnStanding.ON_TIME),
            (None, {"last_success": None}, False, OwnStanding.ON_TIME),
        ):
            stands = standing_of(replace(cloud, **changes), within=within, now=NOW, fills_soon=soon)  # type: ignore[arg-type]
            self.assertEqual(stands, standing, (within, changes, soon))
        self.assertEqual(standing_of(None, within=None, now=NOW), OwnStanding.ON_TIME)
