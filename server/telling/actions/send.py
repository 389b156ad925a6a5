"""Send what waits. Each message by itself: one that cannot go does not hold up the others, and is tried again later."""

from datetime import datetime, timedelta
from smtplib import SMTPDataError, SMTPRecipientsRefused, SMTPSenderRefused

from django.conf import settings
from django.core import mail
from django.db import transaction

from core.errors import AtticError
from server import ports
from server.people.clock import in_doubt
from server.telling.models import Hook, Message, MessageState, Way
from server.unforeseen import ending_of

PAUSES = (timedelta(minutes=1), timedelta(minutes=5), timedelta(minutes=30), timedelta(hours=2), timedelta(hours=6))
AT_ONCE = 50
"""Messages a round."""
KEPT_FOR = timedelta(days=400)
OF_THIS_LETTER = (SMTPRecipientsRefused, SMTPDataError, SMTPSenderRefused, ValueError)
"""Errors that say nothing of the next letter: its recipient may be known."""
STALE = timedelta(days=2)
"""A sign of life, or an alert, that could not go for so long is of no use any more."""


def send_waiting(*, now: datetime) -> tuple[int, int]:
    """(sent, not sent). A mail server or a hook that does not answer is asked once a round."""
    sent = failed = 0
    down: dict[object, str] = {}
    """The id of a hook, or None for mail → why nothing goes there in this round."""
    due = Message.objects.filter(state=MessageState.WAITING, not_before__lte=now).order_by("not_before", "made_at", "id")
    for id in list(due.values_list("id", flat=True)[:AT_ONCE]):
        with transaction.atomic():
            held = Message.objects.select_for_update(skip_locked=True, of=("self",)).select_related("hook")
            row = held.filter(id=id, state=MessageState.WAITING).first()
            if row is None:
                continue  # another worker has it
            where = row.hook_id
            error = down.get(where) or _sent(row, down, where)
            if not error:
                row.state, row.sent_at, row.error = MessageState.SENT, ports.clock().now(), ""
                sent += 1
            else:
                failed += 1
                _put_back(row, error, now)
            row.save(update_fields=["state", "sent_at", "error", "attempts", "not_before"])
    if not in_doubt():
        Message.objects.filter(made_at__lt=now - KEPT_FOR).delete()
    return sent, failed


def _put_back(row: Message, error: str, now: datetime) -> None:
    row.attempts, row.error = row.attempts + 1, error[:300]
    if row.attempts > len(PAUSES) or now - row.made_at > STALE or row.subject == "alive":
        row.state = MessageState.FAILED
    else:
        row.not_before = now + PAUSES[row.attempts - 1]


def _sent(row: Message, down: dict[object, str], where: object) -> str:
    """Empty when it went, otherwise why not. Puts into `down` what will not do better with the next message."""
    if row.way == Way.HOOK:
        error = _told(row)
        if error:
            down[where] = error
        return error
    headers = {
        "Auto-Submitted": "auto-generated",
        "Message-ID": f"<{row.id}@{settings.ATTIC_ENV.mail_from.rpartition('@')[2] or 'old-attic'}>",
    }
    letter = mail.EmailMessage(subject=row.subject, body=row.body, from_email=settings.ATTIC_ENV.mail_from, to=[row.to], headers=headers)
    try:
        letter.send(fail_silently=False)
    except (OSError, ValueError) as error:  # smtplib's errors and time-outs are OSErrors; ValueError is an address that cannot be one
        says = f"The mail did not go: {type(error).__name__}: {error}"
        if not isinstance(error, OF_THIS_LETTER):
            down[where] = says
        return says
    return ""


def _told(row: Message) -> str:
    hook: Hook | None = row.hook
    if hook is None or not hook.active:
        return "This hook is switched off."
    try:
        secret = ports.keys().unseal(f"hook {hook.id}", bytes(hook.secret))
        ports.hooks().tell_hook(row.to, row.body.encode(), key=secret, key_id=str(hook.id), inside=hook.inside)
    except AtticError as error:
        return f"{error.message} {error.remedy}"
    except Exception as error:  # one hook takes no other message with it; the cause is in the log, under a reference
        ending = ending_of(error, f"hook {hook.id}")
        return f"{ending.cause} {ending.remedy}"
    return ""
