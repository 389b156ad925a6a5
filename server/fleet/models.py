"""Devices: who they are, who holds them, how they are reached."""

import uuid

from django.db import models
from django.db.models.functions import Lower

from server.people.models import Holder, Team, User


class LinkType(models.TextChoices):
    """How a device is reached."""

    NONE = "none"
    """In the register only."""
    AGENT = "agent"
    FOLDER = "folder"
    SFTP = "sftp"


class DeviceState(models.TextChoices):
    """in_use ↔ away, lost, in_repair, left, retired; by hand, but a device comes back by itself after its last day away."""

    IN_USE = "in_use"
    AWAY = "away"
    LOST = "lost"
    IN_REPAIR = "in_repair"
    LEFT = "left"
    """Its holder has left: it waits to be handed on or retired."""
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
    state_since = models.DateTimeField(null=True, help_text="When it got the state it has; empty when that is not known.")
    link = models.CharField(max_length=10, choices=LinkType)
    agent_id = models.CharField(max_length=200, blank=True)
    address = models.CharField(max_length=200, blank=True)
    agent_key = models.BinaryField(null=True, help_text="Sealed with the server's key file; empty once it is unpaired.")
    accepted = models.BooleanField(null=True, help_text="Whether its holder has said yes, as it said last; empty where nobody is asked.")
    folder = models.CharField(max_length=1000, blank=True)
    sftp_host = models.CharField(max_length=200, blank=True)
    sftp_port = models.PositiveIntegerField(null=True)
    sftp_username = models.CharField(max_length=100, blank=True)
    sftp_password = models.BinaryField(null=True, help_text="Sealed with the server's key file.")
    sftp_uses_key = models.BooleanField(default=False, help_text="Signed in to with this server's own key instead of a password.")
    sftp_folder = models.CharField(max_length=1000, blank=True)
    sftp_host_key = models.CharField(max_length=2000, blank=True, help_text="Pinned when it was met first.")
    file_rules = models.JSONField(default=list, help_text="[{pattern, kind}] in their order; for links that see files only.")
    limit_bytes_per_second = models.BigIntegerField(null=True, help_text="How fast it may be read; empty without a limit.")
    erased = models.JSONField(default=list, help_text="Marks of items that were erased on request: no run takes them again.")
    family = models.CharField(max_length=20)
    make = models.CharField(max_length=100, blank=True)
    model = models.CharField(max_length=100, blank=True)
    os_version = models.CharField(max_length=100, blank=True)
    serial = models.CharField(max_length=100, blank=True)
    asset_tag = models.CharField(max_length=100, blank=True)
    purchased_on = models.DateField(null=True, blank=True)
    handed_over_on = models.DateField(null=True, blank=True, help_text="To its present holder.")
    note = models.CharField(max_length=2000, blank=True)
    update_pending = models.CharField(max_length=100, blank=True, help_text="The version that waits to be installed, as it said last.")
    accounts = models.JSONField(default=list, help_text="[{kind, service, is_default, last_sync, off_by_policy}] as it said last.")
    own_cloud = models.JSONField(
        default=dict, help_text="{told_at, told}: of its own cloud backup as it said last; told is null for none; empty when it never told."
    )
    card = models.JSONField(default=dict, help_text="{present, size_bytes, used_bytes, encrypted} as it said last; empty when untold.")
    storage_total_bytes = models.BigIntegerField(null=True)
    storage_used_bytes = models.BigIntegerField(null=True)
    last_seen_at = models.DateTimeField(null=True)
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(fields=["agent_id"], condition=~models.Q(agent_id=""), name="agent_once"),
            models.UniqueConstraint(fields=["folder"], condition=~models.Q(folder=""), name="folder_once"),
            models.UniqueConstraint(Lower("serial"), condition=~models.Q(serial=""), name="serial_once"),
            models.UniqueConstraint(Lower("asset_tag"), condition=~models.Q(asset_tag=""), name="asset_tag_once"),
        ]
        indexes = [models.Index(fields=["state", "name"]), models.Index(fields=["family"]), models.Index(fields=["link"])]


class Absence(models.Model):
    """Days on which a device is, or was, known to be away; kept so that a promise can leave them out."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="absences")
    first_day = models.DateField(help_text="In the office's zone.")
    last_day = models.DateField(null=True, help_text="Empty while it is away until further notice.")
    is_open = models.BooleanField(default=True, help_text="Whether it is away now.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device"], condition=models.Q(is_open=True), name="one_open_absence")]
        indexes = [models.Index(fields=["device", "first_day"])]


class Scan(models.Model):
    """What was on a device when it was last looked into: counts by kind, nothing of the content."""

    device = models.OneToOneField(Device, on_delete=models.CASCADE, related_name="scan")
    at = models.DateTimeField()
    kinds = models.JSONField(help_text="[{kind, items, size_bytes, newest_name, newest_at, largest: [{name, size_bytes}]}]")
    missing = models.JSONField(default=list, help_text="[{kind, items, examples}]: what was in no backup then.")
    state = models.JSONField(default=dict, help_text="What it said of itself.")


class OwnCloudTold(models.Model):
    """What a device told of its own cloud backup, and until when it told the same. Nobody here can prove any of it."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="own_cloud_told")
    at = models.DateTimeField()
    seen_at = models.DateTimeField()
    told = models.JSONField(
        null=True, help_text="{state, service, account, last_success, used_bytes, allowed_bytes, kinds, devices}; null: none."
    )

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["device", "-at"])]


class Bulk(models.Model):
    """One change of many devices at once, so that it can be taken back once."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    at = models.DateTimeField(db_index=True)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT)
    says = models.CharField(max_length=300)
    before = models.JSONField(help_text="{device id: {column: value}}; null for a device that was created.")
    after = models.JSONField(help_text="{device id: {column: value}}")
    undone_at = models.DateTimeField(null=True)


class PairingTry(models.Model):
    """A wrong pairing code, kept for as long as it counts against the next one."""

    agent_id = models.CharField(max_length=200)
    at = models.DateTimeField()

    class Meta:
        indexes = [models.Index(fields=["agent_id", "at"])]


class SshKey(models.Model):
    """The key pair with which this server signs in to SFTP devices. One row."""

    private = models.BinaryField(help_text="Sealed with the server's key file.")
    public = models.CharField(max_length=500, help_text="A line for a device's authorized_keys.")
    made_at = models.DateTimeField()
