"""Who wants to know that a backup has come into a store by another way than a run. Apps further right enter themselves here.

Each is asked within the transaction that writes it down.
"""

from collections.abc import Callable

from server.runs.models import Backup

Listener = Callable[[Backup], None]
_LISTENERS: list[Listener] = []


def enter(listener: Listener) -> None:
    """Called with each backup that has come, inside of its transaction."""
    _LISTENERS.append(listener)


def arrived(backup: Backup) -> None:
    """It was found, brought in or copied."""
    for listener in _LISTENERS:
        listener(backup)
