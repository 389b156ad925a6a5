"""What retention itself remembers: that somebody said that nothing leaves."""

import uuid

from django.db import models

from server.people.models import Team, User
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
