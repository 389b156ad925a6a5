"""Add, change and remove the programs that are told what happens."""

from base64 import b64encode
from uuid import uuid4

from django.db import IntegrityError, transaction

from core.errors import BadInput
from server import ports
from server.people.actions.journal import write_journal
from server.people.models import User
from server.telling.models import Hook, Message, Way

SECRET_BYTES = 32


@transaction.atomic
def add_hook(*, name: str, address: str, inside: bool, signs_of_life: bool, by: User) -> tuple[Hook, str]:
    """The hook, and its secret, shown this once. Raises BadInput."""
    now = ports.clock().now()
    if not name.strip():
        raise BadInput("The hook has no name.", field="name", remedy="Give it one.")
    address = ports.hooks().checked_hook(address)
    id, secret = uuid4(), ports.keys().random(SECRET_BYTES)
    try:
        with transaction.atomic():
            hook = Hook.objects.create(
                id=id, name=name.strip()[:80], address=address, secret=ports.keys().seal(f"hook {id}", secret), inside=inside,
                signs_of_life=signs_of_life, added_at=now,
            )  # fmt: skip
    except IntegrityError:
        raise BadInput(f"There is a hook {name.strip()} already.", field="name", remedy="Choose another name.") from None
    write_journal(who=by, what="hook.added", facts={"hook": hook.name, "address": address}, at=now)
    return hook, b64encode(secret).decode()


@transaction.atomic
def change_hook(hook: Hook, *, active: bool, inside: bool, signs_of_life: bool, by: User) -> Hook:
    """From now on; what waits is sent as before."""
    hook.active, hook.inside, hook.signs_of_life = active, inside, signs_of_life
    hook.save(update_fields=["active", "inside", "signs_of_life"])
    write_journal(who=by, what="hook.changed", facts={"hook": hook.name, "active": active}, at=ports.clock().now())
    return hook


@transaction.atomic
def remove_hook(hook: Hook, *, by: User) -> None:
    """Its messages go with it."""
    write_journal(who=by, what="hook.removed", facts={"hook": hook.name}, at=ports.clock().now())
    hook.delete()


def try_hook(hook: Hook) -> None:
    """Tell it something now. Raises AtticError."""
    now = ports.clock().now()
    body = f'{{"event": "test", "at": "{now.isoformat()}"}}'.encode()
    key = ports.keys().unseal(f"hook {hook.id}", bytes(hook.secret))
    ports.hooks().tell_hook(hook.address, body, key=key, key_id=str(hook.id), inside=hook.inside)
    Message.objects.create(
        key=f"test {hook.id} {now.timestamp()}", way=Way.HOOK, hook=hook, to=hook.address, subject="test", body=body.decode(), state="sent",
        not_before=now, made_at=now, sent_at=now, attempts=1,
    )  # fmt: skip
