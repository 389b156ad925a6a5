"""What the records themselves say of something that was erased goes, too: names of items in lists of runs, restores and checks,
and, where that was asked for, the names of devices and of the person."""

from collections.abc import Callable, Iterable
from typing import Any

from server.fleet.models import Device, Scan
from server.people.models import Holder
from server.retention.actions.ask_erasure import nameless
from server.retention.models import Erasure
from server.runs.models import Backup, Copy, Run

GONE = "(erased)"
Forgetter = Callable[[Device, frozenset[str], frozenset[tuple[str, str]]], None]
_FORGETTERS: list[Forgetter] = []


def enter(forgetter: Forgetter) -> None:
    """Apps further right that keep names of items enter themselves here."""
    _FORGETTERS.append(forgetter)


def without(value: Any, names: Iterable[str]) -> Any:
    """JSON in which no text is one of these names."""
    wanted = names if isinstance(names, frozenset) else frozenset(names)
    if isinstance(value, str):
        return GONE if value in wanted else value
    if isinstance(value, list):
        return [without(one, wanted) for one in value]
    if isinstance(value, dict):
        return {key: without(one, wanted) for key, one in value.items()}
    return value


def forget_items(device: Device, items: Iterable[dict[str, str]]) -> None:
    """`items`: [{kind, id, name}]. Called once a store holds them no more; again and again does nothing more."""
    wanted = frozenset(one["name"] for one in items if one["name"])
    ids = frozenset((one["kind"], one["id"]) for one in items if one["id"])
    if not wanted:
        return
    _rows(Backup.objects.filter(device=device), ("kinds", "lacking"), wanted)
    _rows(Copy.objects.filter(backup__device=device), ("damaged",), wanted)
    _rows(Run.objects.filter(device=device), ("skipped", "left_out", "log", "progress"), wanted)
    _rows(Scan.objects.filter(device=device), ("kinds", "missing"), wanted)
    for forget in _FORGETTERS:
        forget(device, wanted, ids)


def _rows(rows: Any, columns: tuple[str, ...], names: frozenset[str]) -> None:
    for row in rows.only("pk", *columns).iterator(chunk_size=500):
        now = {column: without(getattr(row, column), names) for column in columns}
        if any(now[column] != getattr(row, column) for column in columns):
            type(row).objects.filter(pk=row.pk).update(**now)


def forget_erased(row: Erasure) -> None:
    """At its end. Called in a transaction, under the locks of its devices."""
    if row.items:
        forget_items(row.devices.all()[0], row.items)
        row.items = nameless(row.items)
        row.save(update_fields=["items"])
    if not row.forgets_names:
        return
    for device in row.devices.all():
        Device.objects.filter(id=device.id).update(
            name=f"Erased device {device.id.hex[:6]}", serial="", asset_tag="", note="", address="", agent_id="", agent_key=None, folder="",
            sftp_host="", sftp_username="", sftp_password=None, accounts=[], card={}, link="none",
        )  # fmt: skip
        Scan.objects.filter(device=device).delete()
        Run.objects.filter(device=device).update(skipped=[], log=[], note="")
        Backup.objects.filter(device=device).update(note="", kinds=[])
    if row.holder_id is not None:
        Holder.objects.filter(id=row.holder_id).update(name=f"Erased person {row.id.hex[:6]}", email="")
