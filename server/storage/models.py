"""Stores: places that hold copies."""

import uuid

from django.db import models


class Medium(models.TextChoices):
    FOLDER = "folder"


class Store(models.Model):
    """A folder with a vault in it. Its keys are in the vault's slots, not here."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80, unique=True)
    medium = models.CharField(max_length=10, choices=Medium, default=Medium.FOLDER)
    off_site = models.BooleanField(default=False, help_text="Whether it lies outside of the office.")
    path = models.CharField(max_length=1000, unique=True)
    vault_id = models.CharField(max_length=32, unique=True)
    max_writers = models.PositiveSmallIntegerField(default=3, help_text="Runs that write into it at the same time.")
    allowance_bytes = models.BigIntegerField(null=True, help_text="What it may hold; empty without a limit.")
    stored_bytes = models.BigIntegerField(default=0, help_text="As measured last.")
    free_bytes = models.BigIntegerField(null=True, help_text="Room on its medium, as measured last.")
    waiting_bytes = models.BigIntegerField(default=0, help_text="Marked by a sweep; free after the grace period.")
    measured_at = models.DateTimeField(null=True)
    checked_at = models.DateTimeField(null=True)
    check_says = models.CharField(max_length=300, blank=True)
    check_progress = models.JSONField(default=dict, help_text="What the pieces of a check that goes on have read and found.")
    trouble = models.CharField(max_length=300, blank=True, help_text="Why it could not be reached last time; empty when it could.")
    trouble_code = models.CharField(max_length=60, blank=True)
    trouble_remedy = models.CharField(max_length=300, blank=True)
    newest_note = models.CharField(
        max_length=32, blank=True, help_text="Hex id of the backup that this server noted there last: what lacks it is an older copy."
    )
    remembered = models.JSONField(
        default=dict,
        help_text="Notes that lay there when it was compared last, as the vault tells them: one that vanishes is found out.",
    )
    compared_at = models.DateTimeField(null=True, help_text="When the list and the store were compared last.")
    swept_at = models.DateTimeField(null=True)
    ruled_on = models.DateField(null=True, help_text="The office's day on which the rules were applied last.")
    passphrase_proven_at = models.DateTimeField(null=True)
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]


class Occupancy(models.Model):
    """What one device needs in one store, as measured last."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="occupancies")
    device = models.ForeignKey("fleet.Device", on_delete=models.CASCADE, related_name="occupancies")
    alone_bytes = models.BigIntegerField()
    shared_bytes = models.BigIntegerField()
    fair_bytes = models.BigIntegerField()
    backups = models.IntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "device"], name="occupancy_once")]
