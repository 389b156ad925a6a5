"""Devices: who they are, who holds them, how they are reached."""

import uuid

from django.db import models

from server.people.models import Holder, Team


class LinkType(models.TextChoices):
    AGENT = "agent"
    FOLDER = "folder"


class DeviceState(models.TextChoices):
    """in_use ↔ away, lost, retired; by hand, but a device comes back by itself after its last day away."""

    IN_USE = "in_use"
    AWAY = "away"
    LOST = "lost"
    RETIRED = "retired"


class Device(models.Model):
    """A phone, a tablet, or a folder that stands for one."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=120)
    holder = models.ForeignKey(Holder, on_delete=models.PROTECT, related_name="devices")
    team = models.ForeignKey(Team, null=True, on_delete=models.SET_NULL, related_name="devices")
    state = models.CharField(max_length=10, choices=DeviceState, default=DeviceState.IN_USE)
    away_until = models.DateField(null=True, blank=True, help_text="Last day away, in the office's zone.")
    in_use_since = models.DateTimeField(null=True, help_text="When it last came back into use; runs before are not owed.")
    link = models.CharField(max_length=10, choices=LinkType)
    agent_id = models.CharField(max_length=200, blank=True)
    address = models.CharField(max_length=200, blank=True)
    agent_key = models.BinaryField(null=True, help_text="Sealed with the server's key file.")
    folder = models.CharField(max_length=1000, blank=True)
    family = models.CharField(max_length=20)
    make = models.CharField(max_length=100, blank=True)
    model = models.CharField(max_length=100, blank=True)
    os_version = models.CharField(max_length=100, blank=True)
    storage_total_bytes = models.BigIntegerField(null=True)
    storage_used_bytes = models.BigIntegerField(null=True)
    last_seen_at = models.DateTimeField(null=True)
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(fields=["agent_id"], condition=~models.Q(agent_id=""), name="agent_once"),
            models.UniqueConstraint(fields=["folder"], condition=~models.Q(folder=""), name="folder_once"),
        ]
        indexes = [models.Index(fields=["state", "name"])]
