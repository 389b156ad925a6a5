"""What Old Attic tells people and other programs, and whether it got there."""

import uuid

from django.db import models

from server.oversight.models import Incident
from server.people.models import Holder, User


class Hook(models.Model):
    """An address of another program that is told what happens, signed with a secret of its own."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80, unique=True)
    address = models.CharField(max_length=500)
    secret = models.BinaryField(help_text="Sealed with the server's key file.")
    inside = models.BooleanField(default=False, help_text="Whether it may lie on the office's own network.")
    active = models.BooleanField(default=True)
    signs_of_life = models.BooleanField(default=False, help_text="Whether it is told every few minutes that the scheduler works.")
    added_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]


class Way(models.TextChoices):
    """How a message leaves."""

    MAIL = "mail"
    HOOK = "hook"


class MessageState(models.TextChoices):
    """waiting → sent, or failed when it has been tried often enough. Waiting ones are tried again."""

    WAITING = "waiting"
    SENT = "sent"
    FAILED = "failed"


class Message(models.Model):
    """One thing told to one person or program. Its key says it once only."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    key = models.CharField(max_length=200, unique=True, help_text="What it is about and whom it is for: nothing is told twice.")
    way = models.CharField(max_length=5, choices=Way)
    user = models.ForeignKey(User, null=True, on_delete=models.CASCADE)
    holder = models.ForeignKey(Holder, null=True, on_delete=models.CASCADE)
    hook = models.ForeignKey(Hook, null=True, on_delete=models.CASCADE)
    to = models.CharField(max_length=500, help_text="Address at the time.")
    incident = models.ForeignKey(Incident, null=True, on_delete=models.SET_NULL, related_name="messages")
    subject = models.CharField(max_length=200)
    body = models.TextField()
    state = models.CharField(max_length=8, choices=MessageState, default=MessageState.WAITING)
    attempts = models.PositiveSmallIntegerField(default=0)
    not_before = models.DateTimeField(help_text="Quiet hours, or the pause before the next attempt.")
    made_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True)
    error = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]
        indexes = [
            models.Index(fields=["-made_at", "-id"]),
            models.Index(fields=["not_before"], condition=models.Q(state="waiting"), name="messages_waiting"),
        ]
