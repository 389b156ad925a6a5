"""Restores: what was chosen, where it went, what was found afterwards."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.people.models import User
from server.runs.models import Backup


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
    DEVICE = "device"
    ARCHIVE = "archive"


class Restore(models.Model):
    States = RestoreState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    backup = models.ForeignKey(Backup, on_delete=models.PROTECT, related_name="restores")
    target = models.CharField(max_length=10, choices=Target)
    device = models.ForeignKey(Device, null=True, on_delete=models.PROTECT, related_name="restores")
    everything = models.BooleanField(default=False)
    kinds = models.JSONField(default=list)
    chosen_items = models.JSONField(default=list, help_text="[[kind, item id]]")
    when_there = models.CharField(max_length=10, default="skip")
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
    file_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-asked_at", "-id"]
        indexes = [
            models.Index(fields=["-asked_at", "-id"]),
            models.Index(fields=["backup"], condition=models.Q(state__in=["waiting", "running"]), name="restores_under_way"),
        ]


class RestoreBatch(models.Model):
    """Some hundred items of a restore under way: noted before they are written, filled in once they are. Gone with its end."""

    restore = models.ForeignKey(Restore, on_delete=models.CASCADE, related_name="batches")
    kind = models.CharField(max_length=40)
    ids = models.JSONField(help_text="[item id]: what is about to be written.")
    written = models.JSONField(null=True, help_text="{item id: id there}; empty until the batch is finished.")

    class Meta:
        indexes = [models.Index(fields=["restore", "kind"])]
