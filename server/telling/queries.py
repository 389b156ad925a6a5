"""Reading messages and hooks."""

from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.telling.models import Hook, Message


def messages(**only: Any) -> QuerySet[Message]:
    """`only`: columns and the values that they must have."""
    return Message.objects.select_related("user", "holder", "hook").filter(**only)


def hooks() -> QuerySet[Hook]:
    """By name."""
    return Hook.objects.order_by("name")


def hook(id: UUID) -> Hook:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Hook, id=id)
