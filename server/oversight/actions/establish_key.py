"""At a start: know which key is the server's. Only a first start makes one; later a missing or other key is a state of its own."""

from django.db import transaction

from server import ports
from server.fleet.models import Device
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import ServerKey
from server.ports import KeyTold
from server.storage.models import Store


@transaction.atomic
def establish_key() -> KeyTold:
    """How it stands. Raises AtticError when a first key cannot be made.

    An installation from before fingerprints were kept takes the key that lies there; where it lies no more, none is made.
    """
    lock_alone("server key")
    state = ports.keys().key_state()
    if ServerKey.objects.exists():
        return state
    used = Store.objects.exists() or Device.objects.exclude(agent_key=None).exists()
    if state.trouble and used:
        return state
    now = ports.clock().now()
    ServerKey.objects.create(id=1, fingerprint=ports.keys().make_key(), at=now)
    write_journal(who=None, what="key.established", facts={"where": state.where}, at=now)
    return ports.keys().key_state()
