"""Each field at its bounds, at the actions themselves: the last value that is taken, and the first that is refused, by its name."""

from collections.abc import Callable, Sequence
from datetime import date, time, timedelta
from typing import Any
from uuid import uuid4

from core.errors import BadInput
from server.fleet.actions.change_link import SLOWEST_BYTES_PER_SECOND, change_link
from server.people.actions.change_names import change_holder
from server.people.actions.office import MOST_RUNS, MOST_UNDO_DAYS, add_user, change_office
from server.people.models import Role
from server.plans.actions.pause import pause
from server.recovery.actions.end_exports import MOST_DAYS as MOST_EXPORT_DAYS
from server.recovery.actions.end_exports import check_until
from server.recovery.actions.set_drill_rules import LEAST_BYTES, MOST_A_DAY, MOST_DAYS, MOST_MINUTES, SLOWEST, set_drill_rules
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.hold_backup import hold_backup
from server.runs.actions.settle_dates import settle_date
from server.storage.actions.change_store import MOST_CHECK_DAYS, MOST_PRICE, MOST_WRITERS, Checks, Prices, change_store
from server.storage.actions.change_store import SLOWEST_BYTES_PER_SECOND as SLOWEST_CHECK
from server.storage.actions.set_rotation import FIRST, LAST, MOST_GRACE, WantedRotation, set_rotation
from server.storage.actions.slots import add_slot
from server.telling.actions.write_to_holder import MOST_CHARACTERS, MOST_SUBJECT, write_to_holder
from server.tests.pretend import OfficeTestCase


class BoundsOfActions(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.room, self.one = self.store(), self.device()
        self.plan(self.one)

    def bounds(self, do: Callable[..., object], field: str, *, taken: Sequence[Any], refused: Sequence[Any], named: str = "") -> None:
        """`do` called with each value of `field`; `named`: what the refusal calls it."""
        for value in taken:
            do(**{field: value})
        for value in refused:
            with self.assertRaises(BadInput, msg=f"{field} {value!r}") as caught:
                do(**{field: value})
            self.assertEqual(caught.exception.field, named or field, value)

    def today(self) -> date:
        return self.outside.at.date()

    def test_of_the_office(self):
        def office(**changes: Any) -> None:
            fields = {"name": "Quay", "zone": "Europe/Berlin", "asks_holders": False, "asks_holders_at": time(9)}
            change_office(**(fields | changes), by=self.ines, now=self.outside.at)

        self.bounds(office, "max_runs", taken=(1, MOST_RUNS), refused=(0, MOST_RUNS + 1))
        self.bounds(office, "undo_days", taken=(1, MOST_UNDO_DAYS), refused=(0, MOST_UNDO_DAYS + 1))
        self.bounds(office, "unasked_share_percent", taken=(0, 100), refused=(-1, 101))
        self.bounds(office, "limit_bytes_per_second", taken=(None, 16 * 1024), refused=(16 * 1024 - 1,))
        self.bounds(office, "name", taken=("Q",), refused=("", " "))

    def test_of_people(self):
        def user(**changes: Any) -> None:
            fields = {"username": "new", "full_name": "N", "password": "heron over the sluice", "role": Role.OPERATOR}
            add_user(**(fields | changes), by=self.ines, now=self.outside.at)

        self.bounds(user, "username", taken=("n" * 60, "a.b_c-9"), refused=("", "n" * 61, "a b", "A.B_C-9"))
        self.bounds(user, "role", taken=(), refused=("guest",))
        holder = self.one.holder

        def change(**changes: Any) -> None:
            change_holder(holder, **({"name": "H", "team": "T", "email": ""} | changes), by=self.ines)

        self.bounds(change, "name", taken=("h" * 120,), refused=("", " ", "h" * 121))
        self.bounds(change, "team", taken=("t" * 80, ""), refused=("t" * 81,))

    def test_of_drills(self):
        def rules(**changes: Any) -> None:
            usual = {"a_day": 1, "most_minutes": 30, "most_bytes": 1 << 30, "limit_bytes_per_second": None, "wanted_days": None}
            set_drill_rules(**(usual | changes), by=self.ines)

        self.bounds(rules, "a_day", taken=(0, MOST_A_DAY), refused=(-1, MOST_A_DAY + 1))
        self.bounds(rules, "most_minutes", taken=(1, MOST_MINUTES), refused=(0, MOST_MINUTES + 1))
        self.bounds(rules, "most_bytes", taken=(LEAST_BYTES,), refused=(LEAST_BYTES - 1,))
        self.bounds(rules, "limit_bytes_per_second", taken=(None, SLOWEST), refused=(SLOWEST - 1,))
        self.bounds(rules, "wanted_days", taken=(None, 1, MOST_DAYS), refused=(0, MOST_DAYS + 1))
        until = [self.today() + timedelta(days=days) for days in (-1, 0, MOST_EXPORT_DAYS, MOST_EXPORT_DAYS + 1)]
        self.bounds(lambda until: check_until(until, self.outside.at), "until", taken=until[1:3], refused=(until[0], until[3]))

    def test_of_a_store(self):
        def store(**changes: Any) -> None:
            change_store(self.room, **({"name": "Room", "allowance_bytes": None} | changes), by=self.ines)

        self.bounds(store, "name", taken=("n" * 80,), refused=("", " ", "n" * 81))
        self.bounds(store, "allowance_bytes", taken=(None, 1), refused=(0, -1))
        self.bounds(store, "max_writers", taken=(1, MOST_WRITERS), refused=(0, MOST_WRITERS + 1))

        def prices(**changes: Any) -> None:
            store(prices=Prices(**({"gib_month": 1, "thousand_requests": None, "currency": "EUR"} | changes)))

        for field in ("gib_month", "thousand_requests"):
            self.bounds(prices, field, taken=(None, 0, MOST_PRICE), refused=(-1, MOST_PRICE + 1), named=f"price_{field}")
        self.bounds(prices, "currency", taken=(" chf ",), refused=("", "EURO", "EU", "E1R", "ÉUR"))
        prices(gib_month=None, currency="")

        def checks(**changes: Any) -> None:
            store(checks=Checks(**({"days": 1, "limit_bytes_per_second": None} | changes)))

        self.bounds(checks, "days", taken=(None, 1, MOST_CHECK_DAYS), refused=(0, MOST_CHECK_DAYS + 1), named="check_days")
        slowest = {"taken": (None, SLOWEST_CHECK), "refused": (SLOWEST_CHECK - 1,), "named": "check_limit_bytes_per_second"}
        self.bounds(checks, "limit_bytes_per_second", **slowest)

        def slot(**changes: Any) -> None:
            words = "a heron over the sluice"
            add_slot(
                self.room, **({"kind": "passphrase", "label": "L", "passphrase": words, "passphrase_again": words} | changes), by=self.ines
            )

        self.bounds(slot, "label", taken=("l" * 80,), refused=("", "l" * 81))
        self.bounds(slot, "kind", taken=("recovery_code",), refused=("server", ""))

    def test_of_a_rotation(self):
        def rotation(**changes: Any) -> None:
            wanted = {"name": f"R {uuid4()}", "every_days": 7, "first_day": date(2026, 3, 2), "grace_days": 2, "drives": ()}
            set_rotation(WantedRotation(**(wanted | changes)), by=self.ines)

        day = timedelta(days=1)
        self.bounds(rotation, "first_day", taken=(), refused=(FIRST - day, LAST + day))
        self.bounds(rotation, "grace_days", taken=(), refused=(-1, MOST_GRACE + 1))
        self.bounds(rotation, "name", taken=(), refused=("", "n" * 81))
        self.bounds(rotation, "drives", taken=(), refused=((self.room.id,),))

    def test_of_a_devices_link(self):
        def link(**changes: Any) -> None:
            fields = {"rules": (), "limit_bytes_per_second": None, "folder": "", "sftp": None}
            change_link(self.one, **(fields | changes), by=self.ines)

        slowest = {"taken": (None, SLOWEST_BYTES_PER_SECOND), "refused": (SLOWEST_BYTES_PER_SECOND - 1,)}
        self.bounds(link, "limit_bytes_per_second", **slowest)
        self.bounds(link, "rules", taken=((),), refused=([{"pattern": "*.tmp", "kind": "photos"}],))

    def test_of_days_that_lie_ahead(self):
        day = timedelta(days=1)

        def paused(until: date | None) -> None:
            pause(plan=None, device=self.one, until=until, reason="repair", by=self.ines)

        self.bounds(paused, "until", taken=(None, self.today() + day), refused=(self.today(),))
        backup = self.run_now(self.one).backup

        def held(until: date | None) -> None:
            hold_backup(backup, reason="court", until=until, by=self.ines)

        self.bounds(held, "until", taken=(None, self.today()), refused=(self.today() - day,))

        def asked(hold_until: date) -> None:
            ask_run_by_hand(self.one, note="", by=self.ines, occasion="other", hold_until=hold_until)

        self.bounds(asked, "hold_until", taken=(), refused=(self.today() - day,))

        def settled(at: Any) -> None:
            settle_date(backup, at=at, by=self.ines)

        self.bounds(settled, "at", taken=(self.outside.at, None), refused=(self.outside.at + timedelta(seconds=1),))

    def test_of_a_letter(self):
        self.one.holder.email = "h@quay.example"
        self.one.holder.save(update_fields=["email"])

        def letter(**changes: Any) -> None:
            write_to_holder(self.one, **({"about": str(uuid4()), "subject": "S", "body": "B"} | changes), by=self.ines)

        self.bounds(letter, "subject", taken=("s" * MOST_SUBJECT,), refused=("", " ", "s" * (MOST_SUBJECT + 1)))
        self.bounds(letter, "body", taken=("b" * MOST_CHARACTERS,), refused=("", " \n", "b" * (MOST_CHARACTERS + 1)))
