"""Stores: places that hold copies."""

import uuid

from django.db import models
from django.db.models import Q

from core.vault.address import FACTS, Medium

MEDIUM_CODES = [(one.value, one.value) for one in Medium]


class Mode(models.TextChoices):
    """What may be done with a store. What lies in it stays in the list, whatever the mode."""

    IN_USE = "in_use", "In use"
    READ_ONLY = "read_only", "Read only"
    """Read and checked; nothing is written into it and nothing leaves it."""
    PAUSED = "paused"
    """Read for restores only."""
    DETACHED = "detached"
    """Not looked for at all: its copies count for nothing until it is back."""
    RETIRED = "retired"
    """Given up: it is no store any more. Its copies are in the history; nothing in it is touched."""


OUT_OF_USE = (Mode.DETACHED, Mode.RETIRED)


class Store(models.Model):
    """A place with a vault in it. Its keys are in the vault's slots, not here."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80, unique=True)
    medium = models.CharField(max_length=10, choices=MEDIUM_CODES, default=Medium.FOLDER.value)
    mode = models.CharField(max_length=10, choices=Mode, default=Mode.IN_USE)
    off_site = models.BooleanField(default=False, help_text="Whether it lies outside of the office.")
    where = models.CharField(max_length=1000, help_text="In one line: a path, or which bucket; of a drive where it was seen last.")
    address = models.JSONField(default=dict, help_text="Fields of its address by name, but for its secrets.")
    credentials = models.BinaryField(null=True, help_text="The secrets of its address, sealed under the server's key.")
    vault_id = models.CharField(max_length=32, unique=True)
    key_id = models.CharField(
        max_length=32,
        blank=True,
        help_text="Of the key its content is sealed with: between stores of one key sealed bytes move as they are.",
    )
    max_writers = models.PositiveSmallIntegerField(default=3, help_text="Runs that write into it at the same time.")
    allowance_bytes = models.BigIntegerField(null=True, help_text="What it may hold; empty without a limit.")
    stored_bytes = models.BigIntegerField(default=0, help_text="As measured last.")
    free_bytes = models.BigIntegerField(null=True, help_text="Room on its medium, as measured last.")
    waiting_bytes = models.BigIntegerField(default=0, help_text="Marked by a sweep; free after the grace period.")
    measured_at = models.DateTimeField(null=True)
    checked_at = models.DateTimeField(null=True)
    check_says = models.CharField(max_length=300, blank=True)
    check_progress = models.JSONField(default=dict, help_text="What the pieces of a check that goes on have read and found.")
    check_days = models.PositiveSmallIntegerField(
        null=True, default=14, help_text="Within how many days everything is read, a share a night; empty: only when somebody asks."
    )
    check_limit_bytes_per_second = models.BigIntegerField(null=True, help_text="How fast a check reads; empty without a limit.")
    round_on = models.DateField(null=True, help_text="The office's day on which the nightly share was begun last.")
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
    thorough_until = models.DateField(null=True, help_text="Up to this day sweeps rewrite every pack that holds any waste: room was made.")
    swept_by = models.CharField(max_length=200, blank=True, help_text="Another server that sweeps it; empty when this one does.")
    office_on = models.DateField(null=True, help_text="The office's day on which what this server knows was written there last.")
    ruled_on = models.DateField(null=True, help_text="The office's day on which the rules were applied last.")
    passphrase_proven_at = models.DateTimeField(null=True)
    slots_proven = models.JSONField(default=dict, help_text="{slot: instant}: when each was last typed and found right.")
    price_gib_month = models.PositiveIntegerField(null=True, help_text="Of a GiB for a month, in ten-thousandths of the currency's unit.")
    price_thousand_requests = models.PositiveIntegerField(null=True, help_text="In ten-thousandths of the currency's unit.")
    currency = models.CharField(max_length=3, blank=True, help_text="ISO 4217 code of what prices are given in.")
    added_at = models.DateTimeField()
    draining_into = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="drained", help_text="The store that takes over what lies here."
    )
    drain_asked_at = models.DateTimeField(null=True)
    retired_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["where"], condition=~models.Q(medium="drive"), name="one_store_a_place")]

    @property
    def comes_and_goes(self) -> bool:
        """Whether its absence is nothing out of the ordinary."""
        return FACTS[Medium(self.medium)].comes_and_goes


class Rotation(models.Model):
    """Drives that take turns, as `core.schedule.rotation` computes them."""

    name = models.CharField(max_length=80, unique=True)
    every_days = models.PositiveSmallIntegerField(default=7)
    first_day = models.DateField(help_text="On which the first one's turn begins.")
    grace_days = models.PositiveSmallIntegerField(default=2, help_text="So long after its turn began a drive is not overdue.")

    class Meta:
        ordering = ["name"]


class DriveState(models.TextChoices):
    """Moves, read by `server.transition`.

    here → parting, out
    parting → parted, here, out
    parted → here, out
    out → here
    """

    HERE = "here"
    PARTING = "parting"
    """Somebody wants to take it away: nothing new begins, and what is under way ends."""
    PARTED = "parted"
    """Everything lies on its medium and nothing holds it: safe to take away."""
    OUT = "out"


class Drive(models.Model):
    """Where a removable store is, who takes it home, and when its turn is."""

    States = DriveState
    store = models.OneToOneField(Store, primary_key=True, on_delete=models.CASCADE, related_name="drive")
    state = models.CharField(max_length=8, choices=DriveState, default=DriveState.HERE)
    keeper = models.CharField(max_length=120, blank=True, help_text="Who takes it home.")
    rests_in = models.CharField(max_length=120, blank=True, help_text="Where it lies while it is not plugged in.")
    rotation = models.ForeignKey(Rotation, null=True, on_delete=models.SET_NULL, related_name="drives")
    place = models.PositiveSmallIntegerField(default=0, help_text="In its rotation, from 0.")
    seen_at = models.DateTimeField(null=True, help_text="When it was here last.")
    out_since = models.DateTimeField(null=True)
    pulled_out = models.BooleanField(default=False, help_text="It went without a word: it is looked through when it is back.")
    asked_at = models.DateTimeField(null=True, help_text="When somebody wanted to take it away.")
    asked_by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    hindered_by = models.CharField(max_length=300, blank=True, help_text="What goes on there still, while it is parting.")
    twins = models.JSONField(default=list, help_text="[path]: where else something says that it is this store.")
    settling_until = models.DateTimeField(null=True, help_text="After its return what is to leave goes first: no copy begins before.")
    bytes_per_second = models.FloatField(null=True, help_text="At which copies were written there lately.")

    class Meta:
        indexes = [models.Index(fields=["state"])]


class StrangeDrive(models.Model):
    """A drive with a vault on it that is no store of this office. Nothing is written to it."""

    vault_id = models.CharField(max_length=32, primary_key=True)
    path = models.CharField(max_length=1000)
    seen_at = models.DateTimeField()


class Occupancy(models.Model):
    """What one device needs in one store, as measured last."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="occupancies")
    device = models.ForeignKey("fleet.Device", on_delete=models.CASCADE, related_name="occupancies")
    alone_bytes = models.BigIntegerField()
    shared_bytes = models.BigIntegerField()
    fair_bytes = models.BigIntegerField()
    logical_bytes = models.BigIntegerField(default=0, help_text="What its backups would hold if each lay by itself, as on the device.")
    backups = models.IntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "device"], name="occupancy_once")]


class KindOccupancy(models.Model):
    """What one kind of one device needs in one store: the device's share, divided."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="kind_occupancies")
    device = models.ForeignKey("fleet.Device", on_delete=models.CASCADE, related_name="kind_occupancies")
    kind = models.CharField(max_length=40, blank=True, help_text="Empty for manifests.")
    alone_bytes = models.BigIntegerField()
    shared_bytes = models.BigIntegerField()
    fair_bytes = models.BigIntegerField()
    logical_bytes = models.BigIntegerField()
    backups = models.IntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "device", "kind"], name="kind_occupancy_once")]


class BackupOccupancy(models.Model):
    """What one backup needs in one store: its device's share, divided."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="backup_occupancies")
    device = models.ForeignKey("fleet.Device", on_delete=models.CASCADE, related_name="backup_occupancies")
    backup_id = models.UUIDField()
    alone_bytes = models.BigIntegerField()
    shared_bytes = models.BigIntegerField()
    fair_bytes = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "backup_id"], name="backup_occupancy_once")]


class SumOf(models.TextChoices):
    """Of whom a group's figures are."""

    TEAM = "team"
    HOLDER = "holder"
    PLAN = "plan"
    NOBODY = "nobody"
    """What no backup that stays needs; which part of it, says the key."""


class GroupOccupancy(models.Model):
    """What a set of devices needs in one store, or what is nobody's there."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="group_occupancies")
    of = models.CharField(max_length=8, choices=SumOf)
    key = models.CharField(
        max_length=40, blank=True, help_text="Id of the team, holder or plan; empty for those of none; of nobody's a code."
    )
    name = models.CharField(max_length=120, blank=True, help_text="As it was called then.")
    alone_bytes = models.BigIntegerField(default=0)
    shared_bytes = models.BigIntegerField(default=0)
    fair_bytes = models.BigIntegerField()
    logical_bytes = models.BigIntegerField(default=0)
    backups = models.IntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "of", "key"], name="group_occupancy_once")]


class StoreDay(models.Model):
    """What a store held on a day of the office, as measured last on that day."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="days")
    day = models.DateField()
    stored_bytes = models.BigIntegerField()
    going_bytes = models.BigIntegerField(default=0, help_text="Of them what nothing needs that stays: it goes by itself.")
    limit_bytes = models.BigIntegerField(
        null=True, help_text="What it could hold then: its allowance, or what it held and its medium had left."
    )
    teams = models.JSONField(default=dict, help_text="Id of a team → its share; under an empty one those of none.")
    devices = models.JSONField(default=dict, help_text="Id of a device → its share.")
    kinds = models.JSONField(default=dict, help_text="Code of a kind → its share.")
    counted = models.JSONField(default=dict, help_text="Id of an allowance → the bytes that it counted.")
    drawn = models.BooleanField(default=False, help_text="Drawn for a demonstration, not measured.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["store", "day"], name="store_day_once")]


class SoftCounts(models.TextChoices):
    """What of an owner's bytes a soft limit counts."""

    NEEDED = "needed", "all that it needs"
    FAIR = "fair", "its fair share"
    ALONE = "alone", "what it alone needs"


class Allowance(models.Model):
    """What a store, or in it a team or a device, may hold. The hard one of a store itself stands with the store."""

    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="allowances")
    team = models.ForeignKey("people.Team", null=True, on_delete=models.CASCADE, related_name="allowances")
    device = models.ForeignKey("fleet.Device", null=True, on_delete=models.CASCADE, related_name="allowances")
    soft_bytes = models.BigIntegerField(null=True)
    soft_counts = models.CharField(max_length=6, choices=SoftCounts, default=SoftCounts.NEEDED)
    grace_days = models.PositiveSmallIntegerField(default=7, help_text="So long over the soft limit nobody is called.")
    over_since = models.DateTimeField(null=True, help_text="Since when it has been over its soft limit.")
    hard_bytes = models.BigIntegerField(
        null=True,
        help_text="Counts all that it needs, shared or not, so that nobody else's act changes it; no run begins that would pass it.",
    )

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(team=None) | Q(device=None), name="allowance_of_one"),
            models.UniqueConstraint(fields=["store", "team", "device"], name="allowance_once", nulls_distinct=False),
        ]


class HeldPacks(models.Model):
    """Packs that the last sweep of a store was to remove, and that its place did not let go of."""

    store = models.OneToOneField(Store, primary_key=True, on_delete=models.CASCADE, related_name="held_packs")
    packs = models.BinaryField(default=b"", help_text="Ids, one behind the other.")
    at = models.DateTimeField()


class Reading(models.Model):
    """When each pack of a store was last read and proven, as `core.vault.reading` keeps it."""

    store = models.OneToOneField(Store, primary_key=True, on_delete=models.CASCADE, related_name="reading")
    packs = models.BinaryField(default=b"")
    read_bytes = models.BigIntegerField(default=0, help_text="Of the packs that lay there then, those that were ever read.")
    total_bytes = models.BigIntegerField(default=0)
    oldest_at = models.DateTimeField(null=True, help_text="When the pack was read that is the longest unread; empty while some never was.")
    at = models.DateTimeField(null=True)
