from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.content.accounts import Account
from core.coverage.kinds import Cover, HeldKind, Live, coverage

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)


def live(items=10, newest_at=NOW, name="newest") -> Live:
    return Live(items=items, size_bytes=items * 10, newest_name=name, newest_at=newest_at)


def held(days_ago=1, stores=("Server room",), items=9, newest_at=NOW) -> HeldKind:
    at = NOW - timedelta(days=days_ago)
    return HeldKind(
        backup=f"b{days_ago}", finished_at=at, stores=tuple(stores), items=items, size_bytes=90, newest_name="n", newest_at=newest_at
    )


def account(kind="contacts", **more) -> Account:
    fields = {"service": "Groupware", "is_default": True, "last_sync": NOW, "off_by_policy": False}
    return Account(kind=kind, **(fields | more))


def cover(live_now, held_now=(), accounts=(), kind="contacts"):
    by_kind = coverage({kind: live_now} if live_now else None, {kind: list(held_now)} if held_now else {}, accounts, offered=[kind])
    return by_kind[0]


class OneKind(TestCase):
    def test_a_backup_with_the_newest_item_covers(self):
        self.assertEqual(cover(live(items=9), [held()]).cover, Cover.BACKED_UP)

    def test_one_more_on_the_device_than_in_the_backup_is_said_though_the_newest_is_in_it(self):
        self.assertEqual(cover(live(items=31), [held(items=30)]).cover, Cover.BEHIND)

    def test_a_newer_item_on_the_device_is_said(self):
        self.assertEqual(cover(live(newest_at=NOW), [held(newest_at=NOW - timedelta(minutes=1))]).cover, Cover.BEHIND)

    def test_kept_in_step_alone_is_no_cover(self):
        by_kind = cover(live(), accounts=[account()])
        self.assertEqual(by_kind.cover, Cover.IN_STEP_ONLY)
        self.assertIn("deletion", by_kind.says)

    def test_an_account_that_never_synchronised_or_is_switched_off_covers_nothing_at_all(self):
        self.assertEqual(cover(live(), accounts=[account(last_sync=None)]).cover, Cover.NOTHING)
        off = cover(live(), accounts=[account(off_by_policy=True)])
        self.assertEqual(off.cover, Cover.NOTHING)
        self.assertIn("switched off", off.says)

    def test_a_damaged_backup_and_one_without_the_kind_cover_nothing(self):
        self.assertEqual(cover(live(), [held(stores=())]).cover, Cover.NOTHING)
        self.assertEqual(cover(live(), [held(items=0)]).cover, Cover.NOTHING)

    def test_the_newest_intact_one_is_shown_and_all_its_stores_are_named(self):
        by_kind = cover(live(), [held(3, ["Cloud"]), held(1, ["Server room"]), held(0, [])])
        self.assertEqual((by_kind.newest.backup, by_kind.backups, by_kind.stores), ("b1", 2, ("Server room", "Cloud")))

    def test_a_kind_that_the_device_holds_nothing_of_needs_no_cover(self):
        self.assertEqual(cover(live(items=0, newest_at=None)).cover, Cover.EMPTY)

    def test_a_device_that_nobody_looked_at_is_judged_by_its_backups_alone(self):
        by_kind = cover(None, [held()])
        self.assertEqual((by_kind.cover, by_kind.live), (Cover.BACKED_UP, None))

    def test_the_default_account_stands_first(self):
        by_kind = cover(live(), accounts=[account(service="A", is_default=False), account(service="B")])
        self.assertEqual([one.service for one in by_kind.accounts], ["B", "A"])


class ADevice(TestCase):
    def test_every_kind_that_is_offered_held_or_seen_has_one_line_in_the_usual_order(self):
        by_kind = coverage({"photos": live()}, {"notes": [held()]}, [], offered=["contacts"])
        self.assertEqual(
            [(one.kind, one.cover) for one in by_kind], [("contacts", Cover.EMPTY), ("photos", Cover.NOTHING), ("notes", Cover.BACKED_UP)]
        )
