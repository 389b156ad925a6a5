"""A draft of a plan at the bounds of each field: what is still taken, and what is refused by its name."""

from datetime import time
from typing import Any
from uuid import uuid4

from core.errors import BadInput
from server.plans.actions.save_plan import (
    LONGEST_DELAY_MINUTES,
    LONGEST_OWN_CLOUD_SECONDS,
    LOWEST_LIMIT_BYTES,
    MOST_TARGETS,
    SHORTEST_PROMISE_SECONDS,
    Draft,
    DraftTarget,
    checked,
    targets_of,
)  # fmt: skip
from server.plans.models import Plan
from server.tests.pretend import OfficeTestCase


class Bounds(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.room = self.store()

    def of(self, **changes: Any) -> Draft:
        return self.draft(self.room, **changes)

    def refused(self, field: str, **changes: Any) -> None:
        with self.assertRaises(BadInput) as caught:
            checked(self.of(**changes), Plan(added_at=self.outside.at))
        self.assertEqual(caught.exception.field, field, changes)

    def taken(self, **changes: Any) -> Plan:
        return checked(self.of(**changes), Plan(added_at=self.outside.at))

    def test_of_the_plan_itself(self):
        self.assertEqual(self.taken(name=f" {'n' * 78} ").name, "n" * 78)
        for name in ("", "  ", "n" * 81):
            self.refused("name", name=name)
        self.refused("reach", reach="most")
        self.assertEqual(self.taken(reach="everything").kinds, [])
        self.assertEqual(self.taken(kinds=["photos", "contacts"]).kinds, ["contacts", "photos"], "in the order of kinds")
        self.taken(promise_seconds=SHORTEST_PROMISE_SECONDS)
        self.refused("promise_seconds", promise_seconds=SHORTEST_PROMISE_SECONDS - 1)
        for seconds in (None, SHORTEST_PROMISE_SECONDS, LONGEST_OWN_CLOUD_SECONDS):
            self.assertEqual(self.taken(own_cloud_seconds=seconds).own_cloud_seconds, seconds)
        for seconds in (SHORTEST_PROMISE_SECONDS - 1, LONGEST_OWN_CLOUD_SECONDS + 1):
            self.refused("own_cloud_seconds", own_cloud_seconds=seconds)

    def test_of_a_store_that_it_copies_to(self):
        store = self.room
        one, other = time(1), time(2)
        for fields in (
            {"delay_minutes": LONGEST_DELAY_MINUTES}, {"copies_from": one, "copies_until": other},
            {"copies_from": time(0), "copies_until": one}, {"limit_bytes_per_second": LOWEST_LIMIT_BYTES},
        ):  # fmt: skip
            (target,) = targets_of(self.of(targets=(DraftTarget(store=store.id, **fields),)))
            self.assertEqual({name: getattr(target, name) for name in fields}, fields)
        for fields in (
            {"delay_minutes": -1}, {"delay_minutes": LONGEST_DELAY_MINUTES + 1}, {"copies_from": one}, {"copies_until": one},
            {"copies_from": one, "copies_until": one}, {"limit_bytes_per_second": LOWEST_LIMIT_BYTES - 1},
        ):  # fmt: skip
            self.no_targets("targets", DraftTarget(store=store.id, **fields))

    def no_targets(self, field: str, *targets: DraftTarget) -> None:
        with self.assertRaises(BadInput) as caught:
            targets_of(self.of(targets=targets))
        self.assertEqual(caught.exception.field, field, targets)

    def test_of_all_its_stores(self):
        stores = [self.store(name=f"Room {number}") for number in range(MOST_TARGETS + 1)]
        wanted = [DraftTarget(store=store.id) for store in stores]
        made = targets_of(self.of(targets=tuple(wanted[:-1])))
        self.assertEqual([(one.store_id, one.order) for one in made], [(store.id, order) for order, store in enumerate(stores[:-1])])
        self.no_targets("targets", *wanted)
        self.no_targets("targets", wanted[0], wanted[1], wanted[0])
        self.no_targets("store", DraftTarget(store=None))
        self.no_targets("store", DraftTarget(store=uuid4()))
