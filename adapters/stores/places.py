"""From an address to the blob store behind it: the one place that knows which adapter serves which medium."""

from pathlib import Path

from adapters.stores.folder import FolderBlobs
from core.vault.address import BucketAddress, DriveAddress, FolderAddress, SftpAddress, StoreAddress
from core.vault.blobs import BlobStore
from core.vault.errors import StoreReadOnly

# Adapters of other computers are imported where they are needed: each takes a good part of a second.


def blobs_at(address: StoreAddress, *, ssh_key: str | None = None) -> BlobStore:
    """`ssh_key`: used where there is no password; None: the key of whoever runs this. Raises StoreError when nothing is reached."""
    match address:
        case FolderAddress(path=path) | DriveAddress(path=path):
            return FolderBlobs(Path(path))
        case SftpAddress():
            from adapters.links.sftp_session import Sftp
            from adapters.stores.sftp import SftpBlobs
            from adapters.stores.ssh_files import known_host_key, own_private_key

            number = int(address.port or 22)
            return SftpBlobs(
                Sftp(
                    host=address.host,
                    port=number,
                    username=address.username,
                    password=address.password,
                    private_key="" if address.password else own_private_key() if ssh_key is None else ssh_key,
                    folder=address.folder,
                    host_key=address.host_key or known_host_key(address.host, number),
                )
            )
        case BucketAddress():
            from adapters.stores.s3 import Bucket, S3Blobs

            return S3Blobs(
                Bucket(
                    bucket=address.bucket,
                    prefix=address.prefix,
                    endpoint=address.endpoint or None,
                    region=address.region or None,
                    access_key=address.access_key or None,
                    secret_key=address.secret_key or None,
                    inside=bool(address.inside),
                )
            )


def make_room(address: StoreAddress) -> None:
    """Make the folder of a new store, if it lies on this computer. Raises StoreReadOnly."""
    if not isinstance(address, FolderAddress | DriveAddress):
        return
    folder = Path(address.path)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreReadOnly(f"The folder {folder} cannot be made: {error.strerror}.", field="path") from None
