"""The key with which this server signs in to SFTP devices instead of a password: made once, its private half sealed."""

from django.db import transaction

from server import ports
from server.fleet.convert import SSH_PURPOSE
from server.fleet.models import SshKey
from server.locks import lock_alone


@transaction.atomic
def own_ssh_key() -> SshKey:
    """Made when it is first asked for."""
    lock_alone("ssh key")
    ssh_key = SshKey.objects.first()
    if ssh_key is None:
        private, public = ports.devices().make_ssh_key()
        ssh_key = SshKey.objects.create(
            private=ports.keys().seal(SSH_PURPOSE, private.encode()), public=public, made_at=ports.clock().now()
        )
    return ssh_key
