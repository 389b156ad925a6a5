"""What OpenSSH's client keeps for whoever runs this (ssh(1), FILES): hosts that he has met, and his key."""

from pathlib import Path

import paramiko

from adapters.links.sftp_session import fingerprint, host_key
from core.content.errors import LinkError
from core.vault.errors import StoreReadOnly, StoreUnreachable


def known_host_key(host: str, number: int) -> str:
    """Of that computer, as its user has accepted it. Raises StoreReadOnly naming what answers there, StoreUnreachable."""
    name = host if number == 22 else f"[{host}]:{number}"
    file = Path.home() / ".ssh" / "known_hosts"
    keys = paramiko.HostKeys()
    if file.is_file():
        keys.load(str(file))
    known = keys.lookup(name)
    try:
        met = host_key(host, number)
    except LinkError as error:
        raise StoreUnreachable(f"The server at {host} cannot be reached: {error.message}") from None
    kind = met.partition(" ")[0]
    if known is None or kind not in known:
        raise StoreReadOnly(
            f"Nobody has accepted the key of {host} yet. It shows {fingerprint(met)}.",
            remedy=f"Compare it there, then connect once with ssh, or add this line to {file}: {name} {met}",
        )
    return f"{kind} {known[kind].get_base64()}"


def own_private_key() -> str:
    """In OpenSSH's format. Raises StoreReadOnly where there is none."""
    file = Path.home() / ".ssh" / "id_ed25519"
    try:
        return file.read_text()
    except OSError:
        raise StoreReadOnly(
            "There is no key to sign in with.", remedy=f"Make one without a passphrase as {file}, or write the password into the address."
        ) from None
