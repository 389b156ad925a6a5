"""How long it is remembered what was mailed and told."""

from datetime import datetime

from django.db.models import QuerySet

from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter
from server.telling.models import Message, MessageState


def _old(before: datetime) -> QuerySet[Message]:
    return Message.objects.filter(made_at__lt=before).exclude(state=MessageState.WAITING)


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="messages", label="Mails and messages to other programs", says="With their text.", days=180, least=30, old=_old,
            remove=delete_some,
        )
    )  # fmt: skip
