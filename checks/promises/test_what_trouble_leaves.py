"""What is left when it does not go as it should: workers that die, content that is damaged, hooks and mail servers that are deaf."""

import smtplib
from datetime import date, datetime, time, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

from checks.promises.traces import Traced
from core.vault.sweeper import Sweeper, hand_over
from server.fleet.models import Device
from server.oversight.actions.incidents import refresh_incidents
from server.oversight.cause import Cause
from server.oversight.incidents import known_incidents
from server.oversight.models import Incident
from server.oversight.standing import standings
from server.people.models import Holder, Office, User
from server.plans.actions.join_by_team import join_by_team
from server.plans.models import Assignment, TeamPlan
from server.recovery.actions.carry_out import carry_out as carry_restore_out
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.actions.requeue import requeue_lost
from server.recovery.models import Drill, Restore
from server.runs.actions.carry_out import carry_out
from server.runs.actions.requeue import let_go, requeue_due, requeue_lost_runs
from server.runs.models import Backup, Copy, Run
from server.storage.models import Store
from server.storage.queries import opened
from server.telling.actions.announce import ask_holders
from server.telling.actions.hooks import add_hook
from server.telling.actions.send import PAUSES, send_waiting
from server.telling.models import Hook, Message
from server.telling.words import HOLDER_CAN_HELP
from server.tests.pretend import PASSPHRASE

LATER = timedelta(hours=2)


class Lost(Traced):
    """Workers that ended in the middle of it."""

    story = "lost"

    def test_leaves_what_is_written_down(self) -> None:
        self.runs()
        self.restores()
        self.drills()
        self.ends()

    def runs(self) -> None:
        self.asked("a run", f"post devices/{self.one.id}/run", note="", occasion="", hold_until=None, lasts=True)
        run = Run.objects.get(state="waiting")
        rows = Run.objects.filter(id=run.id)
        self.deed("its job is there", lambda: requeue_lost_runs(now=self.day + LATER))
        self.nothing_waits()
        self.deed("its job is lost", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=7)
        self.deed("it was tried seven times", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=8)
        self.deed("it was tried eight times", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=1, next_try_at=self.day + LATER)
        self.deed("it waits for its turn", lambda: requeue_lost_runs(now=self.day + LATER))
        self.deed("its turn has come", lambda: requeue_due(now=self.day + LATER))
        self.meanwhile(rows, cause_code="link.away", log=[{"at": self.day.isoformat(), "says": "It was away."}])
        self.deed("its device was away just now", lambda: requeue_due(now=self.day + timedelta(seconds=44)))
        self.deed("its device is back", lambda: requeue_due(now=self.day + timedelta(seconds=45)))
        self.deed("it is due in a moment anyway", lambda: requeue_due(now=self.day + LATER - timedelta(seconds=45)))
        self.meanwhile(rows, log=[])
        self.deed("it was never tried", lambda: requeue_due(now=self.day + timedelta(minutes=1)))
        self.outside.away.add("p1")
        self.meanwhile(rows, log=[{"at": self.day.isoformat(), "says": "It was away."}])
        self.deed("its device is away still", lambda: requeue_due(now=self.day + timedelta(minutes=1)))
        self.outside.away.clear()
        self.meanwhile(rows, planned_for=self.day, gives_up_at=self.day + LATER, plan=self.nightly)
        self.deed("its time is not over", lambda: let_go(now=self.day + LATER - timedelta(seconds=1)))
        self.deed("its time is over", lambda: let_go(now=self.day + LATER))
        self.deed("nobody gives it a try any more", lambda: carry_out(run.id).state)
        self.meanwhile(rows, next_try_at=None, gives_up_at=self.day + timedelta(minutes=1))
        self.deed("it is given up where it begins", lambda: carry_out(run.id).state)
        self.meanwhile(rows, gives_up_at=self.day + LATER)
        self.meanwhile(Assignment.objects.all(), plan=self.plan(self.device("p2"), name="Other"))
        self.deed("its device follows another plan", lambda: let_go(now=self.day))
        self.meanwhile(Assignment.objects.filter(device=self.one), plan=self.nightly)
        self.meanwhile(rows, plan=None)
        self.deed("its plan is gone", lambda: carry_out(run.id).state)
        self.meanwhile(rows, plan=self.nightly, stop_asked=True)
        self.deed("it was to be stopped", lambda: carry_out(run.id).state)
        self.meanwhile(rows, stop_asked=False)
        self.outside.devices["p1"].lies["c001"] = 99
        self.lasting("one item is another size than told", lambda: carry_out(run.id).state)
        del self.outside.devices["p1"].lies["c001"]
        self.deed("it has ended", lambda: requeue_lost_runs(now=self.day + LATER))

    def restores(self) -> None:
        usual = self.bodies()["ask_restore"][1]
        onto = usual | {"target": "device", "device": str(self.one.id), "when_there": "keep_both"}
        self.asked("a restore", "post restores", **onto, lasts=True)
        restore = Restore.objects.get()
        rows = Restore.objects.filter(id=restore.id)
        self.deed("the job of the restore is there", lambda: requeue_lost(now=self.day + LATER))
        self.nothing_waits()
        self.deed("the restore is lost too soon", lambda: requeue_lost(now=self.day + timedelta(minutes=1)))
        self.deed("the restore is lost", lambda: requeue_lost(now=self.day + LATER))
        self.meanwhile(rows, state="running", attempts=2, started_at=self.day)
        self.deed("the restore is lost once more", lambda: requeue_lost(now=self.day + LATER))
        self.deed("it goes on where it was", lambda: carry_restore_out(restore.id).state)
        self.asked("a running one is stopped", f"post restores/{restore.id}/stop")
        self.meanwhile(rows, stop_asked=True)
        self.deed("one that was stopped goes on", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(rows, stop_asked=False, attempts=3)
        self.deed("the restore is lost for good", lambda: requeue_lost(now=self.day + LATER))
        self.meanwhile(rows, device=None)
        self.deed("its device has left the register", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(rows, device=self.one, kinds=["contacts", "photos"])
        held = self.outside.stores[self.nightly.store.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:100] + bytes(64) + held[name][164:]
        self.deed("a pack is damaged", lambda: carry_restore_out(restore.id).state)
        held.clear()
        self.deed("the store is empty", lambda: carry_restore_out(restore.id).state)
        held |= whole
        copy = Copy.objects.get(backup=self.backup)
        self.meanwhile(Copy.objects.filter(id=copy.id), state="removed")
        self.deed("no store has it any more", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(Copy.objects.filter(id=copy.id), state="present")
        with TemporaryDirectory(prefix="attic-trouble-") as place:
            self.place = place
            (Path(place) / "kept").mkdir()
            shelf: dict[str, Any] = {"path": f"{place}/kept", "name": "Shelf", "holder": "E. Brandt", "team": "", "registered": None}
            self.asked("a folder", "post devices/folder", **shelf, lasts=True)
            other = Device.objects.get(name="Shelf")
            self.asked("onto somebody else's", "post restores", **onto | {"device": str(other.id)}, lasts=True)
            second = Restore.objects.exclude(id=restore.id).get()
            self.lasting("it is written there", lambda: carry_restore_out(second.id).state)
            self.deeds[-1] += f"\n  files: {sorted(path.name for path in (Path(place) / 'kept').rglob('*') if path.is_file())[:3]}"
            folder = usual | {"target": "folder", "folder": f"{place}/out", "until": "2026-03-09", "keeper": None}
            self.exported(folder)
        self.deed("nothing is lost any more", lambda: requeue_lost(now=self.day + LATER))

    def exported(self, folder: dict[str, Any]) -> None:
        ask = "post restores"
        for title, values in (
            ("without a day", {"until": None}), ("until yesterday", {"until": "2026-03-01"}), ("for a year and a day", {"until": "2027-03-03"}), ("for a year and two", {"until": "2027-03-04"}),
            ("kept by nobody", {"keeper": 999_999}), ("at no whole path", {"folder": "out"}), ("with contacts as version 3", {"cards": "3.0"}),
        ):  # fmt: skip
            self.asked(f"a folder on the server {title}", ask, **folder | values)
        self.asked("a folder on the server", ask, **folder, lasts=True)
        export = Restore.objects.get(target="folder")
        self.asked("another one in the same place", ask, **folder)
        self.asked("another one inside of it", ask, **folder | {"folder": folder["folder"] + "/in"})
        self.asked("it is erased before it is there", f"post exports/{export.id}/erase")
        self.lasting("it is written", lambda: carry_restore_out(export.id).state)
        piet = User.objects.get(username="piet").id
        self.asked("Piet keeps it", f"post exports/{export.id}/keep", until="2026-03-20", keeper=piet)
        self.asked("for too long", f"post exports/{export.id}/keep", until="2027-03-20", keeper=piet)
        self.deed("its day is today", lambda: end_exports(now=self.day.replace(day=9, hour=22, minute=59)))
        path = Path(folder["folder"])
        path.rename(path.with_name("away"))
        path.mkdir()
        self.asked("another one is erased by hand", f"post exports/{export.id}/erase")
        self.lasting("another one lies there", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        self.deed("and is told once", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        path.rmdir()
        path.with_name("away").rename(path)
        self.lasting("its day is over", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        self.asked("it is kept though it is gone", f"post exports/{export.id}/keep", until="2026-03-20", keeper=piet)
        self.asked("an archive is made meanwhile", ask, **self.bodies()["ask_restore"][1], lasts=True)
        archive = Restore.objects.get(target="archive")
        self.meanwhile(Restore.objects.filter(id=archive.id), state="complete", file_name="x.zip", file_start="another")
        self.deed("its file is of another start", lambda: end_exports(now=self.day))
        self.meanwhile(Restore.objects.filter(id=archive.id), file_start="")
        self.deed("its file is of no start", lambda: end_exports(now=self.day))

    def drills(self) -> None:
        self.asked("a drill", "post drills", device=str(self.one.id), store=None, lasts=True)
        drill = Drill.objects.get()
        rows = Drill.objects.filter(id=drill.id)
        self.nothing_waits()
        self.deed("the drill is lost too soon", lambda: owe_drills(now=self.day + timedelta(minutes=1)))
        self.deed("the drill is lost", lambda: owe_drills(now=self.day + LATER))
        self.meanwhile(rows, state="running", attempts=2, started_at=self.day)
        self.deed("its worker died", lambda: self.drilled(drill))
        self.meanwhile(rows, attempts=3)
        self.deed("the drill is lost for good", lambda: owe_drills(now=self.day + LATER))
        self.meanwhile(rows, stop_asked=True)
        self.deed("the drill is stopped", lambda: self.drilled(drill))
        self.meanwhile(rows, stop_asked=False, backup=None)
        self.deed("its backup has left", lambda: self.drilled(drill))
        self.meanwhile(rows, backup=self.backup)
        held = self.outside.stores[self.nightly.store.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:100] + bytes(64) + held[name][164:]
        self.deed("the drill finds damage", lambda: self.drilled(drill))
        held |= whole
        late = iter(range(0, 10**9, 10**6))
        self.deed("its time is over at once", lambda: carry_out_drill(drill.id, clock=lambda: next(late), sleep=lambda seconds: None).state)
        self.deed("it goes well", lambda: self.drilled(drill))

    def drilled(self, drill: Drill) -> str:
        return carry_out_drill(drill.id, clock=lambda: 5.0, sleep=lambda seconds: None).state


class Messages(Traced):
    """What is told, and does not arrive."""

    story = "messages"

    def furnish(self) -> None:
        super().furnish()
        self.board, _ = add_hook(name="Board", address="https://board.example/in", inside=False, signs_of_life=True, by=self.ines)
        self.bell, _ = add_hook(name="Bell", address="https://bell.example/in", inside=True, signs_of_life=False, by=self.ines)

    def test_leave_what_is_written_down(self) -> None:
        usual = {"not_before": self.day, "made_at": self.day, "subject": "late", "body": "{}"}
        for number, hook in enumerate((self.board, self.board, self.bell)):
            Message.objects.create(key=f"hook {number}", way="hook", hook=hook, to=hook.address, **usual)
        for number, to in enumerate(("one@office.example", "two@office.example")):
            Message.objects.create(key=f"mail {number}", way="mail", to=to, **usual)
        self._known = None
        send = lambda: send_waiting(now=self.outside.now())  # noqa: E731
        self.deed("it goes", send)
        self.outside.deaf_hooks.add(self.board.address)
        self.deed("one hook is deaf", send)
        self.outside.deaf_hooks.clear()
        self.meanwhile(Hook.objects.filter(id=self.board.id), active=False)
        self.deed("one hook is switched off", send)
        self.meanwhile(Hook.objects.filter(id=self.board.id), active=True, secret=b"hook none\0")
        self.deed("the secret of one cannot be read", send)
        self.meanwhile(Hook.objects.filter(id=self.board.id), secret=self.board.secret)
        refused = smtplib.SMTPRecipientsRefused({"one@office.example": (550, b"nobody")})
        for title, error in (
            ("no mail server answers", ConnectionRefusedError("refused")), ("it refuses whom it is for", refused),
            ("it refuses what it says", smtplib.SMTPDataError(552, b"too long")), ("it is no address", ValueError("no address")),
        ):  # fmt: skip
            with mock.patch("django.core.mail.EmailMessage.send", side_effect=error):
                self.deed(title, send)
        waiting = Message.objects.filter(way="hook", hook=self.bell)
        self.outside.deaf_hooks.add(self.bell.address)
        for attempts in (1, len(PAUSES) - 1, len(PAUSES)):
            self.meanwhile(waiting, attempts=attempts)
            self.deed(f"the bell is deaf after {attempts}", send)
        self.meanwhile(waiting, attempts=0, made_at=self.day - timedelta(days=2, minutes=59))
        self.deed("what it should hear is of no use any more", send)
        self.meanwhile(waiting, made_at=self.day, subject="alive")
        self.deed("it does not hear that the server lives", send)
        self.meanwhile(waiting, subject="late", not_before=self.day + timedelta(hours=1))
        self.deed("it is not to hear it yet", send)
        self.meanwhile(Message.objects.all(), state="sent", made_at=self.day - timedelta(days=400, minutes=59))
        self.deed("old ones go", send)
        address = f"hooks/{self.board.id}"
        self.asked("a hook is tried", f"post {address}/try")
        self.asked("a deaf one is tried", f"post hooks/{self.bell.id}/try")
        self.asked("it is changed", f"put {address}", active=False, inside=True, signs_of_life=False)
        self.asked("it is removed", f"delete {address}", lasts=True)
        self.asked("it is removed twice", f"delete {address}")
        self.ends()


class Afternoons(Traced):
    """What holders are asked, and what two servers of one store tell each other."""

    story = "afternoons"

    def test_leave_what_is_written_down(self) -> None:
        Holder.objects.update(email="h@office.example")
        code = f"failed {next(iter(HOLDER_CAN_HELP))}"
        rows = standings(now=self.outside.now())
        cause = Cause(code=code, mark="late", kind="late", step="run", step_label="Run them", devices=list(rows))
        other = Cause(code="late", mark="late", kind="late", step="run", step_label="Run them", devices=list(rows))
        refresh_incidents([cause, other], now=self.day)
        self._known = None
        at = self.day.replace(hour=14, minute=0)  # 15:00 in Berlin

        def ask(now: datetime) -> int:
            return ask_holders([cause, other], known_incidents([code, "late"], now=now), now=now)

        self.deed("holders are not to be asked", lambda: ask(at))
        self.meanwhile(Office.objects.all(), asks_holders=True, asks_holders_at=time(15))
        for title, now in (
            ("a second before", at - timedelta(seconds=1)),
            ("then", at),
            ("before eight", at.replace(hour=18, minute=59)),
            ("at eight", at.replace(hour=19)),
        ):
            self.deed(f"holders are asked {title}", lambda now=now: ask(now))
        self.meanwhile(Incident.objects.filter(code=code), put_off_until=date(2026, 3, 9), put_off_why="w")
        self.deed("it is put off", lambda: ask(at))
        self.meanwhile(Incident.objects.filter(code=code), put_off_until=None)
        Holder.objects.update(email="")
        self._known = None
        for row in rows:
            row.device.holder.refresh_from_db()
        self.deed("nobody knows where to write", lambda: ask(at))
        self.deed("who joins a team that has a plan", lambda: join_by_team(now=self.outside.now()))
        two = self.device("p2", {})
        TeamPlan.objects.create(team=self.team, plan=self.nightly)
        self._known = None
        for state in ("lost", "in_use"):
            self.meanwhile(Device.objects.filter(id=two.id), state=state)
            self.deed(f"who joins it, {state}", lambda: join_by_team(now=self.outside.now()))
        self.neighbours()
        self.ends()

    def neighbours(self) -> None:
        """Another server swept the store until now."""
        room = Store.objects.get(id=self.nightly.store_id)
        vault = opened(room)
        hand_over(vault, Sweeper(who=b"another server  ", name="The other server"), now=self.outside.now())
        self.meanwhile(Store.objects.filter(id=room.id), swept_by="The other server")
        self.asked("this server sweeps it from now on", f"post stores/{room.id}/sweeping")
        hand_over(vault, Sweeper(who=b"another server  ", name="The other server"), now=self.outside.now())
        where, blobs = room.where, self.outside.stores[room.where]
        for rows in (Copy, Backup, Run):
            rows.objects.all().delete()
        room.targets.all().delete()
        Store.objects.filter(id=room.id).delete()
        self._known = None
        attach = {"name": "Taken over", "path": where, "passphrase": PASSPHRASE, "allowance_bytes": None}
        self.asked("a store that another server swept is attached", "post stores/attach", **attach, lasts=True)
        self.outside.create_vault("/stores/second", PASSPHRASE)
        self.outside.stores[where] = self.outside.stores.pop("/stores/second")
        taken = Store.objects.get()
        self.asked("another one lies there", f"post stores/{taken.id}/prove-passphrase", passphrase=PASSPHRASE)
        self.outside.stores[where] = blobs
        self.asked("it lies there again", f"post stores/{taken.id}/prove-passphrase", passphrase=PASSPHRASE)
