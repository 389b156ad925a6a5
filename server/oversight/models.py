"""What somebody has signed: that a device might be wiped, or why not."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.people.models import User
from server.runs.models import Occasion


class WipeAnswer(models.Model):
    """The answer as it stood at one moment, signed by whoever asked. Never changed."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    device = models.ForeignKey(Device, on_delete=models.PROTECT, related_name="wipe_answers")
    at = models.DateTimeField()
    by = models.ForeignKey(User, on_delete=models.PROTECT)
    occasion = models.CharField(max_length=20, choices=Occasion, blank=True)
    note = models.CharField(max_length=300, blank=True)
    safe = models.BooleanField()
    told = models.JSONField(help_text="The whole page: says, reasons, coverage, newest backup, the device as it was called then.")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["device", "-at"])]
