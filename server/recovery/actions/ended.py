"""The end of a restore, whoever ends it: nothing that it needed only while it was asked or under way stays behind."""

from typing import Any

from server.recovery.models import ExportFolder, Restore, RestoreBatch, RestoreState
from server.transition import move


def end_restore(restore: Restore, to: RestoreState, **fields: Any) -> None:
    """A passphrase goes, and so does the claim to a folder that was not begun. `restore` is locked."""
    move(restore, to, passphrase=None, **fields)
    RestoreBatch.objects.filter(restore=restore).delete()
    if to in (RestoreState.FAILED, RestoreState.STOPPED):
        ExportFolder.objects.filter(restore=restore, identity="").delete()
