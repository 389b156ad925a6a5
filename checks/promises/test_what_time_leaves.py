"""A moment before it is time, and the moment at which it is: what is left by each."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, time, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from checks.promises.traces import Traced
from core.quota.tests.test_own_account import OWN
from core.vault.tests.bench_of_one import MemoryDevice
from server.fleet.actions.note_own_cloud import note_told_own_cloud
from server.fleet.models import Device, PairingTry
from server.oversight.actions.incidents import Refreshed, refresh_incidents
from server.oversight.actions.record_morning import record_morning
from server.oversight.actions.write_months import write_months
from server.oversight.cause import Cause
from server.people.actions.clock import hear_witness, look_at_clock
from server.people.models import ClockState, KnownAddress, Office, SignInTries, User
from server.recovery.actions.note_look import note_look
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.models import DrillRules
from server.retention.actions.owe_maintenance import owe_maintenance
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.compare_store import compare_store
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.actions.start_due import start_due
from server.runs.actions.take_place import took_place
from server.runs.models import Backup, Copy, Heartbeat, Run
from server.storage.actions.measure import measure_store
from server.storage.models import Drive, Store
from server.telling.actions.announce import digest_is_due, signs_of_life
from server.telling.actions.hooks import add_hook

SECOND = timedelta(seconds=1)


class Instants(Traced):
    """Each deed twice: at the last moment of the one, and at the first of the other."""

    story = "instants"

    def either_side(self, title: str, instant: datetime, call: Callable[[datetime], Any], *, last: timedelta = SECOND) -> None:
        """`last`: how long before the instant the moment before is."""
        for word, now in (("before", instant - last), ("at", instant)):
            self.deed(f"{title}: {word}", lambda now=now: self._then(now, call))

    def _then(self, now: datetime, call: Callable[[datetime], Any]) -> Any:
        self.outside.at = now
        return call(now)

    def test_leave_what_is_written_down(self) -> None:
        self.fleet()
        self.maintenance()
        self.mornings()
        self.people()
        self.runs()
        self.drives()
        self.ends()

    def fleet(self) -> None:
        self.outside.devices["p9"] = MemoryDevice({})
        PairingTry.objects.bulk_create(PairingTry(agent_id="p9", at=self.day) for _ in range(10))
        self._known = None
        pair = {"agent_id": "p9", "code": "WRONG234", "name": "N", "holder": "H", "team": "", "registered": None}
        send = lambda now: self.api.post("/api/devices/pair", pair, format="json")  # noqa: E731
        self.either_side("ten wrong codes are forgotten", self.day + timedelta(minutes=10, milliseconds=1), send)
        self.meanwhile(PairingTry.objects.filter(id=PairingTry.objects.latest("id").id), agent_id="p2")
        self.deed("nine wrong codes", lambda: self._then(self.day, send))
        del self.outside.devices["p9"]
        note_told_own_cloud(self.one, OWN, now=self.day)
        self._known = None
        fuller = replace(OWN, used_bytes=(OWN.used_bytes or 0) + 1)
        tell = lambda now: note_told_own_cloud(Device.objects.get(id=self.one.id), fuller, now=now)  # noqa: E731
        self.either_side("another size is a row of its own", self.day + timedelta(hours=20), tell)

    def maintenance(self) -> None:
        owe = lambda now: owe_maintenance(now=now)  # noqa: E731
        stores, local = Store.objects.all(), self.day.replace(hour=5, minute=0)  # 06:00 in Berlin
        measure_store(self.nightly.store, now=local)
        settled = {
            "measured_at": local,
            "compared_at": local,
            "swept_at": local,
            "office_on": local.date(),
            "ruled_on": local.date(),
            "round_on": local.date(),
            "checked_at": local,
        }
        self.meanwhile(stores, **settled)
        self.either_side("plans are looked at", self.day + timedelta(minutes=10), self._after_a_look(owe))
        Heartbeat.objects.create(name="copies owed", at=self.day)
        self._known = None
        self.meanwhile(stores, ruled_on=None)
        self.either_side("rules of the night", local, owe)
        self.meanwhile(stores, ruled_on=local.date(), round_on=None)
        self.either_side("the share of the night", local, owe)
        self.meanwhile(stores, round_on=None, check_days=None)
        self.either_side("the structure of a week", local + timedelta(days=7, milliseconds=1), self._only_rounds(owe))
        self.meanwhile(stores, round_on=local.date(), check_days=14, office_on=None)
        self.deed("a new store gets the office at night", lambda: self._then(local - SECOND, owe))
        self.meanwhile(stores, office_on=local.date() - timedelta(days=1))
        self.either_side("the office is written", local, owe)
        self.meanwhile(stores, **settled, waiting_bytes=5)
        self.either_side("what waits is swept", local + timedelta(hours=1, milliseconds=1), owe)
        self.meanwhile(stores, waiting_bytes=0)
        self.meanwhile(Run.objects.all(), finished_at=local + SECOND)
        self.either_side("it is measured again", local + timedelta(minutes=10, milliseconds=1), owe)
        self.meanwhile(Run.objects.all(), finished_at=local - SECOND)
        self.either_side("it is compared again", local + timedelta(hours=20, milliseconds=1), owe)

    def _after_a_look(self, owe: Callable[[datetime], Any]) -> Callable[[datetime], Any]:
        def call(now: datetime) -> Any:
            Heartbeat.objects.create(name="copies owed", at=self.day)
            return owe(now)

        return call

    def _only_rounds(self, owe: Callable[[datetime], Any]) -> Callable[[datetime], Any]:
        def call(now: datetime) -> Any:
            Store.objects.update(compared_at=now, measured_at=now, office_on=now.date(), ruled_on=now.date())
            return owe(now)

        return call

    def mornings(self) -> None:
        eight = self.day.replace(hour=7, minute=0)
        self.either_side("the morning is written", eight, lambda now: record_morning(now=now))
        self.either_side("the month is written", datetime(2026, 4, 3, 22, tzinfo=eight.tzinfo), lambda now: write_months(now=now))
        DrillRules.objects.update_or_create(id=1, defaults={"a_day": 1, "begun_on": None})
        self._known = None
        self.either_side("drills of the day", self.day.replace(day=3, hour=5, minute=0), lambda now: owe_drills(now=now))
        User.objects.filter(username="ines").update(email="i@office.example", wants_digest=True, digest_at=time(8))
        self._known = None
        self.either_side("the digest", eight, lambda now: digest_is_due(now=now))
        self.either_side("the digest comes too late", eight + timedelta(hours=6), lambda now: digest_is_due(now=now))
        add_hook(name="Board", address="https://board.example/in", inside=False, signs_of_life=True, by=self.ines)
        self._known = None
        signs_of_life(now=eight)
        self._known = None
        self.either_side("the next sign of life", eight + timedelta(minutes=5), lambda now: signs_of_life(now=now))
        late = Cause(code="late", mark="late", kind="late", step="run", step_label="Run them")
        refresh_incidents([late], now=eight)
        refresh_incidents([], now=eight)
        self._known = None
        self.either_side(
            "it is another incident", eight + timedelta(hours=12, milliseconds=1), lambda now: _told(refresh_incidents([late], now=now))
        )

    def people(self) -> None:
        look = lambda now: note_look(Backup.objects.get(), "contacts", words="", by=self.ines)  # noqa: E731
        self.outside.at = self.day
        look(self.day)
        self._known = None
        self.either_side("it is another look", self.day + timedelta(minutes=15, seconds=1), look, last=timedelta(seconds=2))
        KnownAddress.objects.create(user=self.ines, address="127.0.0.1", at=self.day)
        SignInTries.objects.create(what="account ines", wrong=40, last_at=self.day + timedelta(days=90))
        self._known = None
        body = {"username": "ines", "password": "saltmarsh attic"}
        sign = lambda now: self.client.post("/api/sign-in", body, content_type="application/json").status_code  # noqa: E731
        self.either_side("its address is not known any more", self.day + timedelta(days=90, seconds=1), sign, last=timedelta(seconds=2))
        hear_witness("a store", "bucket", off_seconds=3000.0, now=self.day)
        hear_witness("a mail server", "mail", off_seconds=3000.0, now=self.day)
        ClockState.objects.update_or_create(id=1, defaults={"sure_at": None})
        self._known = None
        judge = lambda now: str(look_at_clock(now=now).doubt_since)  # noqa: E731
        self.either_side("witnesses are too old", self.outside.at + timedelta(days=1, seconds=1), judge, last=timedelta(seconds=2))

    def runs(self) -> None:
        line = lambda now: len(line_up_night(now=now))  # noqa: E731
        self.either_side("the night that is lined up", self.day.replace(hour=5, minute=0), line)
        self.either_side("a night is due", self.day.replace(hour=21, minute=0), lambda now: len(start_due(now=now)))
        self.either_side("nights of sixty days", self.day.replace(hour=21, minute=0) + timedelta(days=61), _missed)
        run = Run.objects.create(
            device=self.one, plan=self.nightly, store=self.nightly.store, trigger="by_hand", by=self.ines, night=self.day.date(), asked_at=self.day,
            state="waiting", next_try_at=self.day + timedelta(minutes=5),
        )  # fmt: skip
        self._known = None
        self.outside.away.add("p1")
        self.either_side("it is its turn", self.day + timedelta(minutes=5) - timedelta(seconds=2), lambda now: carry_out(run.id).state)
        self.outside.away.clear()
        self.meanwhile(Run.objects.filter(id=run.id), next_try_at=None)
        others = [
            Run.objects.create(
                device=self.device(name),
                store=self.nightly.store,
                trigger="by_hand",
                night=self.day.date(),
                asked_at=self.day,
                state="running",
            )
            for name in ("p3", "p4")
        ]
        for most, writers in ((2, 4), (3, 4), (4, 2), (4, 3)):
            self.meanwhile(Office.objects.all(), max_runs=most)
            self.meanwhile(Store.objects.all(), max_writers=writers)
            self.deed(f"two work, {most} may, and {writers} write", lambda: took_place(run.id, now=self.day))
        Run.objects.filter(id__in=[one.id for one in others]).delete()
        self.meanwhile(Office.objects.all(), max_runs=4)
        backup = Backup.objects.get()
        Copy.objects.all().delete()
        Backup.objects.all().delete()
        self._known = None
        self.either_side(
            "a stray is told",
            backup.finished_at + timedelta(hours=1),
            lambda now: str(compare_store(self.nightly.store, now=now)),
        )

    def drives(self) -> None:
        red = self.store("Red drive")
        drive = Drive.objects.create(store=red, seen_at=self.day)
        self._known = None
        self.either_side(
            "it is noted that it was seen", self.day + timedelta(minutes=5, milliseconds=1), lambda now: look_for_drives(now=now)
        )
        self.meanwhile(Drive.objects.filter(store=drive.store_id), settling_until=self.day + timedelta(minutes=10))
        backup = Backup.objects.create(id=UUID(int=1), device=self.one, finished_at=self.day, items=1, size_bytes=1, kinds=[])
        Copy.objects.create(backup=backup, store=red, state="owed", due_at=self.day)
        Copy.objects.create(backup=backup, store=self.nightly.store, state="removing")
        self._known = None
        self.either_side("what it is owed waits for what leaves", self.day + timedelta(minutes=10), lambda now: carry_copies(red.id))


def _told(one: Refreshed) -> dict[str, int]:
    return {"opened": len(one.opened), "returned": len(one.returned), "closed": len(one.closed)}


def _missed(now: datetime) -> int:
    """How many nights are written down as missed; none of them stays."""
    with transaction.atomic():
        start_due(now=now)
        missed = Run.objects.filter(state="missed").count()
        transaction.set_rollback(True)
    return missed
