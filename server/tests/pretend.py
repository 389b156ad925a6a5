"""A furnished office to test in, and helpers to furnish it further."""

import random
from datetime import timedelta
from typing import Any, ClassVar

from django.test import SimpleTestCase, TestCase, override_settings
from rest_framework.test import APIClient

from core.vault.address import FolderAddress
from core.vault.capture import Capture, Request
from core.vault.sealed_devices import seal_device
from core.vault.tests.bench_of_one import LENIENT, MemoryDevice, phone
from core.vault.writer import Writer
from server.fleet.models import Device
from server.people.actions.office import add_user, set_up_office
from server.people.models import Office, User
from server.plans.actions.save_plan import Draft, save_plan
from server.plans.models import Plan
from server.ports import outside
from server.recovery.readers import forget_readers
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.compare_store import adopt, compare_store
from server.runs.models import Backup, Run, Stray
from server.storage.actions.add_store import create_store
from server.storage.at_hand import forget as forget_accounts
from server.storage.models import Store
from server.storage.queries import opened
from server.tests.outside import CODE, MORNING, PASSPHRASE, PASSWORD, PretendOutside


class Furnished(SimpleTestCase):
    """An office in Berlin with an administrator, an operator and an auditor, and helpers to furnish it further: `furnish`."""

    outside: PretendOutside

    def begin(self, outside_now: PretendOutside) -> None:
        """Everything of the server that asks for the outside gets this one, and nothing that an earlier test left in memory."""
        for forget in (outside.cache_clear, forget_readers, forget_accounts):
            forget()
            self.addCleanup(forget)
        self.addCleanup(outside_now.forget)
        PretendOutside.next = outside_now
        self.outside = outside()  # type: ignore[assignment]

    def furnish(self) -> None:
        """What there is before the test: extended by whoever needs more."""
        self.ines = set_up_office(
            office_name="Saltmarsh & Pike", zone="Europe/Berlin", username="ines", full_name="Ines", password=PASSWORD, now=MORNING
        )
        Office.objects.update(undo_days=0)  # what leaves goes at once; tests of the undo period give it days
        for username, role in (("piet", "operator"), ("ulla", "auditor")):
            add_user(username=username, full_name="", password=PASSWORD, role=role, by=self.ines, now=MORNING)
        self.api = self.signed_in("ines")

    def signed_in(self, username: str) -> APIClient:
        client = APIClient()
        client.force_login(User.objects.get(username=username))
        return client

    def store(self, name: str = "Server room", allowance_bytes: int | None = None) -> Store:
        path = f"/stores/{name}"
        return create_store(
            name=name,
            address=FolderAddress(path=path),
            passphrase=PASSPHRASE,
            passphrase_again=PASSPHRASE,
            allowance_bytes=allowance_bytes,
            by=self.ines,
        ).store

    def device(self, agent_id: str = "p1", content: dict[tuple[str, str], bytes] | None = None) -> Device:
        """A paired device with the content of a small phone."""
        from server.fleet.actions.add_device import pair_device

        self.outside.devices[agent_id] = MemoryDevice(phone() if content is None else content)
        return pair_device(agent_id=agent_id, code=CODE, name="Orlo H1", holder=f"Holder of {agent_id}", team="Shore Crew", by=self.ines)

    def draft(self, store: Store, **changes: Any) -> Draft:
        from datetime import time

        fields = {
            "name": "Nightly", "kinds": ["contacts", "photos", "documents", "app_data"], "rule": "FREQ=DAILY", "starts_at": time(22),
            "window_closes": time(6), "store": store.id, "promise_seconds": 2 * 86_400, "keep_last": 2, "keep_daily": 3, "keep_weekly": 0,
            "keep_monthly": 0, "keep_minimum_age_seconds": 0,
        }  # fmt: skip
        return Draft(**(fields | changes))

    def plan(self, *devices: Device, store: Store | None = None, **changes: Any) -> Plan:
        store = store or Store.objects.first() or self.store()
        return save_plan(self.draft(store, **changes), devices=[device.id for device in devices], by=self.ines)

    OWN: ClassVar = {f"own {n}": random.Random(n).randbytes(40_000) for n in range(3)}
    OWN_WORDS = "words of this device alone"

    def sealed_backup(self, device: Device, store: Store) -> Backup:
        """Of photos, taken by the command line with a key that only the device's owner can open, and found by this server."""
        vault = opened(store)
        keys, _ = seal_device(vault, str(device.id), self.OWN_WORDS, now=self.outside.now(), policy=LENIENT)
        self.outside.at += timedelta(minutes=1)
        request = Request(device=str(device.id), device_told={"name": device.name}, kinds=("photos",), note="", zone="UTC")
        held = MemoryDevice({("photos", id): content for id, content in self.OWN.items()})
        Capture(held, Writer(vault, inner=keys), request, clock=self.outside.now).run(None)
        self.outside.at += timedelta(hours=2)
        compare_store(store, now=self.outside.now())
        return adopt(Stray.objects.get(store=store), device=device, by=self.ines)

    def run_now(self, device: Device) -> Run:
        """Asked for by hand and carried out here and now."""
        return carry_out(ask_run_by_hand(device, note="", by=self.ines).id)


@override_settings(
    ATTIC_OUTSIDE="server.tests.outside.waiting",
    PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"],
)
class OfficeTestCase(Furnished, TestCase):
    """The furnished office in one transaction. It is furnished once a class; each test has a copy of it: of the rows by a savepoint,
    of the outside and of what `furnish` has put into `self` as Django copies it. What is not to be copied (sockets, patches, folders)
    is made in `setUp`."""

    _scene: ClassVar[dict[str, Any]]

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        scene = cls()
        cls.addClassCleanup(scene.doCleanups)
        own = set(vars(scene))
        scene.begin(PretendOutside())
        scene.furnish()
        cls._scene = {name: value for name, value in vars(scene).items() if name not in own}

    def setUp(self) -> None:
        super().setUp()
        scene = self._scene  # a copy: Django sees to it for what `setUpTestData` has put into the class
        self.begin(scene["outside"])
        vars(self).update(scene)
