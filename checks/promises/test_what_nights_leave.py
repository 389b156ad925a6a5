"""What happens by itself: nights and runs, restores and drills, mornings, incidents and what is told of them."""

from datetime import timedelta
from typing import Any

from django.core import mail

from checks.promises.traces import Traced
from core.content.errors import DeviceLocked
from server.fleet.models import Device
from server.oversight.actions.age_out import age_out
from server.oversight.actions.anomalies import look_for_anomalies
from server.oversight.actions.record_morning import record_morning
from server.oversight.actions.write_months import write_months
from server.oversight.models import Anomaly, Incident
from server.people.models import Office, User
from server.recovery.actions.carry_out import carry_out as carry_restore_out
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.actions.write_office import write_into
from server.recovery.models import Drill, Restore
from server.runs.actions.carry_out import carry_out
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.requeue import let_go, requeue_due, requeue_lost_runs
from server.runs.actions.start_due import start_due
from server.runs.models import Backup, Run
from server.storage.models import Store
from server.telling.actions.hooks import add_hook
from server.telling.actions.send import send_waiting
from server.telling.actions.watch_office import watch_office


class Night(Traced):
    story = "night"

    def test_leaves_what_is_written_down(self) -> None:
        self.two = self.device("p2", {("contacts", "c1"): b"one", ("photos", "p1"): b"two" * 5000})
        self.plan(self.two, name="Nightly too", needs_power=True)
        self._known = None
        self.by_hand()
        self.day = self.day.replace(hour=21)
        self.lasting("the night is lined up", lambda: len(line_up_night(now=self.outside.now())))
        self.deed("it is lined up again", lambda: len(line_up_night(now=self.outside.now())))
        self.deed("nothing is due yet", lambda: len(start_due(now=self.day)))
        self.lasting("what is due is started", lambda: len(start_due(now=self.day + timedelta(hours=1))))
        self.deed("it is started once", lambda: len(start_due(now=self.day + timedelta(hours=1, minutes=1))))
        first, second = (Run.objects.get(device=one, state="waiting") for one in (self.one, self.two))
        self.deed("its device runs on battery", lambda: carry_out(second.id).state)
        self.deed("it is carried out", lambda: carry_out(first.id).state)
        self.outside.away.add("p1")
        self.lasting("a device is away", lambda: carry_out(first.id).state)
        self.deed("it is not its turn yet", lambda: requeue_due(now=self.day))
        self.deed("it is its turn again", lambda: requeue_due(now=self.day + timedelta(hours=2)))
        self.outside.devices["p2"].cut_after = 9000
        self.lasting("a cable comes loose", lambda: carry_out(second.id).state)
        self.outside.devices["p2"].cut_after = None
        self.meanwhile(Run.objects.filter(id=second.id), state="running", started_at=self.day)
        self.deed("a worker is not lost yet", lambda: requeue_lost_runs(now=self.day + timedelta(minutes=9)))
        self.nothing_waits()
        self.deed("a worker is lost", lambda: requeue_lost_runs(now=self.day + timedelta(minutes=9)))
        self.day += timedelta(days=1)
        self.lasting("the window has closed", lambda: let_go(now=self.outside.now()))
        self.lasting("the next night is started", lambda: len(start_due(now=self.day + timedelta(hours=1))))
        self.ends()

    def by_hand(self) -> None:
        ask = f"post devices/{self.one.id}/run"
        body: dict[str, Any] = {"note": " before the trip ", "occasion": "", "hold_until": None}
        self.asked("a run by hand", ask, **body, lasts=True)
        self.asked("another one meanwhile", ask, **body)
        run = Run.objects.get(state="waiting")
        self.asked("it is stopped", f"post runs/{run.id}/stop")
        self.outside.devices["p1"].content["contacts", "c000"] = b"another"
        self.lasting("it is carried out by hand", lambda: carry_out(run.id).state)
        self.asked("what has ended is stopped", f"post runs/{run.id}/stop")
        self.deed("it is carried out twice", lambda: carry_out(run.id).state)
        for title, values in (
            ("before a repair", {"occasion": "before_repair", "hold_until": "2026-06-01"}), ("held until yesterday", {"occasion": "before_repair", "hold_until": "2026-03-01"}),
            ("an occasion that is none", {"occasion": "at sea"}), ("a long note", {"note": "n" * 201}),
        ):  # fmt: skip
            self.asked(f"a run: {title}", ask, **body | values)
        for state in ("retired", "lost", "away"):
            self.meanwhile(Device.objects.filter(id=self.one.id), state=state)
            self.asked(f"a run of one that is {state}", ask, **body)
        self.meanwhile(Device.objects.filter(id=self.one.id), state="in_use")
        self.meanwhile(Store.objects.all(), mode="paused")
        self.asked("a run into a store that rests", ask, **body, lasts=True)
        self.deed("it is carried out into a store that rests", lambda: carry_out(Run.objects.get(state="waiting").id).state)
        self.meanwhile(Store.objects.all(), mode="in_use")
        real = self.outside.devices["p1"].told
        self.outside.devices["p1"].state = _locked  # type: ignore[method-assign]
        self.deed("a device is locked", lambda: carry_out(Run.objects.get(state="waiting").id).state)
        del self.outside.devices["p1"].state  # type: ignore[method-assign]
        self.assertEqual(self.outside.devices["p1"].state(), real)
        self.lasting("it is carried out after all", lambda: carry_out(Run.objects.get(state="waiting").id).state)


def _locked() -> Any:
    raise DeviceLocked("The device is locked.")


class Recovery(Traced):
    story = "recovery"

    def test_leaves_what_is_written_down(self) -> None:
        usual = self.bodies()["ask_restore"][1]
        ask = "post restores"
        device = {"target": "device", "device": str(self.one.id), "when_there": "replace"}
        for title, values in (
            ("an archive of contacts", {}), ("an archive of everything", {"everything": True, "kinds": []}), ("as other cards", {"cards": "x"}),
            ("laid out otherwise", {"layout": "x"}), ("nothing", {"kinds": []}), ("a kind that is not in it", {"kinds": ["calls"]}),
            ("one item", {"kinds": [], "items": [{"kind": "contacts", "id": "c001"}]}), ("too many items", {"items": [{"kind": "contacts", "id": "c001"}] * 5001}),
            ("to nowhere", {"target": "x"}), ("to no device", {"target": "device"}), ("onto its device", device), ("onto its device, somehow", device | {"when_there": "x"}),
            ("an archive under a passphrase", {"passphrase": "low water at noon", "passphrase_again": "low water at noon"}),
            ("an archive under two", {"passphrase": "low water at noon", "passphrase_again": "x"}), ("a backup that is none", {"backup": str(self.one.id)}),
        ):  # fmt: skip
            self.asked(f"a restore: {title}", ask, **usual | values)
            self.asked(f"before a restore: {title}", "post preflight", **usual | values)
        self.asked("a restore onto its device", ask, **usual | device | {"kinds": ["contacts", "photos"]}, lasts=True)
        onto = Restore.objects.get()
        self.asked("it is stopped", f"post restores/{onto.id}/stop")
        self.outside.devices["p1"].content["contacts", "c001"] = b"changed since"
        del self.outside.devices["p1"].content["photos", "p0"]
        self.lasting("it is carried out", lambda: carry_restore_out(onto.id).state)
        self.asked("what has ended is stopped", f"post restores/{onto.id}/stop")
        self.asked("an archive", ask, **usual, lasts=True)
        archive = Restore.objects.exclude(id=onto.id).get()
        self.lasting("it is made", lambda: carry_restore_out(archive.id).state)
        self.asked("it is kept longer, though it is no folder", f"post exports/{archive.id}/keep", until="2026-04-01", keeper=self.ines.id)
        self.asked("it is erased", f"post exports/{archive.id}/erase")
        self.day += timedelta(days=40)
        self.lasting("its time is over", lambda: end_exports(now=self.outside.now()))
        self.asked("what is gone is erased", f"post exports/{archive.id}/erase")
        self.drills()
        self.lasting("the office's record is written", lambda: write_into(self.nightly.store_id, now=self.outside.now()))
        self.deed("and once more", lambda: write_into(self.nightly.store_id, now=self.outside.now()))
        self.ends()

    def drills(self) -> None:
        rules = {"a_day": 1, "most_minutes": 30, "most_bytes": 1 << 30, "limit_bytes_per_second": None, "wanted_days": 90}
        for field, value in (
            ("a_day", 51), ("a_day", 50), ("a_day", 0), ("a_day", -1), ("most_minutes", 601), ("most_minutes", 0), ("wanted_days", 1001), ("wanted_days", 0), ("most_bytes", 0),
            ("limit_bytes_per_second", 1),
        ):  # fmt: skip
            self.asked(f"rules of drills with {field} {value}", "put drills/rules", **rules | {field: value})
        self.asked("rules of drills", "put drills/rules", **rules, lasts=True)
        self.deed("a drill is owed", lambda: owe_drills(now=self.outside.now()))
        self.asked("a drill", "post drills", device=str(self.one.id), store=None, lasts=True)
        self.asked("another one meanwhile", "post drills", device=str(self.one.id), store=None)
        drill = Drill.objects.get()
        self.asked("it is stopped", f"post drills/{drill.id}/stop")
        self.meanwhile(Drill.objects.all(), state="running")
        self.asked("a running one is stopped", f"post drills/{drill.id}/stop")
        self.meanwhile(Drill.objects.all(), state="waiting")
        self.lasting("it is carried out", lambda: carry_out_drill(drill.id, clock=lambda: 5.0, sleep=lambda seconds: None).state)
        self.deed("it is carried out twice", lambda: carry_out_drill(drill.id, clock=lambda: 5.0, sleep=lambda seconds: None).state)
        self.asked("what has ended is stopped", f"post drills/{drill.id}/stop")
        self.deed("none is owed that day", lambda: owe_drills(now=self.outside.now()))


class Mornings(Traced):
    story = "mornings"

    def furnish(self) -> None:
        super().furnish()
        User.objects.filter(username="ines").update(email="ines@office.example", wants_digest=True, wants_alerts=True)
        User.objects.filter(username="piet").update(email="piet@office.example", wants_alerts=True, quiet_from="20:00", quiet_until="09:30")
        add_hook(name="Board", address="https://board.example/in", inside=False, signs_of_life=True, by=self.ines)

    def test_leave_what_is_written_down(self) -> None:
        self.watch("all is well")
        self.sent("what waits is sent")
        self.day += timedelta(days=3)
        self.watch("its device is late")
        self.outside.deaf_hooks.add("https://board.example/in")
        self.sent("the hook is deaf")
        self.outside.deaf_hooks.clear()
        self.day += timedelta(hours=1)
        self.sent("the hook hears again")
        self.watch("nothing has changed")
        incident = Incident.objects.filter(closed_at__isnull=True).order_by("code").first()
        assert incident is not None
        put = f"post incidents/{incident.id}/put-off"
        self.asked("it is put off", put, until="2026-03-10", why=" the holder is at sea ", lasts=True)
        for title, until, why in (
            ("until today", "2026-03-05", "w"),
            ("without a reason", "2026-03-10", " "),
            ("for two years", "2028-03-10", "w"),
        ):
            self.asked(f"it is put off {title}", put, until=until, why=why)
        self.asked("it is taken up", f"delete incidents/{incident.id}/put-off")
        self.watch("it is put off, and nobody is told")
        self.asked("everything that is late is run", "post causes/run", code=incident.code, lasts=True)
        self.asked("and once more", "post causes/run", code=incident.code)
        self.run_now_or_waiting()
        self.watch("it is over")
        self.sent("what was told of it")
        self.anomalies()
        self.lasting("the morning is recorded", lambda: record_morning(now=self.outside.now()))
        self.deed("and once more", lambda: record_morning(now=self.outside.now()))
        self.asked("safe to wipe, signed", f"post devices/{self.one.id}/wipe", occasion="new_holder", note=" before the repair ")
        for occasion in ("", "before_repair"):
            self.asked(f"signed for {occasion or 'nothing'}", f"post devices/{self.one.id}/wipe", occasion=occasion, note=" n ")
        self.day += timedelta(days=31)
        self.lasting("the month is written", lambda: write_months(now=self.outside.now()))
        self.deed("and once more, that", lambda: write_months(now=self.outside.now()))
        sorts = (
            "journal",
            "own_clouds",
            "runs",
            "line_ups",
            "backups",
            "imports",
            "downloads",
            "restores",
            "drills",
            "matters",
            "mornings",
            "messages",
        )
        self.meanwhile(Office.objects.all(), ages=dict.fromkeys(sorts, 60))
        self.day += timedelta(days=70)
        self.deed("records age out", lambda: str(sorted(age_out(now=self.outside.now()).items())))
        self.ends()

    def watch(self, title: str) -> None:
        self.lasting(title, lambda: watch_office(now=self.outside.now()))

    def sent(self, title: str) -> None:
        mail.outbox.clear()
        self.outside.hooked.clear()
        self.lasting(title, lambda: send_waiting(now=self.outside.now()))
        self.deeds[-1] += "".join(sorted(f"\n  mail to {one.to}: {one.subject}" for one in mail.outbox))

    def run_now_or_waiting(self) -> None:
        waiting = Run.objects.filter(state="waiting").first()
        self.lasting("the run is carried out", lambda: carry_out(waiting.id).state if waiting else "none")

    def anomalies(self) -> None:
        content = self.outside.devices["p1"].content
        for day in range(4):
            self.outside.at = self.day = self.day + timedelta(days=1)
            content["contacts", "c000"] = f"{day}".encode()
            self.run_now(self.one)
        for key in [key for key in content if key[0] == "contacts"][5:]:
            del content[key]
        self.outside.at = self.day = self.day + timedelta(days=1)
        backup: Backup = self.run_now(self.one).backup
        self._known = None
        self.lasting("a backup is compared with its past", lambda: len(look_for_anomalies(backup, now=self.outside.now())))
        self.deed("an older one is compared", lambda: len(look_for_anomalies(self.backup, now=self.outside.now())))
        self.meanwhile(Device.objects.all(), state="in_repair")
        self.deed("it is compared while its device is in repair", lambda: len(look_for_anomalies(backup, now=self.outside.now())))
        self.meanwhile(Device.objects.all(), state="in_use")
        self.deed("it is compared again", lambda: len(look_for_anomalies(backup, now=self.outside.now())))
        self.watch("it is an incident")
        row = Anomaly.objects.filter(settled_at__isnull=True).first()
        assert row is not None
        self.asked("it is settled without a reason", f"post anomalies/{row.id}/settle", why=" ")
        self.asked("it is settled", f"post anomalies/{row.id}/settle", why=" cleaned up on purpose ", lasts=True)
        self.asked("it is settled twice", f"post anomalies/{row.id}/settle", why="w")
