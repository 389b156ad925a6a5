"""Plans: what goes in, when, where to, how fresh it must be, and what is kept."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models

from core.content.scope import Reach
from server.fleet.models import Device
from server.storage.models import Store


class Plan(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80, unique=True)
    reach = models.CharField(max_length=10, choices=[(reach.value, reach.value) for reach in Reach], default=Reach.ONLY)
    kinds = ArrayField(models.CharField(max_length=20), help_text="What `reach` speaks of: all but these, or only these.", blank=True)
    larger_than_bytes = models.BigIntegerField(null=True, help_text="Single items above this are left out; empty takes all.")
    exclusions = models.JSONField(default=list, help_text="[{kind, under}]: folders, albums, apps that are left out.")
    days = ArrayField(models.PositiveSmallIntegerField(), help_text="0 is Monday.")
    starts_at = models.TimeField(help_text="In the office's zone.")
    window_closes = models.TimeField(help_text="A run that could not start by then is missed; may lie on the next day.")
    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="plans")
    promise_seconds = models.PositiveIntegerField(help_text="Largest allowed age of the newest good backup.")
    keep_last = models.PositiveSmallIntegerField()
    keep_daily = models.PositiveSmallIntegerField()
    keep_weekly = models.PositiveSmallIntegerField()
    keep_monthly = models.PositiveSmallIntegerField()
    paused = models.BooleanField(default=False)
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]


class Assignment(models.Model):
    """Which plan a device follows; at most one."""

    device = models.OneToOneField(Device, on_delete=models.CASCADE, related_name="assignment")
    plan = models.ForeignKey(Plan, on_delete=models.PROTECT, related_name="assignments")
    since = models.DateTimeField(help_text="Occurrences before this are not owed.")
