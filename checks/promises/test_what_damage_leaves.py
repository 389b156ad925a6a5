"""What is left by damage and by looking for it: checks in pieces and in shares, what is mended from where, what is missing and back, scans."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from itertools import count

from checks.promises.traces import Traced
from core.vault.capture import Capture, Request
from core.vault.tests.bench_of_one import MemoryDevice
from core.vault.writer import Writer
from server.fleet.models import Scan
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.check_store import PIECE, ROUND, check_store
from server.runs.actions.compare_store import compare_store
from server.runs.actions.scan_device import scan_device
from server.runs.models import Backup, Copy, Run
from server.storage.models import Store
from server.storage.queries import opened


class Damage(Traced):
    story = "damage"

    def furnish(self) -> None:
        super().furnish()
        self.room, self.cellar = self.nightly.store, self.store("Cellar")
        self.outside.devices["p1"].content["contacts", "c000"] = b"another"
        self.run_now(self.one)

    def test_leaves_what_is_written_down(self) -> None:
        newest = Backup.objects.latest("finished_at")
        self.whole()
        with self.broken():
            self.check("nothing else has it", 100)
            self.check("a tenth is read", 10)
            self.check("nothing is read but the lists", 0)
            self.pieces()
        self.asked("the newest is copied", f"post backups/{newest.id}/copy", store=str(self.cellar.id), lasts=True)
        self.lasting("it is carried", lambda: carry_copies(self.cellar.id))
        for title, fields in (("may only be read", {"mode": "read_only"}), ("is in use", {"mode": "in_use"})):
            self.meanwhile(Store.objects.filter(id=self.room.id), **fields)
            with self.broken():
                self.check(f"damage in a store that {title}", 100)
        self.by_its_device()
        self.missing(newest)
        self.strangers()
        self.scans()
        self.ends()

    def check(self, title: str, percent: int, *, lasts: bool = False) -> None:
        room = Store.objects.get(id=self.room.id)
        act = self.lasting if lasts else self.deed
        act(
            f"{title}: {percent} %",
            lambda: bool(check_store(room, percent=percent, by=self.ines, clock=lambda: 5.0, sleep=lambda seconds: None)),
        )

    @contextmanager
    def broken(self, *, keeps: bool = False) -> Iterator[None]:
        """Every pack of the room, but for its head; afterwards they are as before. `keeps`: what was written meanwhile."""
        held = self.outside.stores[self.room.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:40] + bytes(len(held[name]) - 40)
        yield
        if not keeps:
            held.clear()
        held |= whole

    def whole(self) -> None:
        self.check("all is well", 100)
        self.check("all is well", 10)
        self.check("all is well", ROUND)
        self.meanwhile(Store.objects.filter(id=self.room.id), check_days=3, check_limit_bytes_per_second=20_000)
        self.check("within three days", ROUND)
        self.meanwhile(Copy.objects.filter(backup=self.backup), intact=False, damaged={"contacts": {"items": 1, "names": ["c001"]}})
        self.check("it was damaged, and is not", 100)
        self.check("it was damaged, and nobody reads all", 10)
        self.meanwhile(Copy.objects.filter(backup=self.backup), intact=True, damaged={})
        self.asked("it is asked for", f"post stores/{self.room.id}/check", percent=10)
        there = self.outside.stores.pop(self.room.where)
        self.check("it is away", 100)
        self.outside.stores[self.room.where] = there
        self.meanwhile(Store.objects.filter(id=self.room.id), trouble="It was away.", trouble_code="store.missing")
        self.check("it is back", 0)
        self.meanwhile(Store.objects.filter(id=self.room.id), trouble="", trouble_code="")

    def pieces(self) -> None:
        """Each piece ends as soon as it may."""
        for number in range(3):
            late = count(0, int(PIECE.total_seconds()))
            room = Store.objects.get(id=self.room.id)
            self.lasting(
                f"piece {number}",
                lambda room=room, late=late: bool(
                    check_store(room, percent=100, by=self.ines, clock=lambda: float(next(late)), sleep=lambda seconds: None)
                ),
            )
        self.check("the rest at once", 100)
        self.meanwhile(Store.objects.filter(id=self.room.id), check_progress={})
        self.meanwhile(Copy.objects.filter(store=self.room), intact=True, damaged={})

    def by_its_device(self) -> None:
        self.meanwhile(Copy.objects.filter(store=self.cellar), state="removed")
        with self.broken(keeps=True):
            self.check("it is found damaged", 100, lasts=True)
            self.asked("its next run", f"post devices/{self.one.id}/run", note="", occasion="", hold_until=None, lasts=True)
            self.lasting("it mends what it can", lambda: carry_out(Run.objects.get(state="waiting").id).state)
        self.check("nothing is damaged any more", 100, lasts=True)

    def missing(self, newest: Backup) -> None:
        held = self.outside.stores[self.room.where].held
        self.asked("what is there is given up", f"post copies/{Copy.objects.get(backup=newest, store=self.room).id}/give-up")
        lost = {name: held.pop(name) for name in list(held) if newest.id.hex in name}
        self.assertTrue(lost)
        self.lasting("one is not there", lambda: str(compare_store(self.room, now=self.outside.now())))
        self.deed("and is told once", lambda: str(compare_store(self.room, now=self.outside.now())))
        self.asked("it is given up", f"post copies/{Copy.objects.get(backup=newest, store=self.room).id}/give-up")
        held |= lost
        self.lasting("it is back", lambda: str(compare_store(self.room, now=self.outside.now())))
        there = self.outside.stores.pop(self.room.where)
        self.deed("its store is away", lambda: str(compare_store(self.room, now=self.outside.now())))
        self.outside.stores[self.room.where] = there

    def strangers(self) -> None:
        """A backup that somebody else's program wrote, who tells much."""
        tells = {"name": "n" * 300, "holder": "h" * 300, "team": "t" * 300} | {f"more {number:02}": "x" * 300 for number in range(30)}
        for key, told in (("k" * 300, tells), ("phone of nobody", {})):
            request = Request(device=key, device_told=told, kinds=("photos",), note="", zone="UTC")
            Capture(MemoryDevice({("photos", "p"): b"x"}), Writer(opened(self.cellar)), request, clock=self.outside.now).run(None)
        self.day += timedelta(days=1)
        self.lasting("somebody else wrote there", lambda: str(compare_store(self.cellar, now=self.outside.now())))
        self.asked("what lies there", f"get stores/{self.cellar.id}/found")

    def scans(self) -> None:
        device = self.outside.devices["p1"]
        self.lasting("it is scanned", lambda: scan_device(self.one))
        device.content |= {("photos", f"new {number:02}"): bytes([number]) * (100 + number) for number in range(15)}
        self.deed("it has new pictures", lambda: scan_device(self.one))
        device.names["photos", "new 03"] = "n" * 300
        self.deed("one has a long name", lambda: scan_device(self.one))
        self.meanwhile(Copy.objects.all(), intact=False)
        self.deed("no backup of it is whole", lambda: scan_device(self.one))
        self.meanwhile(Copy.objects.all(), intact=True)
        there = self.outside.stores.pop(self.room.where)
        self.deed("no store can be opened", lambda: scan_device(self.one))
        self.outside.stores[self.room.where] = there
        device.told = replace(device.told, locked=True)
        self.deed("it is locked", lambda: scan_device(self.one))
        self.assertEqual(Scan.objects.count(), 1)
