"""From an address to the blob store behind it: the one place that knows which adapter serves which medium."""

from pathlib import Path

from adapters.stores.folder import FolderBlobs
from core.vault.address import BucketAddress, DriveAddress, FolderAddress, StoreAddress
from core.vault.blobs import BlobStore
from core.vault.errors import StoreReadOnly


def blobs_at(address: StoreAddress) -> BlobStore:
    """Raises StoreError when nothing can be reached there."""
    match address:
        case FolderAddress(path=path) | DriveAddress(path=path):
            return FolderBlobs(Path(path))
        case BucketAddress():
            from adapters.stores.s3 import Bucket, S3Blobs  # only here: it takes a third of a second to import

            return S3Blobs(
                Bucket(
                    bucket=address.bucket,
                    prefix=address.prefix,
                    endpoint=address.endpoint or None,
                    region=address.region or None,
                    access_key=address.access_key or None,
                    secret_key=address.secret_key or None,
                )
            )


def make_room(address: StoreAddress) -> None:
    """Make the folder of a new store, if its medium has any. Raises StoreReadOnly."""
    if isinstance(address, BucketAddress):
        return
    folder = Path(address.path)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreReadOnly(f"The folder {folder} cannot be made: {error.strerror}.", field="path") from None
