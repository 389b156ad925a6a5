"""Change many devices at once, import a register, and take such a change back: one undo.

All or nothing: a row that cannot be changed stops the whole. What the undo would overwrite because somebody has
changed it since is left as it is, and named.
"""

import hashlib
import json
from collections.abc import Mapping, Sequence
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from core.exchange.register import KnownRegister, LineVerdict, RegisterLine, plan_import
from server import ports
from server.api.problems import Conflict
from server.fleet.actions.change_device import change_heard, change_of, put_values
from server.fleet.convert import register_values
from server.fleet.models import Bulk, Device, DeviceState, LinkType
from server.fleet.objections import hear
from server.fleet.queries import devices
from server.people.actions.journal import write_journal
from server.people.models import User

MANY = 5000
_BY_HAND = "Change the state or the team of those devices by hand first: there it is shown what leaves."
CHANGEABLE = ("holder", "team", "state", "away_until", "purchased_on", "handed_over_on", "note")
"""Columns that make sense for many devices at once."""


@transaction.atomic
def change_many(ids: Sequence[UUID], values: Mapping[str, str], *, by: User, seen: str = "", word: str = "") -> Bulk:
    """`seen`: the digest of what was shown to leave by it. Raises BadInput, Conflict."""
    chosen, now = chosen_devices(ids, values), ports.clock().now()
    before = {str(device.id): register_values(device) for device in chosen}
    hear(change_of([(device, values) for device in chosen], now=now, seen=seen, word=word))
    for device in chosen:
        change_heard(device, values, by=by, now=now)
    after = {str(device.id): register_values(device) for device in chosen}
    words = ", ".join(f"{column.replace('_', ' ')} {value or '–'}" for column, value in values.items())
    return _noted(before, after, says=f"{len(chosen)} devices changed: {words}"[:300], by=by)


def chosen_devices(ids: Sequence[UUID], values: Mapping[str, str]) -> list[Device]:
    """The rows, held, of a change that makes sense. Raises BadInput, Conflict."""
    if not ids or len(ids) > MANY:
        raise BadInput("No device is chosen.", field="devices", remedy=f"Choose from 1 to {MANY} devices.")
    if not values or set(values) - set(CHANGEABLE):
        raise BadInput("Nothing that can be changed together is given.", field="values", remedy=f"Use: {', '.join(CHANGEABLE)}.")
    rows = list(devices().filter(id__in=ids).select_for_update(of=("self",)).order_by("id"))
    if len(rows) != len(set(ids)):
        raise Conflict("One of the devices does not exist any more.", remedy="Load the page again.")
    return rows


def previewed(rows: Sequence[Mapping[str, str]]) -> tuple[list[RegisterLine], str]:
    """(what an import would do, a digest of it). Nothing is applied."""
    known = [KnownRegister(id=str(device.id), values=register_values(device)) for device in devices().order_by("id")]
    lines = plan_import(rows, known)
    lines_shown = [[line.number, line.verdict, line.device, dict(line.changes), line.why] for line in lines]
    return lines, hashlib.sha256(json.dumps(lines_shown, sort_keys=True).encode()).hexdigest()


@transaction.atomic
def import_register(rows: Sequence[Mapping[str, str]], *, digest: str, by: User) -> Bulk:
    """Do what the preview with this digest said. Refused rows are left out. Raises Conflict when it would do something else now."""
    lines, now_digest = previewed(rows)
    if digest != now_digest:
        raise Conflict("The register has changed since the preview.", remedy="Look at the new preview and confirm again.")
    chosen = [line for line in lines if line.verdict in (LineVerdict.CREATE, LineVerdict.CHANGE)]
    if not chosen:
        raise BadInput("There is nothing to create or to change in it.", field="file", remedy="Choose another file.")
    held = {str(device.id): device for device in devices().filter(id__in=[line.device for line in chosen if line.device])}
    before: dict[str, dict[str, str] | None] = {}
    after: dict[str, dict[str, str]] = {}
    now = ports.clock().now()
    wanted = [(held[line.device], line.values) for line in chosen if line.device is not None]
    hear(change_of(wanted, now=now, remedy=_BY_HAND))
    for line in chosen:
        if line.device is None:
            device = Device(link=LinkType.NONE, added_at=now)
            put_values(device, line.values, now=now)
            device.save(force_insert=True)
            before[str(device.id)] = None
            write_journal(who=by, what="device.registered", facts={"device": device.name}, at=now, device=device.id)
        else:
            device = held[line.device]
            before[line.device] = register_values(device)
            change_heard(device, line.values, by=by, now=now)
        after[str(device.id)] = register_values(device)
    created = sum(line.device is None for line in chosen)
    return _noted(before, after, says=f"Import: {created} devices created, {len(chosen) - created} changed", by=by)


@transaction.atomic
def undo_bulk(bulk: Bulk, *, by: User) -> list[str]:
    """Names of what was left as it is because it has changed since. Raises Conflict."""
    bulk = Bulk.objects.select_for_update().get(id=bulk.id)
    if bulk.undone_at is not None:
        raise Conflict("This change has been taken back already.", remedy="Nothing to do.")
    if Bulk.objects.filter(undone_at__isnull=True, at__gt=bulk.at).exists():
        raise Conflict("Many devices were changed again since.", remedy="Take back the newer change first.")
    held = {str(device.id): device for device in devices().filter(id__in=list(bulk.after))}
    left, wanted, at = [], list[tuple[Device, dict[str, str]]](), ports.clock().now()
    for id, after in bulk.after.items():
        device, before = held.get(id), bulk.before[id]
        if device is None:
            continue
        now = register_values(device)
        if before is None:
            if now != after or device.link != LinkType.NONE or device.runs.exists() or device.backups.exists():
                left.append(device.name)
            else:
                device.delete()
            continue
        stale = {column for column in after if before[column] != after[column] and now[column] != after[column]}
        back = {column: before[column] for column in after if before[column] != after[column] and column not in stale}
        if stale:
            left.append(f"{device.name} ({', '.join(sorted(stale))})")
        if back:
            wanted.append((device, back))
            if after.get("state") == DeviceState.LOST and device.link == LinkType.AGENT and not device.agent_key:
                left.append(f"{device.name} (its key was withdrawn: pair it again)")
    hear(change_of(wanted, now=at, remedy=_BY_HAND))
    for device, back in wanted:
        change_heard(device, back, by=by, now=at)
    bulk.undone_at = at
    bulk.save(update_fields=["undone_at"])
    write_journal(who=by, what="devices.undone", facts={"says": bulk.says}, at=bulk.undone_at)
    return left


def _noted(before: Mapping[str, object], after: Mapping[str, object], *, says: str, by: User) -> Bulk:
    now = ports.clock().now()
    write_journal(who=by, what="devices.changed_many", facts={"says": says}, at=now)
    return Bulk.objects.create(at=now, by=by, says=says[:300], before=dict(before), after=dict(after))
