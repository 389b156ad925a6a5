"""What a run says while it goes on: progress for the row and the viewers, not more often than anybody can read."""

import time
from collections.abc import Callable
from datetime import datetime

from core.content.errors import DeviceLied
from core.content.link import DeviceLink, DeviceReport
from core.content.readiness import Level, readiness
from core.quota.admission import Admitted, DoesNotFit, overrun
from core.schedule.conditions import unmet
from core.units import iec
from core.vault.capture import Progress
from server import ports
from server.fleet.actions.change_device import note_told
from server.fleet.actions.note_accounts import note_accounts
from server.fleet.actions.note_own_cloud import note_own_cloud
from server.live import publish
from server.plans.convert import conditions_of
from server.runs.expectation import rest_of
from server.runs.models import Run, RunState
from server.runs.sentences import log_line, stage_words

Clock = Callable[[], datetime]
TELL_EVERY_SECONDS = 0.4


class RunWatch:
    """Passes progress on to the row and to the viewers, not more often than anybody can read."""

    def __init__(self, run: Run, clock: Clock) -> None:
        self._run, self._clock = run, clock
        self._rest = rest_of(run.device)
        self._began = time.monotonic()
        self._told = self._asked = 0.0
        self._stage = ""
        self._stop = False
        self.began_reading = False
        self._admitted: Admitted | None = None
        self._stored_bytes = 0
        self.overrun: DoesNotFit | None = None
        self.before: dict[str, int] = {}
        """Kind → items in the backup that this one builds on."""

    @property
    def cost(self) -> dict[str, float]:
        """What reading cost, for the estimate of the next run."""
        cost = self._rest.cost
        return {} if cost is None else {"item": cost.seconds_an_item, "byte": cost.seconds_a_byte}

    def met(self, state: DeviceReport, link: DeviceLink) -> None:
        """The device has answered: keep what it says of itself, and write down what is not as it should be."""
        device, now = self._run.device, self._clock()
        present = ports.clock().now()  # a clock that plays the past says nothing of the device's
        note_told(device, state, now=now)
        findings = readiness(state, link=device.link, family=device.family, now=present)
        card = state.card if state.card is not None and state.card.present else None
        off = 0.0 if state.clock is None else (state.clock - present).total_seconds()
        self._run.told = {"clock_off_seconds": round(off, 1), "encrypted": card.encrypted if card else None}
        plan = self._run.plan
        if self._run.planned_for is not None and plan is not None and (held_back := unmet(conditions_of(plan), state, now=present)):
            raise held_back
        for finding in findings:
            if finding.level == Level.WARNS and finding.code not in ("finder_lock", "card"):
                self._log(f"{finding.says} {finding.step}")
        try:
            note_accounts(device, link)
            note_own_cloud(device, link, now=now)
        except DeviceLied as error:  # no reason to go without a backup
            self._log(error.message)

    def admitted(self, changed_bytes: int, admitted: Admitted) -> None:
        """What the run may store, once that was asked."""
        self._admitted = admitted
        self._run.promised_bytes = admitted.estimate.bytes
        Run.objects.filter(id=self._run.id).update(promised_bytes=admitted.estimate.bytes)
        about = f"about {iec(admitted.estimate.bytes)} will be stored, {admitted.estimate.says}"
        self._log(f"{iec(changed_bytes)} have changed; {about}." if changed_bytes else "Nothing has changed.")

    def is_over(self) -> bool:
        """Whether it has stored all that it may."""
        if self.overrun is None and self._admitted is not None:
            self.overrun = overrun(self._admitted, self._stored_bytes)
            if self.overrun is not None:
                self._log(self.overrun.message)
        return self.overrun is not None

    def tell(self, progress: Progress) -> None:
        """Keeps how far it is and tells whoever looks, at most every so often."""
        self._stored_bytes = progress.stored_bytes
        now = time.monotonic()
        entered = progress.stage != self._stage
        if progress.stage == "reading" and not self.began_reading:
            self.began_reading, self._began = True, now
        if not entered and now - self._told < TELL_EVERY_SECONDS:
            return
        if entered:
            self._stage = progress.stage
            self._run.stages.append({"stage": str(progress.stage), "at": self._clock().isoformat()})
            self._log(stage_words(progress.stage, "") + ".")
        self._told = now
        kinds = progress.kinds.values()
        read_items, to_read_items = sum(entry.read_items for entry in kinds), sum(entry.items - entry.unchanged for entry in kinds)
        if self.began_reading:
            self._rest.tell(
                now - self._began, done_items=read_items, done_bytes=progress.read_bytes, all_items=to_read_items,
                all_bytes=progress.to_read_bytes,
            )  # fmt: skip
        rest = self._rest.rest(now - self._began) if self._stage == "reading" else None
        self._run.progress = {
            "stage": progress.stage,
            "kind": progress.kind,
            "says": stage_words(progress.stage, progress.kind),
            "read_bytes": progress.read_bytes,
            "to_read_bytes": progress.to_read_bytes,
            "stored_bytes": progress.stored_bytes,
            "bytes_per_second": round(self._rest.bytes_per_second),
            "read_items": read_items,
            "to_read_items": to_read_items,
            "remaining_seconds": None if rest is None else round(rest.seconds),
            "remaining_least": None if rest is None else round(rest.least),
            "remaining_most": None if rest is None else round(rest.most),
            "kinds": [
                {
                    "kind": kind,
                    "items": entry.items,
                    "unchanged": entry.unchanged,
                    "before": self.before.get(kind, 0),
                    "read_items": entry.read_items,
                    "size_bytes": entry.size_bytes,
                    "to_read_bytes": entry.to_read_bytes,
                    "read_bytes": entry.read_bytes,
                }
                for kind, entry in progress.kinds.items()
            ],
        }
        self.flush()
        publish("run", str(self._run.id), self._run.progress)

    def flush(self) -> None:
        """Write down what has been said so far, unless somebody has ended the run."""
        running = Run.objects.filter(id=self._run.id, state=RunState.RUNNING)
        running.update(progress=self._run.progress, log=self._run.log, stages=self._run.stages, told=self._run.told)

    def should_stop(self) -> bool:
        """Whether somebody asked the run to stop, or has ended it; asked at most every second."""
        now = time.monotonic()
        if now - self._asked >= 1:
            self._asked = now
            going = Run.objects.filter(id=self._run.id, state=RunState.RUNNING, stop_asked=False)
            self._stop = not going.exists()  # whoever ended it meanwhile wants it to stop, too
        return self._stop

    def _log(self, says: str) -> None:
        self._run.log.append(log_line(self._clock(), says))
