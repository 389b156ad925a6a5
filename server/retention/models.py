"""What retention itself remembers: that somebody said that nothing leaves, and what was to be erased on request."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.people.models import Holder, Team, User
from server.storage.models import Store


class Freeze(models.Model):
    """Nothing leaves, whatever a rule or a person decided before: of the office, of a store, or of a team's devices."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    store = models.ForeignKey(Store, null=True, on_delete=models.CASCADE, related_name="freezes")
    team = models.ForeignKey(Team, null=True, on_delete=models.CASCADE, related_name="freezes", help_text="Both empty: of the office.")
    reason = models.CharField(max_length=200)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    ended_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    ended_why = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["ended_at"], name="freezes_ended")]


class ErasureState(models.TextChoices):
    """Moves, read by `server.transition`.

    asked → under_way, called_off
    under_way → done
    done → under_way
    """

    ASKED = "asked"
    """Until its first day it can be called off."""
    UNDER_WAY = "under_way"
    DONE = "done"
    CALLED_OFF = "called_off"


class Erasure(models.Model):
    """Items of one device, or all backups of some devices, erased on request out of every store. What it named is forgotten at its end."""

    States = ErasureState
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    reference = models.CharField(max_length=200, help_text="Whose wish it is, for the file: a number, a date.")
    state = models.CharField(max_length=10, choices=ErasureState, default=ErasureState.ASKED)
    devices = models.ManyToManyField(Device, related_name="erasures")
    holder = models.ForeignKey(Holder, null=True, on_delete=models.SET_NULL, related_name="+", help_text="The person, where it was one.")
    whole = models.BooleanField(default=False, help_text="All backups of the devices, rather than single items of one.")
    items = models.JSONField(default=list, help_text="[{kind, id, mark, name}]: the mark knows it again; id and name go once it is done.")
    forgets_names = models.BooleanField(default=False, help_text="Whether the names of the devices and the person go as well.")
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    asked_at = models.DateTimeField()
    begins_on = models.DateField(help_text="First day on which anything is erased, in the office's zone.")
    done_at = models.DateTimeField(null=True)
    taken_again_at = models.DateTimeField(null=True, help_text="When somebody let runs take it again.")
    called_off_at = models.DateTimeField(null=True)
    called_off_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    called_off_why = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-asked_at", "-id"]
        indexes = [models.Index(fields=["state", "begins_on"])]


class StepState(models.TextChoices):
    """Moves, read by `server.transition`.

    waiting → sweeping
    sweeping → gone, waiting
    gone → waiting
    """

    WAITING = "waiting"
    """Nothing was erased there yet, or not all of it."""
    SWEEPING = "sweeping"
    """No backup there holds it any more; packs that did wait out their grace period."""
    GONE = "gone"
    """It was looked for, and no pack holds it."""


class ErasureStep(models.Model):
    """An erasure in one store."""

    States = StepState
    erasure = models.ForeignKey(Erasure, on_delete=models.CASCADE, related_name="steps")
    store = models.ForeignKey(Store, on_delete=models.CASCADE, related_name="erasure_steps")
    state = models.CharField(max_length=10, choices=StepState, default=StepState.WAITING)
    backups = models.PositiveIntegerField(default=0, help_text="Written anew without it, or removed.")
    held = models.PositiveIntegerField(default=0, help_text="That hold it and stay, since they are on hold.")
    trouble = models.CharField(max_length=600, blank=True, help_text="Why it could not go on when it was tried last.")
    remedy = models.CharField(max_length=600, blank=True)
    needed_by = models.JSONField(default=list, help_text="Names of devices that have the same content: theirs stays.")
    erased_at = models.DateTimeField(null=True)
    gone_at = models.DateTimeField(null=True)
    next_try_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["erasure", "store"], name="erasure_step_once")]
        indexes = [models.Index(fields=["store", "state"], condition=~models.Q(state="gone"), name="erasure_steps_open")]
