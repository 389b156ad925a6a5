"""A folder of the server that an export fills: readable by the server's account alone, and erased as the one that it is."""

import errno
import os
import shutil
import stat
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.guard import port
from core.errors import BadInput
from core.exchange.containers import Container
from core.recovery.into_folder import InFolder
from core.vault.errors import StoreError, StoreFault, StoreFull, StoreReadOnly, StoreUnreachable


@port(StoreFault, "The folder of an export")
class FolderOnServer:
    def __init__(self, path: Path) -> None:
        self._path = path

    def begin(self) -> tuple[Container, str]:
        destination = FolderDestination(self._path)
        try:
            destination.prepare()
            os.chmod(self._path, 0o700)
            return InFolder(destination, close=destination.close), _identity(os.lstat(self._path))
        except FileExistsError:
            raise BadInput(
                f"The folder {self._path} is not empty.", field="folder", remedy="Choose one that is empty, or does not exist yet."
            ) from None
        except OSError as error:
            raise _named(self._path, error) from error

    def erase(self, identity: str) -> bool:
        try:
            there = os.lstat(self._path)
        except FileNotFoundError:
            return False
        except OSError as error:
            raise _named(self._path, error) from error
        if not stat.S_ISDIR(there.st_mode) or _identity(there) != identity:
            remedy = "Look at it and erase what is ours by hand; then say that it is gone."
            raise BadInput(f"Another folder lies at {self._path} than the one that was filled.", field="folder", remedy=remedy)
        try:
            _opened(self._path)
            shutil.rmtree(self._path)
        except OSError as error:
            raise _named(self._path, error) from error
        return True


def _identity(facts: os.stat_result) -> str:
    return f"{facts.st_dev}:{facts.st_ino}"


def _opened(root: Path) -> None:
    """Folders came with the modes that they had: one that may not be written is opened first."""
    for folder, folders, _ in os.walk(root, followlinks=False):
        for name in folders:
            path = Path(folder) / name
            if not path.is_symlink():
                path.chmod(0o700)


def _named(path: Path, error: OSError) -> StoreError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StoreFull(f"There is no room left in {path}.", remedy="Make room there, or choose another folder.")
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return StoreReadOnly(f"The folder {path} may not be written.", remedy="Give the server's account the right to, or choose another.")
    return StoreUnreachable(f"The folder {path} answers with an error: {error.strerror}.")
