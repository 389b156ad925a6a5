"""Names of erased items go from what restores chose and reported."""

from server.fleet.models import Device
from server.recovery.models import Restore
from server.retention.actions.forget_erased import GONE, without

_COLUMNS = ("report", "progress")


def forget_in_restores(device: Device, names: frozenset[str], ids: frozenset[tuple[str, str]]) -> None:
    """Names of what was erased go from what restores remember."""
    for row in Restore.objects.filter(backup__device=device).only("pk", "chosen_items", *_COLUMNS):
        chosen = [[kind, GONE] if (kind, id) in ids else [kind, id] for kind, id in row.chosen_items]
        now = {column: without(getattr(row, column), names) for column in _COLUMNS} | {"chosen_items": chosen}
        if any(now[column] != getattr(row, column) for column in now):
            Restore.objects.filter(pk=row.pk).update(**now)
