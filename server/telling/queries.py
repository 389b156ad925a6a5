"""Reading messages and hooks."""

from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.telling.models import Hook, Message


def messages() -> QuerySet[Message]:
    return Message.objects.select_related("user", "holder", "hook")


def hooks() -> QuerySet[Hook]:
    return Hook.objects.order_by("name")


def hook(id: UUID) -> Hook:
    return get_object_or_404(Hook, id=id)
