"""Runs, the backups that came of them, and the copies of those in stores."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.people.models import User
from server.plans.models import Plan
from server.storage.models import Store


class RunState(models.TextChoices):
    """Moves, read by `server.transition`; a run whose worker died goes on as running under another one.

    waiting → running, failed, stopped, missed
    running → waiting, complete, partial, interrupted, failed, refused, stopped
    """

    WAITING = "waiting"
    RUNNING = "running"
    COMPLETE = "complete"
    PARTIAL = "partial"
    """Complete, but some items were left out, each with a reason."""
    INTERRUPTED = "interrupted"
    """The device went away in the middle."""
    FAILED = "failed"
    REFUSED = "refused"
    """Stopped beforehand: it would not have fitted."""
    STOPPED = "stopped"
    MISSED = "missed"
    """Its window closed before it could start."""


ACTIVE = (RunState.WAITING, RunState.RUNNING)
CAME = (RunState.COMPLETE, RunState.PARTIAL)


class Trigger(models.TextChoices):
    """Why a run was asked for."""

    SCHEDULE = "schedule"
    BY_HAND = "by_hand"


class Occasion(models.TextChoices):
    """Why a backup is taken by hand. Retention must not thin it out by date."""

    NONE = ""
    BEFORE_REPAIR = "before_repair"
    BEFORE_UPDATE = "before_update"
    BEFORE_RESET = "before_reset"
    BEFORE_HAND_OVER = "before_hand_over"
    OTHER = "other"


OCCASION_WORDS = {
    Occasion.NONE: "", Occasion.BEFORE_REPAIR: "before a repair", Occasion.BEFORE_UPDATE: "before an update",
    Occasion.BEFORE_RESET: "before a reset", Occasion.BEFORE_HAND_OVER: "before handing on", Occasion.OTHER: "by hand",
}  # fmt: skip


class Run(models.Model):
    """One attempt to carry out a plan for one device."""

    States = RunState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    device = models.ForeignKey(Device, on_delete=models.PROTECT, related_name="runs")
    plan = models.ForeignKey(Plan, null=True, on_delete=models.SET_NULL, related_name="runs")
    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="runs")
    fell_over_from = models.ForeignKey(
        Store,
        null=True,
        on_delete=models.SET_NULL,
        related_name="+",
        help_text="The store that could not take it; empty when it went where its plan says.",
    )
    trigger = models.CharField(max_length=10, choices=Trigger)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT)
    note = models.CharField(max_length=200, blank=True)
    occasion = models.CharField(max_length=20, choices=Occasion, blank=True)
    hold_until = models.DateField(null=True, help_text="Last day of the hold that its occasion brings; empty until it is released.")
    state = models.CharField(max_length=12, choices=RunState, default=RunState.WAITING)
    night = models.DateField(help_text="The office's day on whose evening it was due or asked for.")
    planned_for = models.DateTimeField(null=True, help_text="The occurrence that it serves; empty when run by hand.")
    asked_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)
    gives_up_at = models.DateTimeField(
        null=True, help_text="First instant at which it is not wanted any more; empty when run by hand and never cut."
    )
    next_try_at = models.DateTimeField(null=True, help_text="When a waiting run is tried again; empty when it waits for its turn only.")
    expected_seconds = models.PositiveIntegerField(null=True, help_text="As it was lined up.")
    worked_seconds = models.FloatField(null=True, help_text="How long its last attempt took.")
    cost = models.JSONField(default=dict, help_text="{item, byte}: seconds that reading cost, as fitted at its end.")
    told = models.JSONField(default=dict, help_text="{clock_off_seconds, encrypted}: what the device said of itself at the start.")
    stages = models.JSONField(default=list, help_text="[{stage, at}]: when each stage of the last attempt was entered.")
    attempts = models.PositiveSmallIntegerField(default=0)
    stop_asked = models.BooleanField(default=False)
    progress = models.JSONField(default=dict)
    read_bytes = models.BigIntegerField(default=0)
    stored_bytes = models.BigIntegerField(default=0)
    promised_bytes = models.BigIntegerField(null=True, help_text="What it was admitted with; null before, and of older runs.")
    cause_code = models.CharField(max_length=60, blank=True)
    cause = models.CharField(max_length=600, blank=True)
    remedy = models.CharField(max_length=600, blank=True)
    reference = models.CharField(max_length=16, blank=True, help_text="Of the entry in the server's log, where nobody foresaw the cause.")
    skipped = models.JSONField(
        default=list, help_text="[{kind, name, code, detail, counts}]: what could not be taken; what counts makes it partial."
    )
    skipped_count = models.PositiveIntegerField(default=0, help_text="Of them all; only so many are named.")
    left_out = models.JSONField(default=list, help_text="[{kind, reason, items, size_bytes}]: on purpose, by the plan.")
    log = models.JSONField(default=list)

    class Meta:
        ordering = ["-asked_at", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["device"], condition=models.Q(state__in=["waiting", "running"]), name="one_active_run"),
            models.UniqueConstraint(
                fields=["device", "planned_for"], condition=models.Q(planned_for__isnull=False), name="one_run_an_occurrence"
            ),
        ]
        indexes = [
            models.Index(fields=["-asked_at", "-id"]),
            models.Index(fields=["device", "-asked_at"]),
            models.Index(fields=["night", "state"]),
            models.Index(
                fields=["-asked_at", "-id"],
                condition=~models.Q(state__in=["complete", "partial", "waiting", "running"]),
                name="runs_that_did_not",
            ),
            models.Index(fields=["store", "-asked_at"]),
            models.Index(fields=["plan", "-asked_at"]),
            models.Index(fields=["cause_code", "-asked_at"], condition=~models.Q(cause_code=""), name="runs_by_cause"),
            models.Index(fields=["state"], condition=models.Q(state__in=["waiting", "running"]), name="active_runs"),
        ]


class Omission(models.Model):
    """Something that a link cannot take and that somebody has looked at and accepted. It stays counted and named."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="omissions")
    alike = models.BooleanField(default=False, help_text="For all devices of the same link, family and model, too.")
    path = models.CharField(max_length=1024, blank=True, help_text="This one, or everything below it; empty for all of a reason.")
    code = models.CharField(max_length=20, blank=True, help_text="Of a reason; empty for any.")
    why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["device", "ended_at"]), models.Index(fields=["alike", "ended_at"])]


class LinedUp(models.Model):
    """A run's place in the line-up of a night: made in the afternoon, kept as the record of what was planned."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="lined_up")
    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="lined_up")
    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="lined_up")
    night = models.DateField()
    planned_for = models.DateTimeField(help_text="The occurrence.")
    closes_at = models.DateTimeField(help_text="When its window is over.")
    starts_at = models.DateTimeField(help_text="When it is expected to start.")
    ends_at = models.DateTimeField()
    expected_seconds = models.PositiveIntegerField()
    basis = models.CharField(max_length=10, help_text="own, size or nothing: what the duration was expected from.")
    late = models.BooleanField(
        default=False, help_text="Whether the device was past its promise then, or would have been before its next run."
    )
    fits = models.BooleanField(default=True, help_text="Whether it is expected to end within its window.")
    expected_bytes = models.BigIntegerField(default=0, help_text="What it is expected to store.")
    no_room = models.CharField(max_length=200, blank=True, help_text="Which room is too small for it; empty where it fits.")
    short_room = models.CharField(max_length=120, blank=True, help_text="Key of that room.")
    made_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "planned_for"], name="lined_up_once")]
        indexes = [models.Index(fields=["night", "starts_at"])]


class Heartbeat(models.Model):
    """When a part of Old Attic that works by itself last gave a sign."""

    name = models.CharField(max_length=40, primary_key=True)
    at = models.DateTimeField()


class Backup(models.Model):
    """A restorable moment of one device."""

    id = models.UUIDField(primary_key=True, help_text="The id of its manifest.")
    device = models.ForeignKey(Device, on_delete=models.PROTECT, related_name="backups")
    run = models.OneToOneField(Run, null=True, on_delete=models.SET_NULL, related_name="backup")
    finished_at = models.DateTimeField()
    items = models.IntegerField()
    size_bytes = models.BigIntegerField()
    kinds = models.JSONField(help_text="[{kind, items, size_bytes, newest_name, newest_at}]")
    family = models.CharField(max_length=20)
    os_version = models.CharField(max_length=100, blank=True)
    update_pending = models.CharField(max_length=100, blank=True, help_text="The version that waited to be installed then.")
    encrypted = models.BooleanField(default=True)
    in_doubt = models.BooleanField(
        default=False,
        help_text="Made while the clock was in doubt: restorable; no promise and no rule counts it until that is settled.",
    )
    lacking = models.JSONField(default=list, help_text="[{kind, before, after}]: of what it has far fewer items than the one before it.")
    suspect = models.BooleanField(
        default=False,
        help_text="It lacks so much that somebody has to look: restorable; no promise, coverage and no rule counts it until then.",
    )
    occasion = models.CharField(max_length=20, choices=Occasion, blank=True)
    note = models.CharField(max_length=200, blank=True)
    imported_from = models.CharField(max_length=300, blank=True, help_text="Name of what it was brought in from; empty for our own.")
    stands_for = models.UUIDField(
        null=True, help_text="The backup whose place it took when something was erased out of it; empty for one as it was made."
    )
    being_erased = models.BooleanField(
        default=False, help_text="Something is erased out of it on request, or all of it: nothing can protect it any more."
    )
    found_in = models.ForeignKey(
        Store, null=True, on_delete=models.SET_NULL, related_name="+", help_text="The store that it was found in and taken in from."
    )
    looked_at = models.DateTimeField(null=True, help_text="When somebody looked at what was strange about it: damaged, or brought in.")
    looked_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    hold_reason = models.CharField(max_length=200, blank=True)
    hold_until = models.DateField(null=True, help_text="Last day of the hold; empty until it is released.")
    hold_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    hold_seen_at = models.DateTimeField(null=True, help_text="When it was put, or somebody said last that it is still needed.")

    class Meta:
        ordering = ["-finished_at", "-id"]
        indexes = [
            models.Index(fields=["device", "-finished_at"]),
            models.Index(fields=["-finished_at", "-id"], condition=~models.Q(hold_reason=""), name="backups_held"),
        ]


class CopyState(models.TextChoices):
    """Moves, read by `server.transition`. Decisions about a device's copies are taken under the lock of the device.

    owed → copying, failed, removed
    copying → present, failed, owed
    failed → copying, owed, removed
    present → leaving, missing, removed
    leaving → present, removing, missing, removed
    missing → present, removed, copying, owed
    removing → removed
    removed → copying, present, owed
    """

    OWED = "owed"
    """Its plan, or somebody, wants it there; nothing of it is under way."""
    COPYING = "copying"
    """Under way; the store has not listed it yet."""
    FAILED = "failed"
    """It was to be copied and is not there."""
    PRESENT = "present"
    """The store has listed it after it was written."""
    LEAVING = "leaving"
    """Decided, and waits out its undo period: restorable, counted as stored, and back as soon as it is wanted again."""
    MISSING = "missing"
    """It should be there, and the store does not list it."""
    REMOVING = "removing"
    """Decided; the store forgets it as soon as it can be reached."""
    REMOVED = "removed"


THERE = (CopyState.PRESENT, CopyState.LEAVING)
"""The store holds it, and it can be restored."""


class Copy(models.Model):
    """A backup's presence in one store. Removed ones stay as history."""

    States = CopyState
    backup = models.ForeignKey(Backup, on_delete=models.CASCADE, related_name="copies")
    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="copies")
    state = models.CharField(max_length=8, choices=CopyState, default=CopyState.PRESENT)
    cause = models.CharField(max_length=600, blank=True, help_text="Why it failed, or is missing.")
    remedy = models.CharField(max_length=600, blank=True)
    reference = models.CharField(max_length=16, blank=True)
    asked_at = models.DateTimeField(null=True, help_text="Since when it is owed; empty for what a run stored.")
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+", help_text="Who asked for it; empty: its plan.")
    due_at = models.DateTimeField(null=True, help_text="Not before this: its delay, or the next try.")
    attempts = models.PositiveSmallIntegerField(default=0)
    progress = models.JSONField(default=dict, help_text="{done_bytes, total_bytes, bytes_per_second} while it is under way.")
    sent_bytes = models.BigIntegerField(default=0, help_text="Sealed bytes that were written for it.")
    copied_at = models.DateTimeField(null=True, help_text="When the store listed it; empty for what a run stored.")
    intact = models.BooleanField(default=True, help_text="False once a check found it damaged.")
    damaged = models.JSONField(default=dict, help_text="{kind: {items, names}}: what of it cannot be given back, where it is not intact.")
    checked_at = models.DateTimeField(null=True)
    removed_at = models.DateTimeField(null=True)
    removed_why = models.CharField(max_length=200, blank=True, help_text="Why it leaves, or left.")
    removed_by_rule = models.CharField(max_length=120, blank=True, help_text="Which rule and which version of it; empty by hand.")
    leaving_since = models.DateTimeField(null=True)
    leaves_on = models.DateField(null=True, help_text="First day on which it may go, in the office's zone.")
    leaving_by = models.ForeignKey(
        User, null=True, on_delete=models.SET_NULL, related_name="+", help_text="Who removed it by hand; empty by rule."
    )
    by_hand = models.BooleanField(default=False, help_text="Removed by a person: no rule claims it any more.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["backup", "store"], name="copy_once")]
        indexes = [
            models.Index(fields=["store"], condition=models.Q(state="present"), name="copies_present"),
            models.Index(fields=["backup"], condition=models.Q(state="present", intact=False), name="copies_damaged"),
            models.Index(fields=["state"], condition=~models.Q(state__in=["present", "removed"]), name="copies_under_way"),
            models.Index(fields=["store", "due_at"], condition=models.Q(state="owed"), name="copies_owed"),
            models.Index(fields=["leaves_on", "id"], condition=models.Q(state="leaving"), name="copies_leaving"),
        ]


class Stray(models.Model):
    """A backup that a store holds and the list does not know. Nothing is done with it until somebody says what."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="strays")
    backup_id = models.UUIDField(help_text="The id of its manifest.")
    device = models.ForeignKey(Device, null=True, on_delete=models.CASCADE, help_text="Empty when the register does not know it.")
    device_key = models.CharField(max_length=200, default="", help_text="What the backup calls its device.")
    told = models.JSONField(default=dict, help_text="{name, holder, team, serial, family} of the device, as the backup tells.")
    device_words = models.CharField(max_length=300, help_text="What the backup says of its device.")
    finished_at = models.DateTimeField()
    items = models.IntegerField()
    size_bytes = models.BigIntegerField()
    found_at = models.DateTimeField()

    class Meta:
        ordering = ["-finished_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["store", "backup_id"], name="stray_once")]


class ImportState(models.TextChoices):
    """Moves, read by `server.transition`.

    scanning → ready, failed
    ready → waiting
    waiting → importing, failed
    importing → done, failed
    """

    SCANNING = "scanning"
    READY = "ready"
    WAITING = "waiting"
    IMPORTING = "importing"
    DONE = "done"
    FAILED = "failed"


class Import(models.Model):
    """An old backup on its way in: a folder, an archive or a file, looked into first and taken when somebody says so."""

    States = ImportState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=300)
    path = models.CharField(max_length=1000)
    uploaded = models.BooleanField(default=False, help_text="It was sent by the browser, and is removed when it has been taken.")
    state = models.CharField(max_length=10, choices=ImportState, default=ImportState.SCANNING)
    found = models.JSONField(default=dict, help_text="{kinds: [...], left_aside: [{name, why}], newest_at, oldest_at}")
    device = models.ForeignKey(Device, null=True, on_delete=models.PROTECT)
    store = models.ForeignKey(Store, null=True, on_delete=models.PROTECT)
    moment = models.DateTimeField(null=True, help_text="When it was taken, truly.")
    backup = models.ForeignKey(Backup, null=True, on_delete=models.SET_NULL)
    progress = models.JSONField(default=dict)
    cause = models.CharField(max_length=600, blank=True)
    remedy = models.CharField(max_length=600, blank=True)
    reference = models.CharField(max_length=16, blank=True)
    stop_asked = models.BooleanField(default=False)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT)
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-id"]
