"""Restores: what was chosen, where it went, what was found afterwards."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.people.models import User
from server.runs.models import Backup
from server.storage.models import Store


class RestoreState(models.TextChoices):
    """Moves, read by `server.transition`; one whose worker died goes on as running under another one.

    waiting → running, failed, stopped
    running → complete, partial, failed, stopped
    """

    WAITING = "waiting"
    RUNNING = "running"
    COMPLETE = "complete"
    PARTIAL = "partial"
    """Done, but something is missing; the report names it."""
    FAILED = "failed"
    STOPPED = "stopped"
    """By hand. What was written already stays where it was written."""


class Target(models.TextChoices):
    """Where a restore goes."""

    DEVICE = "device"
    ARCHIVE = "archive"
    """A ZIP that lies sealed on the server until it is fetched, or too old, or the server is started anew."""
    FOLDER = "folder"
    """A folder of the server, in the open, until a day."""


class Layout(models.TextChoices):
    """How an export is laid out."""

    FILES = "files"
    BAG = "bag"
    """RFC 8493: with a manifest by which anybody can prove that nothing has changed."""


class Restore(models.Model):
    """Content of a backup on its way to a device, an archive or a folder."""

    States = RestoreState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    backup = models.ForeignKey(Backup, on_delete=models.PROTECT, related_name="restores")
    target = models.CharField(max_length=10, choices=Target)
    device = models.ForeignKey(Device, null=True, on_delete=models.PROTECT, related_name="restores")
    everything = models.BooleanField(default=False)
    kinds = models.JSONField(default=list)
    chosen_items = models.JSONField(default=list, help_text="[[kind, item id]]")
    when_there = models.CharField(max_length=10, default="skip")
    cards = models.CharField(max_length=10, default="4.0", help_text="In which form contacts leave: 4.0, 3.0, as_it_came.")
    state = models.CharField(max_length=10, choices=RestoreState, default=RestoreState.WAITING)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT)
    asked_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)
    progress = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    cause = models.CharField(max_length=600, blank=True)
    remedy = models.CharField(max_length=600, blank=True)
    reference = models.CharField(max_length=16, blank=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    stop_asked = models.BooleanField(default=False)
    file_name = models.CharField(max_length=200, blank=True)
    file_bytes = models.BigIntegerField(null=True, help_text="Stays when the file is gone.")
    file_start = models.CharField(max_length=16, blank=True, help_text="Start of the server until whose end the file can be opened.")
    layout = models.CharField(max_length=6, choices=Layout, default=Layout.FILES)
    locked = models.BooleanField(default=False, help_text="The archive is under a passphrase.")
    passphrase = models.BinaryField(null=True, help_text="Sealed with the server's key file, until the archive is made.")

    class Meta:
        ordering = ["-asked_at", "-id"]
        indexes = [
            models.Index(fields=["-asked_at", "-id"]),
            models.Index(fields=["-asked_at", "-id"], condition=~models.Q(file_name=""), name="restores_to_fetch"),
            models.Index(fields=["backup"], condition=models.Q(state__in=["waiting", "running"]), name="restores_under_way"),
        ]


class ExportFolder(models.Model):
    """A folder of the server that an export fills: whose it is, and the day on which it is erased."""

    restore = models.OneToOneField(Restore, on_delete=models.CASCADE, related_name="lies_in")
    path = models.CharField(max_length=1000)
    keeper = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    until = models.DateField(help_text="The office's day; it is erased once the day is over.")
    identity = models.CharField(
        max_length=60, blank=True, help_text="Which folder it is, whatever lies at its path later; empty: not made."
    )
    size_bytes = models.BigIntegerField(default=0)
    gone_at = models.DateTimeField(null=True)
    trouble = models.CharField(max_length=300, blank=True, help_text="Why it could not be erased.")

    class Meta:
        indexes = [models.Index(fields=["until"], condition=models.Q(gone_at__isnull=True), name="export_folders_lying")]


class RestoreBatch(models.Model):
    """Some hundred items of a restore under way: noted before they are written, filled in once they are. Gone with its end."""

    restore = models.ForeignKey(Restore, on_delete=models.CASCADE, related_name="batches")
    kind = models.CharField(max_length=40)
    ids = models.JSONField(help_text="[item id]: what is about to be written.")
    written = models.JSONField(null=True, help_text="{item id: id there}; empty until the batch is finished.")

    class Meta:
        indexes = [models.Index(fields=["restore", "kind"])]


class DrillState(models.TextChoices):
    """Moves, read by `server.transition`; one whose worker died begins again.

    waiting → running, failed, stopped
    running → right, wrong, failed, stopped
    """

    WAITING = "waiting"
    RUNNING = "running"
    RIGHT = "right"
    """Everything that it restored came back as it was stored."""
    WRONG = "wrong"
    """Something did not."""
    FAILED = "failed"
    """It proved nothing."""
    STOPPED = "stopped"


class Drill(models.Model):
    """One backup restored into a scratch place, to prove that it can be."""

    States = DrillState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="drills")
    backup = models.ForeignKey(Backup, null=True, on_delete=models.SET_NULL, related_name="drills")
    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="drills")
    state = models.CharField(max_length=8, choices=DrillState, default=DrillState.WAITING)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+", help_text="Empty: its turn came.")
    asked_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)
    stop_asked = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    progress = models.JSONField(default=dict, help_text="{done_bytes, total_bytes} while it is under way.")
    of_items = models.IntegerField(default=0, help_text="What the backup holds.")
    of_bytes = models.BigIntegerField(default=0)
    items = models.IntegerField(default=0, help_text="What was restored and is right.")
    size_bytes = models.BigIntegerField(default=0)
    report = models.JSONField(default=dict, help_text="{lost, differing, unopened: {count, named}, opened: {form: n}, out_of_time}")
    cause = models.CharField(max_length=600, blank=True)
    remedy = models.CharField(max_length=600, blank=True)
    reference = models.CharField(max_length=16, blank=True)

    class Meta:
        ordering = ["-asked_at", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["device"], condition=models.Q(state__in=["waiting", "running"]), name="one_drill_at_a_time")
        ]
        indexes = [
            models.Index(fields=["-asked_at", "-id"]),
            models.Index(fields=["device", "-finished_at"], condition=models.Q(state="right"), name="drills_right"),
        ]


class DrillRules(models.Model):
    """How the office drills by itself. One row."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    a_day = models.PositiveSmallIntegerField(default=1, help_text="Devices whose turn comes on a day; 0: only when somebody asks.")
    most_minutes = models.PositiveSmallIntegerField(default=30)
    most_bytes = models.BigIntegerField(default=2 << 30, help_text="Of content, of one backup; a larger one is drawn from by chance.")
    limit_bytes_per_second = models.BigIntegerField(null=True)
    wanted_days = models.PositiveSmallIntegerField(
        null=True, help_text="A device that was not proven for so long needs a person; empty: it does not."
    )
    begun_on = models.DateField(null=True, help_text="The office's day on which the day's drills were put into the queue.")
