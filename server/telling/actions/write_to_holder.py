"""A letter to the person who carries a device, written by somebody at the desk."""

from django.db import IntegrityError, transaction

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.telling.models import Message, Way

MOST_CHARACTERS = 4000
MOST_SUBJECT = 180


@transaction.atomic
def write_to_holder(device: Device, *, about: str, subject: str, body: str, by: User) -> Message:
    """Goes with what waits. One a day about the same thing. Raises BadInput, Conflict."""
    now, to = ports.clock().now(), device.holder.email
    subject, body = " ".join(subject.split()), body.strip()
    if not to:
        raise BadInput(
            f"Nobody noted where {device.holder.name} gets mail.", field="to", remedy="Write the address into Teams and holders."
        )
    if not body or len(body) > MOST_CHARACTERS:
        raise BadInput(f"The letter is empty, or longer than {MOST_CHARACTERS} characters.", field="body", remedy="Write a few sentences.")
    if not subject or len(subject) > MOST_SUBJECT:
        raise BadInput("The letter has no subject, or a very long one.", field="subject", remedy=f"Use at most {MOST_SUBJECT} characters.")
    key = f"{about} {device.id} {now.astimezone(office_zone()).date()}"
    try:
        with transaction.atomic():
            message = Message.objects.create(
                key=key, way=Way.MAIL, holder=device.holder, to=to, subject=subject, body=body, not_before=now, made_at=now
            )
    except IntegrityError:
        raise Conflict(
            f"{device.holder.name} was written to about this today.", remedy="Look at what was mailed; write again tomorrow."
        ) from None
    write_journal(who=by, what="holder.written", facts={"holder": device.holder.name, "device": device.name}, at=now, device=device.id)
    return message
