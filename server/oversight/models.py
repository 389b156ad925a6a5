"""What is known of the whole office over time: signed answers, kept promises, anomalies, and what needs a person."""

import uuid

from django.db import models

from server.fleet.models import Device
from server.oversight.cause_lines import CAUSES
from server.oversight.events import told_event
from server.people.lines import read
from server.people.models import User
from server.runs.models import Backup, Occasion
from server.storage.models import Store


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


class PromiseDay(models.Model):
    """How a device stood against its promise on a morning. One row a device a day, written once."""

    day = models.DateField()
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="promise_days")
    team = models.ForeignKey("people.Team", null=True, on_delete=models.SET_NULL, help_text="Its team on that day.")
    standing = models.CharField(max_length=10)
    kept = models.BooleanField(null=True, help_text="Empty where nothing was owed.")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "device"], name="promise_day_once")]
        indexes = [models.Index(fields=["device", "-day"])]


class Anomaly(models.Model):
    """A good backup that looks wrong, with the numbers and the backup to compare with."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="anomalies")
    backup = models.ForeignKey(Backup, on_delete=models.CASCADE, related_name="anomalies")
    before = models.UUIDField(null=True, help_text="Id of the backup to compare with.")
    code = models.CharField(max_length=20)
    kind = models.CharField(max_length=20, blank=True)
    says = models.CharField(max_length=400)
    numbers = models.JSONField(default=dict)
    found_at = models.DateTimeField()
    settled_at = models.DateTimeField(null=True, help_text="When somebody looked, or the next backup was as usual; empty while it is open.")
    settled_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    settled_why = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-found_at", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["device", "code", "kind"], condition=models.Q(settled_at__isnull=True), name="one_open_anomaly")
        ]
        indexes = [models.Index(fields=["device", "-found_at"])]


class Incident(models.Model):
    """One cause that needs a person, from its first day to its last, with every device it touched.

    open → closed, by itself when the cause is gone; while open it can be put off until a day.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    code = models.CharField(max_length=120, help_text="Stable name of the cause; at most one of a code is open.")
    mark = models.CharField(max_length=20)
    kind = models.CharField(max_length=40, blank=True, help_text="Of `cause_lines.CAUSES`.")
    facts = models.JSONField(default=dict, help_text="What its sentence tells, by name, as it was last.")
    written_out = models.CharField(max_length=400, blank=True, help_text="The sentence itself, of incidents from before facts were kept.")
    store = models.ForeignKey(Store, null=True, on_delete=models.CASCADE)
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)
    put_off_until = models.DateField(null=True, help_text="First day on which it counts again, in the office's zone.")
    put_off_why = models.CharField(max_length=200, blank=True)
    put_off_by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ["-opened_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["code"], condition=models.Q(closed_at__isnull=True), name="one_open_incident")]
        indexes = [models.Index(fields=["-closed_at"], name="incidents_closed")]

    @property
    def says(self) -> str:
        """The sentence, as it is told today."""
        return read(CAUSES, self.kind, self.facts) if self.kind else self.written_out


class IncidentDevice(models.Model):
    """A device that an incident touches, or touched."""

    incident = models.ForeignKey(Incident, on_delete=models.CASCADE, related_name="devices")
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="incidents")
    since = models.DateTimeField()
    until = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["incident", "device"], condition=models.Q(until__isnull=True), name="in_an_incident_once")
        ]


class Event(models.TextChoices):
    """What can happen to an incident."""

    BEGAN = "began"
    JOINED = "joined"
    LEFT = "left"
    GONE = "gone"
    BACK = "back"
    PUT_OFF = "put_off"
    TAKEN_UP = "taken_up"


class IncidentEvent(models.Model):
    """What happened to an incident."""

    incident = models.ForeignKey(Incident, on_delete=models.CASCADE, related_name="events")
    at = models.DateTimeField()
    who = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    what = models.CharField(max_length=10, choices=Event, blank=True)
    facts = models.JSONField(default=dict, help_text="{count}, {devices, more} or {until, why}, as its sentence tells them.")
    written_out = models.CharField(max_length=400, blank=True, help_text="The sentence itself, of events from before facts were kept.")

    class Meta:
        ordering = ["at", "id"]

    @property
    def says(self) -> str:
        """The sentence, as it is told today."""
        return self.written_out or told_event(self.what, self.facts)


class MonthReport(models.Model):
    """A month that is over, as its report told it then: it outlives the rows that it was made from."""

    month = models.DateField(primary_key=True, help_text="Its first day.")
    told = models.JSONField()
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-month"]
