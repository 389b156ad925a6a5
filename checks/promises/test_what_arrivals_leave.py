"""What comes from elsewhere: devices of the register that get a link, old backups brought in, a store that survived its server."""

import io
import zipfile
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from checks.promises.traces import Traced
from core.content.kinds import KINDS
from core.content.link import Card, DeviceReport
from core.vault.tests.bench_of_one import MemoryDevice
from server.fleet.actions.add_device import WRONG_CODES
from server.fleet.actions.change_device import note_told
from server.fleet.models import Device
from server.oversight.actions.anomalies import look_for_anomalies
from server.people.models import Holder
from server.plans.actions.leave_out import leave_out
from server.recovery.models import Restore
from server.runs.actions.carry_out import carry_out
from server.runs.actions.compare_store import compare_store
from server.runs.actions.take_import import lost_imports, scan_import, take_import
from server.runs.models import Backup, Copy, Import, Run, Stray
from server.storage.models import Store
from server.tests.outside import CODE, PASSPHRASE

CARD = "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada\r\nEND:VCARD\r\n"


class Links(Traced):
    story = "links"

    def test_leave_what_is_written_down(self) -> None:
        listed = "name;holder;team;family;serial\r\nH2;E. Brandt;Deck Crew;orlo;S8\r\nOld;L. Pellow;;other;\r\n"
        shown = self.asked("a list is shown", "post devices/import/preview", content=listed).json()
        self.asked("with the digest of another one", "post devices/import", content=listed, digest="0" * 64)
        self.asked("it is taken", "post devices/import", content=listed, digest=shown["digest"], lasts=True)
        entry, old = (Device.objects.get(name=name) for name in ("H2", "Old"))
        self.outside.devices["p7"] = MemoryDevice({("contacts", "c1"): b"one"})
        pair: dict[str, Any] = {"agent_id": "p7", "code": CODE, "name": "H7", "holder": "New One", "team": "Deck Crew", "registered": None}
        self.asked("a device is paired", "post devices/pair", **pair)
        self.asked("it is linked to its entry", "post devices/pair", **pair | {"registered": str(entry.id)})
        self.asked("to one that has a link", "post devices/pair", **pair | {"registered": str(self.one.id)})
        self.asked("without a name", "post devices/pair", **pair | {"name": " "})
        self.asked("with a name of 121 letters", "post devices/pair", **pair | {"name": "x" * 121})
        self.asked("without a holder", "post devices/pair", **pair | {"holder": " "})
        self.asked("with a wrong code", "post devices/pair", **pair | {"code": "WRONG234"})
        self.asked("with half a code", "post devices/pair", **pair | {"code": "ABCD"})
        for _ in range(WRONG_CODES):
            self.asked("with a wrong code that counts", "post devices/pair", **pair | {"code": "WRONG234"}, lasts=True)
        self.asked("with the right one after too many", "post devices/pair", **pair)
        self.day += timedelta(hours=1)
        self.asked("and ten minutes later", "post devices/pair", **pair)
        self.asked("one that is not offered", "post devices/pair", **pair | {"agent_id": "p8"})
        self.outside.serials["p7"] = "s8"
        self.asked("with the serial of an entry", "post devices/pair", **pair)
        self.asked("and linked to it", "post devices/pair", **pair | {"registered": str(entry.id)})
        self.meanwhile(Device.objects.filter(id=self.one.id), serial="S9")
        self.outside.serials["p7"] = "S9"
        self.asked("with the serial of a device", "post devices/pair", **pair)
        self.folders(old)
        self.asked(
            "a list that changes and creates", "post devices/import/preview", content="id;name;holder;family\r\n;H9;E. Brandt;orlo\r\n"
        )
        self.ends()

    def folders(self, old: Device) -> None:
        with TemporaryDirectory(prefix="attic-arrivals-") as place:
            self.place = place
            folder: dict[str, Any] = {"path": place, "name": "Share", "holder": "E. Brandt", "team": "", "registered": None}
            self.asked("a folder", "post devices/folder", **folder)
            self.asked("a folder for an entry", "post devices/folder", **folder | {"registered": str(old.id)}, lasts=True)
            self.asked("the same folder again", "post devices/folder", **folder)
            self.asked("a folder without a name", "post devices/folder", **folder | {"name": ""})
            rules = [{"pattern": " *.jpg ", "kind": "photos"}]
            link = f"put devices/{old.id}/link"
            self.asked("rules for it", link, rules=rules, limit_bytes_per_second=None, folder=place, sftp=None)
            self.asked(
                "rules that are none",
                link,
                rules=[{"pattern": "", "kind": "photos"}],
                limit_bytes_per_second=None,
                folder=place,
                sftp=None,
            )
            self.asked(
                "rules for a kind that is none",
                link,
                rules=[{"pattern": "*", "kind": "x"}],
                limit_bytes_per_second=None,
                folder=place,
                sftp=None,
            )
            self.asked("rules are tried", f"post devices/{old.id}/link/preview", rules=rules)


class Imports(Traced):
    story = "imports"

    def test_leave_what_is_written_down(self) -> None:
        store = str(self.nightly.store_id)
        with TemporaryDirectory(prefix="attic-arrivals-") as place:
            self.place = place
            file = Path(place) / "old phone.zip"
            file.write_bytes(_archive({"who.vcf": CARD, "a.txt": "x", "../b": "y"}))
            self.asked("an import", "post imports", path=str(file), lasts=True)
            row = Import.objects.get()
            take = f"post imports/{row.id}/take"
            body: dict[str, Any] = {"device": str(self.one.id), "store": store, "moment": "2024-05-06T09:00"}
            self.asked("it is taken before it was looked into", take, **body)
            self.deed("it is not lost yet", lambda: lost_imports(now=self.outside.now()))
            self.nothing_waits()
            self.deed("one that is lost is looked into again", lambda: lost_imports(now=self.day + timedelta(hours=2)))
            self.lasting("it is looked into", lambda: scan_import(row.id).state)
            self.deed("it is looked into twice", lambda: scan_import(row.id).state)
            for title, values in (
                ("from the future", {"moment": "2030-01-01T00:00"}), ("from no moment", {"moment": "soon"}), ("of no device", {"device": store}),
                ("into no store", {"store": str(self.one.id)}),
            ):  # fmt: skip
                self.asked(f"it is taken {title}", take, **body | values)
            self.deed("it is carried out before it was asked", lambda: take_import(row.id).state)
            self.asked("it is taken", take, **body, lasts=True)
            self.asked("it is taken twice", take, **body)
            self.nothing_waits()
            self.deed("one that is lost is taken again", lambda: lost_imports(now=self.day + timedelta(hours=2)))
            self.lasting("it is carried out", lambda: take_import(row.id).state)
            self.deed("it is carried out twice", lambda: take_import(row.id).state)
            self.asked("it is dropped", f"delete imports/{row.id}")
            file.write_bytes(_archive({"../only": "x"}))
            self.asked("another one", "post imports", path=str(file), lasts=True)
            other = Import.objects.exclude(id=row.id).get()
            self.lasting("with nothing in it", lambda: scan_import(other.id).state)
            self.asked("nothing is taken", f"post imports/{other.id}/take", **body)
            self.asked("it is dropped too", f"delete imports/{other.id}", lasts=True)
        self.ends()


class Found(Traced):
    """The store of a server that burned."""

    story = "found"

    def test_leaves_what_is_written_down(self) -> None:
        two = self.device("p2", {("contacts", "c1"): b"one"})
        self.plan(two, name="Other")
        self.outside.at = self.day
        for device in (self.one, two):
            self.run_now(device)
        where, restore = Store.objects.get().where, self.bodies()["ask_restore"][1]
        for rows in (Copy, Backup, Run):
            rows.objects.all().delete()
        Store.objects.get().targets.all().delete()
        Store.objects.all().delete()
        Device.objects.all().delete()
        self.day += timedelta(days=1)
        self._known = None
        attach = {"name": "From the old server", "path": where, "passphrase": PASSPHRASE, "allowance_bytes": 5_000_000}
        self.asked("it is attached with another passphrase", "post stores/attach", **attach | {"passphrase": "high tide at the old sluice"})
        self.asked("it is attached where nothing lies", "post stores/attach", **attach | {"path": "/stores/nothing"})
        self.asked("it is attached", "post stores/attach", **attach, lasts=True)
        store = Store.objects.get()
        self.lasting("it is compared", lambda: str(compare_store(store, now=self.outside.now())))
        take = f"post stores/{store.id}/found"
        self.asked("nobody's are taken in", take, key="nobody", device=None)
        self.meanwhile(
            Stray.objects.filter(device_key=str(self.one.id)),
            told={"name": "n" * 200, "holder": "h" * 200, "serial": "S5" + "s" * 200, "family": "x"},
        )
        self.asked("one that tells too much is taken in", take, key=str(self.one.id), device=None)
        self.meanwhile(
            Stray.objects.filter(device_key=str(self.one.id)),
            told={"name": "Orlo H1", "holder": "H", "team": "Crew", "serial": "S5", "family": "orlo"},
        )
        self.asked("one with a serial is taken in", take, key=str(self.one.id), device=None)
        other = Device.objects.create(name="Other", holder=Holder.objects.create(name="Other"), serial="s5", added_at=self.day)
        self._known = None
        self.asked("one with the serial of another", take, key=str(self.one.id), device=None)
        other.delete()
        self._known = None
        self.asked("one is taken in", take, key=str(self.one.id), device=None, lasts=True)
        device = Device.objects.get()
        self.asked("it is taken in twice", take, key=str(self.one.id), device=None)
        self.asked("the other one is taken in for it", take, key=str(two.id), device=str(device.id))
        back = f"post stores/{store.id}/give-back"
        self.asked("they are given back", back, device=str(device.id))
        backup = Backup.objects.order_by("finished_at").first()
        assert backup is not None
        self.meanwhile(Copy.objects.filter(backup=backup), intact=False)
        self.asked("they are given back though one is damaged", back, device=str(device.id))
        self.asked("one was restored from", "post restores", **restore | {"backup": str(backup.id)}, lasts=True)
        self.assertTrue(Restore.objects.exists())
        self.asked("and they are given back", back, device=str(device.id))
        self.lasting("it is compared once more", lambda: str(compare_store(store, now=self.outside.now())))
        self.ends()


class Sayings(Traced):
    """What devices say of themselves, and what is made of it."""

    story = "sayings"

    def test_leave_what_is_written_down(self) -> None:
        told = self.outside.devices["p1"].told
        two = self.device("p2", {("contacts", "c1"): b"one"})
        self.meanwhile(Device.objects.filter(id=two.id), serial="S2")
        full = replace(
            told, make="Orlo Works", model="H1 Max", os_version="10", serial="S1", storage_total_bytes=64 << 30, storage_used_bytes=9 << 30, accepted=True,
            update_pending="10.1", clock=self.day + timedelta(hours=2), card=Card(present=True, size_bytes=32 << 30, used_bytes=1 << 30, encrypted=False),
        )  # fmt: skip
        self.say("everything", full)
        self.say("the serial of another", replace(full, serial="s2"))
        for column, value in (("storage_total_bytes", 5), ("serial", "s1"), ("make", "Harrow"), ("model", "H0"), ("os_version", "8")):
            self.meanwhile(Device.objects.filter(id=self.one.id), **{column: value})
        self.say("what is known", full)
        self.say("nothing more than it must", replace(told, make="", model="", os_version=""))
        self.say("another serial", replace(full, serial="S3"))
        self.meanwhile(Device.objects.filter(id=self.one.id), link="folder")
        self.say("another serial, of a folder", replace(full, serial="S3"))
        self.meanwhile(Device.objects.filter(id=self.one.id), link="agent")
        self.asked("a run", f"post devices/{self.one.id}/run", note="", occasion="", hold_until=None, lasts=True)
        run = Run.objects.get(state="waiting")
        self.outside.devices["p1"].told = replace(
            full, clock=self.day + timedelta(hours=2), finder_lock=True, battery_percent=5, on_power=False
        )
        self.lasting("a run meets its clock and its card", lambda: carry_out(run.id).state)
        newest = Backup.objects.latest("finished_at")
        self.deed("it is compared with its past", lambda: len(look_for_anomalies(newest, now=self.outside.now())))
        self.meanwhile(Run.objects.filter(id=run.id), progress={"kinds": [{"kind": "contacts", "items": 150, "unchanged": 0}]})
        self.deed("nobody knows how many there were before", lambda: len(look_for_anomalies(newest, now=self.outside.now())))
        self.meanwhile(Backup.objects.filter(id=newest.id), run=None)
        self.deed("no run made it", lambda: len(look_for_anomalies(newest, now=self.outside.now())))

        self.asked("its clock is settled though nobody doubts it", "post clock/settle")
        for kinds in (["contacts"], ["photos", "contacts"], ["contacts", "photos", "documents", "app_data"]):
            self.deed(f"left out: {', '.join(kinds)}", lambda kinds=kinds: bool(leave_out(self.nightly, kinds, why=" w ", by=self.ines)))
        self.meanwhile(type(self.nightly).objects.filter(id=self.nightly.id), reach="all_but", kinds=["messages"])
        self.deed("left out of all but one", lambda: bool(leave_out(self.nightly, ["contacts"], why="w", by=self.ines)))
        self.deed("left out of all", lambda: bool(leave_out(self.nightly, list(KINDS), why="w", by=self.ines)))
        self.ends()

    def say(self, title: str, told: DeviceReport) -> None:
        self.deed(f"it says {title}", lambda: note_told(Device.objects.get(id=self.one.id), told, now=self.outside.now()))


def _archive(files: dict[str, str]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        for name, content in files.items():
            file.writestr(zipfile.ZipInfo(name, date_time=(2024, 5, 6, 7, 8, 10)), content)
    return out.getvalue()
