"""What a paired device may answer, word by word, without a wire: each answer is written here, and so is what was asked."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime
from unittest import TestCase, mock

from adapters.links import agent
from adapters.links.agent import PART_BYTES, TRIES, AgentLink, _parted
from core.content.errors import DeviceLied, ItemNotTaken, LinkCut, LinkError, LinkSlow
from core.content.families import FAMILIES
from core.content.items import Item
from core.content.link import SmallItem

Said = dict[str, object] | bytes | list[bytes | LinkError] | LinkError
CUT, SLOW = LinkCut("The device stopped answering."), LinkSlow("It drips.")


class Asked:
    """Instead of the exchange with a device: answers in this order, and what each was asked."""

    def __init__(self, *answers: Said) -> None:
        self.answers, self.asked = list(answers), list[tuple[str, str, bytes]]()

    def ask(self, method: str, target: str, body: list[bytes] | None = None) -> Iterator[bytes]:
        self.asked.append((method, target, b"".join(body or [])))
        said = self.answers.pop(0)
        for piece in said if isinstance(said, list) else [said]:
            if isinstance(piece, LinkError):
                raise piece
            yield piece if isinstance(piece, bytes) else json.dumps(piece).encode()

    def close(self) -> None:
        """Nothing is open."""


def item(id: str = "1", size_bytes: int = 3, **more: str) -> Item:
    return Item(
        kind="photos", id=id, name=f"{id}.jpg", size_bytes=size_bytes, modified=datetime(2026, 3, 2, tzinfo=UTC), tag=more.get("tag", "t")
    )


def many(*entries: tuple[dict[str, object], bytes]) -> bytes:
    """Items in one answer."""
    heads = [(json.dumps(head | {"size_bytes": len(content)}).encode(), content) for head, content in entries]
    return b"".join(len(head).to_bytes(4, "big") + head + content for head, content in heads)


def sent(id: str, content: bytes = b"abc", **more: object) -> tuple[dict[str, object], bytes]:
    return {"kind": "photos", "id": id, **more}, content


class Answers(TestCase):
    def link(self, *answers: Said) -> AgentLink:
        self.device = Asked(*answers)
        with mock.patch.object(agent, "Exchange", lambda *_, **__: self.device):
            return AgentLink("http://127.0.0.1:9", b"k" * 32, random=bytes)

    def state(self, **fields: object) -> "agent.DeviceReport":
        return self.link({"family": "orlo"} | fields).state()


class WhatItSaysOfItself(Answers):
    def test_of_a_family_that_there_is(self):
        for family in FAMILIES:
            self.assertEqual(self.state(family=family).family, family)
        for family in ("", "toaster", None, [], {}):
            with self.assertRaisesRegex(DeviceLied, "family that does not exist"):
                self.state(family=family)

    def test_what_is_no_text_no_number_and_no_yes_or_no_is_not_known(self):
        for value in (-1, 1 << 62, True, 1.5, "7", None):
            self.assertIsNone(self.state(battery_percent=value).battery_percent, value)
        for value in (0, (1 << 62) - 1):
            self.assertEqual(self.state(storage_used_bytes=value).storage_used_bytes, value)
        for value in (0, 1, "yes", None):
            self.assertIsNone(self.state(locked=value).locked, value)
        for value in (True, False):
            self.assertIs(self.state(on_power=value).on_power, value)
        self.assertEqual([self.state(make=value).make for value in ("x" * 101, 3, None, "")], ["x" * 100, "", "", ""])
        self.assertEqual(
            [self.state(network=value).network for value in ("office", "elsewhere", "moon", None)], ["office", "elsewhere", None, None]
        )

    def test_its_card_and_its_clock(self):
        for value in (None, [], {"present": 1}, {}):
            self.assertIsNone(self.state(card=value).card, value)
        card = self.state(card={"present": True, "encrypted": False, "size_bytes": 5, "used_bytes": -1}).card
        self.assertEqual((card.present, card.encrypted, card.size_bytes, card.used_bytes), (True, False, 5, None))
        for value in ("2026-03-02T10:00:00", "yesterday", 5, None):
            self.assertIsNone(self.state(clock=value).clock, value)
        self.assertEqual(self.state(clock="2026-03-02T10:00:00+01:00").clock, datetime(2026, 3, 2, 9, tzinfo=UTC))

    def test_each_gift_of_the_protocol_comes_with_its_version(self):
        gifts = (AgentLink.tells_digests, AgentLink.writes_many, AgentLink.tells_own_cloud)
        for says, knows in ((None, 1), (0, 1), (1, 1), (2, 2), (3, 3), (4, 3), ("3", 1)):
            link = self.link({"family": "orlo", "protocol": says})
            self.assertEqual([gift(link) for gift in gifts], [knows >= 2, knows >= 2, knows >= 3], says)
            self.assertEqual(len(self.device.asked), 1, "what is known is not asked again")

    def test_kinds_that_nobody_knows_are_left(self):
        self.assertEqual(self.link({"kinds": ["photos", "stars"]}).kinds(), ["photos"])
        for value in (None, "photos", 5):
            self.assertEqual(self.link({"kinds": value}).kinds(), [])

    def test_an_answer_has_a_greatest_length_and_is_an_object(self):
        with mock.patch.object(agent, "MAX_JSON_BYTES", 20):
            self.assertEqual(self.link([b'{"kinds"', b':["photos"]}']).kinds(), ["photos"])
            with self.assertRaisesRegex(DeviceLied, "without end"):
                self.link([b'{"kinds"', b':["photos" ]} ']).kinds()
        for content in (b"", b"[]", b"{", b"[" * 100_000, b"\xff", b"3"):
            with self.assertRaisesRegex(DeviceLied, "cannot be read"):
                self.link(content).kinds()


class Inventories(Answers):
    def entry(self, id: str) -> dict[str, object]:
        return {"id": id, "name": "n", "size_bytes": 1, "modified": "2026-03-02T10:00:00+00:00", "tag": "t"}

    def page(self, *ids: str, following: object = None) -> dict[str, object]:
        return {"items": [self.entry(id) for id in ids], "next": following}

    def test_goes_on_where_the_last_page_ended(self):
        link = self.link(self.page("a", following="a"), self.page("b/ü", following="b/ü"), self.page("c"))
        self.assertEqual([one.id for one in link.inventory("photos")], ["a", "b/ü", "c"])
        self.assertEqual([asked[1].partition("after=")[2] for asked in self.device.asked], ["", "a", "b%2F%C3%BC"])

    def test_that_does_not_go_forward_does_not_end(self):
        for following in ("", 5, "a"):
            with self.assertRaisesRegex(DeviceLied, "does not end"):
                self.link(self.page("a", following="a"), self.page("b", following=following)).inventory("photos")
        with mock.patch.object(agent, "MAX_PAGES", 2), self.assertRaisesRegex(DeviceLied, "does not end"):
            self.link(self.page("a", following="a"), self.page("b", following="b")).inventory("photos")

    def test_of_more_than_can_be(self):
        with mock.patch.object(agent, "MAX_ITEMS", 2):
            self.assertEqual(len(self.link(self.page("a", "b", following="b"), self.page()).inventory("photos")), 2)
            with self.assertRaisesRegex(DeviceLied, "more than 2 items"):
                self.link(self.page("a", "b", "c", following="c")).inventory("photos")

    def test_that_is_none(self):
        for answer in ({}, {"items": 5, "next": None}, {"items": [None], "next": None}, {"items": []}):
            with self.assertRaisesRegex(DeviceLied, "cannot be read"):
                self.link(answer).inventory("photos")


class Digests(Answers):
    def test_as_many_as_were_asked_for_and_only_what_is_one(self):
        right = "ab" * 32
        given = [right, None, "zz" * 32, "ab" * 31, 5]
        self.assertEqual(self.link({"digests": given}).digests("photos", list("abcde")), [bytes.fromhex(right), None, None, None, None])
        for answer in ({}, {"digests": [right]}, {"digests": {"a": right, "b": right}}):
            with self.assertRaisesRegex(DeviceLied, "other digests"):
                self.link(answer).digests("photos", ["a", "b"])


class Reading(Answers):
    def read(self, link: AgentLink, one: Item) -> bytes:
        return b"".join(link.read(one))

    def test_after_a_cut_it_goes_on_at_the_byte_where_it_ended(self):
        whole = item(size_bytes=70_000)
        link = self.link([b"a" * 50_000, CUT], [b"a" * 10_000, CUT], [b"a" * 10_000])
        self.assertEqual(len(self.read(link, whole)), 70_000)
        self.assertEqual(
            [asked[1] for asked in self.device.asked], [f"/agent/v1/items/photos/1?from={done}&tag=t" for done in (0, 50_000, 60_000)]
        )

    def test_cuts_without_a_byte_between_them_end_it(self):
        with self.assertRaises(LinkCut):
            self.read(self.link(*[CUT] * TRIES), item(size_bytes=70_000))
        self.assertEqual(len(self.device.asked), TRIES)
        drip = [[b"a", CUT]] * (3 * TRIES)
        self.assertEqual(len(self.read(self.link(*drip, [b"a"]), item(size_bytes=70_000))), 3 * TRIES + 1, "each byte counts anew")

    def test_who_sends_more_than_there_is_or_drips_is_not_asked_again(self):
        for answer in ([b"a" * 70_001, CUT], SLOW):
            with self.assertRaises(LinkCut if isinstance(answer, list) else LinkSlow):
                self.read(self.link(answer), item(size_bytes=70_000))
            self.assertEqual(len(self.device.asked), 1)

    def test_small_ones_that_are_expected_come_together_in_any_order(self):
        link = self.link(many(sent("3", b"333"), sent("1", b"111"), sent("2", b"222")))
        link.expect([item(id) for id in "123"])
        self.assertEqual([self.read(link, item(id)) for id in "123"], [b"111", b"222", b"333"])
        self.assertEqual(json.loads(self.device.asked[0][2]), {"items": [["photos", id, "t"] for id in "123"]})
        self.assertEqual(len(self.device.asked), 1)

    def test_one_that_nobody_expected_or_that_is_too_large_is_asked_for_alone(self):
        link = self.link(b"999", many(sent("1", b"111")), [b"l" * 70_000])
        link.expect([item("1"), item("2", size_bytes=70_000)])
        self.assertEqual(self.read(link, item("9")), b"999")
        link.expect([item("1"), item("2", size_bytes=70_000)])
        self.assertEqual(self.read(link, item("1")), b"111")
        self.assertEqual(len(self.read(link, item("2", size_bytes=70_000))), 70_000)
        self.assertEqual([asked[0] for asked in self.device.asked], ["GET", "POST", "GET"])

    def test_what_is_skipped_is_not_waited_for(self):
        link = self.link(many(sent("1", b"111"), sent("2", b"222"), sent("3", b"333")))
        link.expect([item(id) for id in "123"])
        self.assertEqual([self.read(link, item(id)) for id in "13"], [b"111", b"333"])

    def test_a_cut_among_many_leaves_the_rest_to_be_asked_for_alone_and_one_at_the_beginning_ends_it(self):
        link = self.link([many(sent("1", b"111")), CUT], b"222")
        link.expect([item("1"), item("2")])
        self.assertEqual([self.read(link, item(id)) for id in "12"], [b"111", b"222"])
        for trouble in (CUT, SLOW):
            link = self.link(trouble)
            link.expect([item("1"), item("2")])
            with self.assertRaises(type(trouble)):
                self.read(link, item("1"))
        link = self.link([many(sent("2", b"222")), SLOW])
        link.expect([item("1"), item("2")])
        with self.assertRaises(LinkSlow):
            self.read(link, item("1"))

    def test_what_became_of_one_is_told_and_an_empty_one_is_empty(self):
        link = self.link(
            many(sent("1", b"", error="gone"), sent("2", b"", error="changed"), sent("3", b""), sent("4", b"444", error="odd"))
        )
        link.expect([item(id) for id in "1234"])
        for id, why in (("1", "gone"), ("2", "changed")):
            with self.assertRaises(ItemNotTaken) as raised:
                link.read(item(id))
            self.assertEqual(raised.exception.why, why)
        self.assertEqual([self.read(link, item(id)) for id in "34"], [b"", b"444"])

    def test_one_that_nobody_asked_for_is_a_lie(self):
        for stranger in (sent("7"), ({"kind": "events", "id": "1"}, b"abc"), ({"id": "1"}, b"abc")):
            link = self.link(many(stranger))
            link.expect([item("1"), item("2")])
            with self.assertRaisesRegex(DeviceLied, "nobody asked for"):
                self.read(link, item("1"))

    def test_a_lot_is_so_many_items_and_so_many_bytes(self):
        everything = [item(f"{number:03}", size_bytes=10) for number in range(5)]
        for bound in ({"TOGETHER_ITEMS": 2}, {"TOGETHER_BYTES": 20}):
            with mock.patch.multiple(agent, **bound):
                link = self.link(
                    many(*(sent(one.id) for one in everything[:2])), many(*(sent(one.id) for one in everything[2:4])), many(sent("004"))
                )
                link.expect(everything)
                self.assertEqual([self.read(link, one) for one in everything], [b"abc"] * 5)
                self.assertEqual([len(json.loads(asked[2])["items"]) for asked in self.device.asked], [2, 2, 1])

    def test_another_version_of_an_expected_one_is_asked_for_alone(self):
        link = self.link(b"new")
        link.expect([item("1", tag="old")])
        self.assertEqual(self.read(link, item("1")), b"new")

    def test_a_head_that_tells_no_whole_number_of_bytes_has_no_content(self):
        for says in ({"size_bytes": "3"}, {}, {"size_bytes": 2.5}):
            head = json.dumps(says).encode()
            self.assertEqual(list(_parted([len(head).to_bytes(4, "big") + head])), [(says, b"")])


class Writing(Answers):
    def test_in_one_request_up_to_a_part_and_in_parts_from_there_on(self):
        for size, requests in ((PART_BYTES, 1), (PART_BYTES + 1, 4)):
            answers: list[Said] = [{"id": "n"}] if requests == 1 else [{"upload": "u1"}, {"have": PART_BYTES}, {"have": size}, {"id": "n"}]
            content = bytes(size)
            self.assertEqual(self.link(*answers).create("photos", "a.jpg", iter([content]), size_bytes=size), "n")
            self.assertEqual(len(self.device.asked), requests)
        self.assertEqual(
            [asked[1] for asked in self.device.asked],
            ["/agent/v1/uploads", "/agent/v1/uploads/u1?from=0", f"/agent/v1/uploads/u1?from={PART_BYTES}", "/agent/v1/uploads/u1/finish"],
        )
        self.assertEqual(json.loads(self.device.asked[0][2]), {"name": "a.jpg", "size_bytes": size, "kind": "photos", "id": None})

    def test_in_the_place_of_another(self):
        self.link({"id": "a/b"}).replace("photos", "a/b", "n.jpg", [b"abc"], size_bytes=3)
        method, target, body = self.device.asked[0]
        self.assertEqual((method, target), ("PUT", "/agent/v1/items/photos/a%2Fb"))
        self.assertTrue(body.startswith(b'{"name": "n.jpg", "size_bytes": 3}'))

    def test_after_a_cut_it_is_asked_how_much_has_come(self):
        size = PART_BYTES + 10
        link = self.link({"upload": "u"}, CUT, {"have": 7}, {"have": PART_BYTES}, {"have": size}, {"id": "n"})
        self.assertEqual(link.create("photos", "a", [bytes(size)], size_bytes=size), "n")
        self.assertEqual(
            [asked[:2] for asked in self.device.asked[1:4]],
            [("PUT", "/agent/v1/uploads/u?from=0"), ("GET", "/agent/v1/uploads/u"), ("PUT", "/agent/v1/uploads/u?from=7")],
        )

    def test_cuts_and_a_device_that_takes_nothing_end_it(self):
        size = PART_BYTES + 10
        with self.assertRaises(LinkCut):
            self.link({"upload": "u"}, *[CUT, {"have": 0}] * (TRIES - 1), CUT).create("photos", "a", [bytes(size)], size_bytes=size)
        self.assertEqual(len(self.device.asked), 2 * TRIES)
        with self.assertRaisesRegex(LinkCut, "takes nothing more"):
            self.link({"upload": "u"}, *[{"have": 0}] * (4 * TRIES)).create("photos", "a", [bytes(size)], size_bytes=size)
        self.assertEqual(len(self.device.asked), 1 + 4 * TRIES)

    def test_a_device_that_says_what_cannot_be_is_not_believed(self):
        size = PART_BYTES + 10
        for answer in ({"id": None}, {"id": 5}, {}):
            with self.assertRaisesRegex(DeviceLied, "where it wrote the item"):
                self.link(answer).create("photos", "a", [b"abc"], size_bytes=3)
        for upload in (None, 5, "", "../state", "u?x"):
            with self.assertRaisesRegex(DeviceLied, "where it takes the item"):
                self.link({"upload": upload}).create("photos", "a", [bytes(size)], size_bytes=size)
        for have in (None, "0", PART_BYTES + 1, -1):
            with self.assertRaisesRegex(DeviceLied, "what nobody sent"):
                self.link({"upload": "u"}, {"have": have}).create("photos", "a", [bytes(size)], size_bytes=size)
        with self.assertRaisesRegex(DeviceLied, "what nobody sent"):
            self.link({"upload": "u"}, {"have": PART_BYTES}, {"have": PART_BYTES - 1}).create("photos", "a", [bytes(size)], size_bytes=size)

    def test_many_small_ones(self):
        small = [SmallItem(id=None, name=name, content=name.encode() * 3) for name in ("a", "b")]
        self.assertEqual(self.link({"ids": ["1", "2"]}).write_many("photos", small), ["1", "2"])
        head = {"kind": "photos", "id": None, "name": "a", "size_bytes": 3}
        self.assertIn(json.dumps(head).encode() + b"aaa", self.device.asked[0][2])
        self.assertEqual(self.link({"ids": ["1"]}).write_many("photos", small), ["1"], "it may take only the first ones")
        for ids in (None, ["1", "2", "3"], ["1", 2], "12"):
            with self.assertRaisesRegex(DeviceLied, "where it wrote the items"):
                self.link({"ids": ids}).write_many("photos", small)
