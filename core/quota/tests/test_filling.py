"""What fills a device, against the store's chunks counted one by one, and against what a removal really gives back."""

import json
import random
from collections import defaultdict
from datetime import timedelta
from unittest import TestCase, mock

from core.content.scope import Exclusion
from core.quota.conversations import by_conversation
from core.quota.filling import Filling
from core.vault.accounting import Accounts
from core.vault.errors import Damaged, NoSuchBackup
from core.vault.fetching import fetch
from core.vault.tests.bench_of_one import Bench, MemoryDevice
from core.vault.vault import Vault


def noise(seed: object, size: int) -> bytes:
    return random.Random(str(seed)).randbytes(size)


class ADevice(TestCase):
    """A year of a device: a video that went in May, a document that changes, photos in folders, and a second device with one of them."""

    def setUp(self) -> None:
        self.bench = Bench()
        content = {("photos", f"Camera/2026-0{n % 3 + 1}/{n}.jpg"): noise(n, 40_000) for n in range(9)}
        content |= {("contacts", f"c{n}"): json.dumps({"display": f"Person {n}"}).encode() for n in range(20)}
        content["videos", "Clips/regatta.mp4"] = noise("regatta", 300_000)
        content["documents", "plans/tide.pdf"] = noise("tide 0", 120_000)
        self.device = MemoryDevice(content)
        self.taken = [self.bench.capture(self.device).manifest]
        self.later(days=20)
        content["photos", "Scans/map.jpg"] = noise("map", 90_000)
        content["documents", "plans/tide.pdf"] = noise("tide 1", 120_000)
        self.later(days=20)
        del content["videos", "Clips/regatta.mp4"]
        self.later(days=20)
        shared = {("photos", "0.jpg"): noise(0, 40_000)}
        self.other = self.bench.capture(MemoryDevice(shared), of="d2").manifest

    def later(self, *, days: int) -> None:
        self.bench.now += timedelta(days=days)
        self.taken.append(self.bench.capture(self.device, self.taken[-1]).manifest)

    def filling(self, without: tuple[bytes, ...] = ()) -> Filling:
        self.accounts = Accounts(self.bench.again())
        mine = [one for one in self.accounts.manifests if one.device == "d1" and one.id not in without]
        return Filling(self.bench_vault(), self.accounts, mine)

    def bench_vault(self):
        self.vault = self.bench.again()
        self.vault.refresh()
        return self.vault

    def chunks(self) -> tuple[dict[tuple[str, str], set[bytes]], dict[bytes, set[object]], dict[bytes, int]]:
        """Item of d1 → its chunks; chunk → who needs it, of whatever device; sizes."""
        of_item: dict[tuple[str, str], set[bytes]] = defaultdict(set)
        needed_by: dict[bytes, set[object]] = defaultdict(set)
        for manifest in self.vault.manifests():
            for summary in manifest.kinds:
                for stored in self.vault.items(manifest, summary.kind):
                    who = (manifest.device, summary.kind, stored.item.id)
                    for span in stored.spans:
                        needed_by[span.chunk].add(who)
                        if manifest.device == "d1":
                            of_item[summary.kind, stored.item.id].add(span.chunk)
        return of_item, needed_by, {chunk: self.vault.index.place(chunk).sealed_bytes for chunk in needed_by}


class Items(ADevice):
    def test_the_largest_of_now_are_told_by_their_size_on_the_device_and_by_what_they_alone_need(self):
        filling = self.filling().largest(3)
        self.assertEqual(
            [(one.item.name, one.item.size_bytes, one.backups, one.now) for one in filling],
            [
                ("plans/tide.pdf", 120_000, 4, True),
                ("Scans/map.jpg", 90_000, 2, True),
                ("Camera/2026-01/0.jpg", 40_000, 4, True),
            ],
        )
        of_item, needed_by, sizes = self.chunks()
        for one in self.filling().largest(100):
            mine = of_item[one.item.kind, one.item.id]
            alone = sum(sizes[chunk] for chunk in mine if len(needed_by[chunk]) == 1)
            self.assertEqual(one.own_bytes, alone, one.item.name)
        self.assertEqual(filling[2].own_bytes, 0, "the other device holds the same photo")
        self.assertGreater(filling[0].own_bytes, 240_000, "both versions of it")

    def test_what_only_old_backups_hold_is_named_with_the_last_that_holds_it(self):
        filling = self.filling().only_old(10)
        self.assertEqual(
            [(one.item.name, one.backups, one.now, one.last_backup) for one in filling],
            [
                ("Clips/regatta.mp4", 3, False, self.taken[2].id),
                ("plans/tide.pdf", 4, True, self.taken[-1].id),
            ],
        )
        self.assertEqual(filling[0].first_at, self.taken[0].finished_at)
        self.assertEqual(filling[0].own_bytes, filling[0].old_bytes)
        self.assertLess(filling[1].old_bytes, filling[1].own_bytes)

    def test_together_that_is_what_nothing_needs_any_more_without_them(self):
        filling = self.filling()
        old = [one.id for one in self.taken[:-1]]
        self.assertEqual(filling.only_old_bytes, self.accounts.alone_bytes(old))
        apart = sum(one.old_bytes for one in filling.only_old(1000))
        self.assertEqual(filling.only_old_apart_bytes, apart)
        self.assertLess(0, filling.only_old_bytes - apart)
        self.assertEqual(filling.only_old_items, 2)

    def test_what_is_gone_here_and_lies_on_another_device_is_not_only_old(self):
        del self.device.content["photos", "Camera/2026-01/0.jpg"]
        self.later(days=1)
        self.assertNotIn("Camera/2026-01/0.jpg", [one.item.name for one in self.filling().only_old(1000)])
        self.assertEqual(self.filling().only_old_bytes, self.accounts.alone_bytes([one.id for one in self.taken[:-1]]))

    def test_an_item_is_told_as_the_newest_backup_has_it(self):
        self.device.content["documents", "plans/tide.pdf"] = noise("tide 2", 500_000)
        self.later(days=1)
        self.assertEqual(self.filling().largest(1)[0].item.size_bytes, 500_000)

    def test_backups_that_leave_already_are_none_of_it(self):
        filling = self.filling(without=tuple(one.id for one in self.taken[:3]))
        self.assertEqual([filling.only_old_bytes, filling.only_old(10)], [0, []])
        self.assertNotIn("Clips/regatta.mp4", [one.item.name for one in filling.largest(1000)])

    def test_without_a_backup_it_is_refused(self):
        self.filling()
        with self.assertRaisesRegex(NoSuchBackup, "no backup of this device"):
            Filling(self.vault, self.accounts, [])

    def test_a_list_that_cannot_be_read_is_counted_and_the_rest_told(self):
        filling = self.filling()
        branch = next(iter(self.accounts.needs.kinds[self.taken[-1].id]["contacts"]))
        self.accounts.needs.branches.pop(branch)
        self.accounts.needs.damaged[branch] = "gone"
        less = Filling(self.vault, self.accounts, filling.backups)
        self.assertEqual([filling.unread, less.unread], [0, 4])
        self.assertEqual([one.item.name for one in less.largest(3)], [one.item.name for one in filling.largest(3)])
        self.accounts.needs.branches[branch] = self.accounts.needs.branches[
            next(iter(self.accounts.needs.kinds[self.taken[-1].id]["photos"]))
        ]
        gone = Damaged("gone")
        unread = mock.Mock(side_effect=lambda vault, chunks: ((chunk, gone) for chunk, _ in fetch(vault, chunks)))
        for broken in (mock.patch("core.quota.filling.fetch", unread), mock.patch.object(Vault, "items_in", side_effect=gone)):
            with broken:
                self.assertGreater(Filling(self.vault, self.accounts, filling.backups).unread, 4)


class FoldersAndKinds(ADevice):
    def test_folders_are_those_of_now_the_largest_first_and_none_twice(self):
        self.assertEqual(
            [(one.kind, one.under, one.items, one.size_bytes) for one in self.filling().folders(10)],
            [
                ("photos", "Camera", 9, 360_000),
                ("documents", "plans", 1, 120_000),
                *(("photos", f"Camera/2026-0{n}", 3, 120_000) for n in (1, 2, 3)),
                ("photos", "Scans", 1, 90_000),
            ],
        )

    def test_a_folder_that_holds_one_folder_only_is_told_by_that(self):
        self.device.content = {("photos", f"DCIM/Camera/{n}.jpg"): noise(n, 2000) for n in range(3)}
        self.later(days=1)
        self.assertEqual([one.under for one in self.filling().folders(10)], ["DCIM/Camera"])

    def test_growth_is_since_about_thirty_days_before_the_newest(self):
        by_key = {one.kind: (one.grown_bytes, one.since) for one in self.filling().growth()}
        self.assertEqual(by_key["photos"], (90_000, self.taken[1].finished_at))
        self.assertEqual(by_key["documents"], (0, self.taken[1].finished_at))
        self.assertEqual(self.filling().growth()[0].kind, "photos")

    def test_too_little_history_is_said(self):
        self.bench.now += timedelta(days=1)
        newest = self.bench.capture(MemoryDevice({("photos", "a"): b"a"}), of="d3").manifest
        self.filling()
        growth = Filling(self.vault, self.accounts, [newest]).growth()
        self.assertEqual([(one.grown_bytes, one.since) for one in growth], [(None, None)])


class LeavingOut(ADevice):
    def test_what_it_means_for_a_folder(self):
        effect = self.filling().left_out(Exclusion(kind="photos", under="camera"))
        self.assertEqual([effect.items, effect.size_bytes, effect.backups], [9, 360_000, 4])
        self.assertEqual(effect.last_at, self.taken[-1].finished_at)
        of_item, needed_by, sizes = self.chunks()
        mine = {("d1", *key) for key in of_item if key[0] == "photos" and key[1].startswith("Camera/")}
        self.assertEqual(effect.freed_bytes, sum(sizes[chunk] for chunk, who in needed_by.items() if who <= mine))

    def test_what_something_else_holds_too_is_not_freed(self):
        before = self.filling().left_out(Exclusion(kind="photos", under="Camera/2026-02")).freed_bytes
        self.device.content["photos", "Scans/again.jpg"] = noise(1, 40_000)
        self.later(days=1)
        after = self.filling().left_out(Exclusion(kind="photos", under="Camera/2026-02")).freed_bytes
        self.assertTrue(40_000 <= before - after < 41_000, before - after)

    def test_what_is_gone_already_is_still_counted_where_it_lies(self):
        effect = self.filling().left_out(Exclusion(kind="videos", under="Clips"))
        self.assertEqual([effect.items, effect.size_bytes, effect.backups, effect.last_at], [0, 0, 3, self.taken[2].finished_at])
        self.assertGreater(effect.freed_bytes, 300_000)

    def test_nothing_that_fits_is_nothing(self):
        effect = self.filling().left_out(Exclusion(kind="videos", under="Nowhere"))
        self.assertEqual([effect.items, effect.backups, effect.last_at, effect.freed_bytes], [0, 0, None, 0])


class Conversations(TestCase):
    def told(self, content: dict[tuple[str, str], bytes], lost: str = "", **limits: int):
        bench = Bench()
        manifest = bench.capture(MemoryDevice(content)).manifest
        vault = bench.again()
        vault.refresh()
        if lost:
            tops, whole = manifest.summary(lost).tops, vault.open_chunk

            def cut(chunk: bytes, sealed: bytes | memoryview) -> bytes:
                return whole(chunk, sealed if chunk not in tops else sealed[:-1])

            vault.open_chunk = cut
        conversation = by_conversation(vault, manifest, **limits)
        return [(one.id, one.name, one.attachments, one.size_bytes) for one in conversation.lines], conversation.unread

    def talk(self, *attachments: object, people: object = ("Jun Sato",)) -> bytes:
        messages: list[object] = [{"text": "look", "attachments": [one]} for one in attachments]
        return json.dumps({"with": people, "messages": [*messages, "no message", {"attachments": "no list"}]}).encode()

    def test_each_attachment_stands_once_with_the_first_that_names_it(self):
        content = {("attachments", f"a{n}"): bytes(100 * (n + 1)) for n in range(5)}
        content["messages", "t1"] = self.talk("a0", "a1", "a1", "gone")
        content["messages", "t2"] = self.talk("a1", "a4", {"a": 1}, people=["Ada Brandt", "Jun Sato"])
        content["messages", "t3"] = b"no record"
        self.assertEqual(self.told(content), ([("", "", 2, 700), ("t2", "Ada Brandt, Jun Sato", 1, 500), ("t1", "Jun Sato", 2, 300)], 1))

    def test_no_more_is_read_than_allowed(self):
        content = {("attachments", "a0"): bytes(100), ("messages", "t1"): self.talk("a0")}
        self.assertEqual(self.told(content, most_bytes=10), ([("", "", 1, 100)], 1))

    def test_a_list_of_conversations_that_is_damaged_is_said(self):
        content = {("attachments", "a0"): bytes(100), ("messages", "t1"): self.talk("a0")}
        self.assertEqual(self.told(content, lost="messages"), ([("", "", 1, 100)], 1))

    def test_a_device_without_attachments_has_none(self):
        self.assertEqual(self.told({("messages", "t1"): self.talk("a0")}), ([], 0))
