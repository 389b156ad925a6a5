"""Take over what another server knew, from a store that survived it: holders, closed days, devices with their links, plans.

What is here already stays as it is. Each device and plan is taken by itself: one that cannot be is left out and named. Holds
come with the backups, when those are taken in.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, time
from functools import partial
from typing import Any
from uuid import UUID, uuid4

from django.core.exceptions import ValidationError
from django.db import Error, models, transaction

from core.content.families import FAMILIES
from core.errors import AtticError, BadInput
from core.vault.offices import OfficeRecord, entries, read_offices
from server import ports
from server.api.problems import Conflict
from server.fleet.convert import SSH_PURPOSE, key_purpose, rules_of, sftp_purpose
from server.fleet.models import Device, DeviceState, LinkType, SshKey
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.actions.office import SLOWEST_BYTES_PER_SECOND, holder_named
from server.people.models import ClosedDay, Team, User
from server.plans.actions.save_plan import Draft, DraftTarget, save_plan
from server.plans.models import KindChoice, Plan
from server.recovery.actions.take_rules import take_drill_rules, take_erasure, take_exception, take_freeze, take_rotation
from server.recovery.offices import CHOICE_FIELDS, DEVICE_FIELDS, DRAFT_FIELDS, TARGET_FIELDS, new_devices
from server.storage.models import Store
from server.storage.queries import opened


@dataclass(slots=True, kw_only=True)
class TakenOver:
    """How many of each, and what was left out: (name, why)."""

    holders: int = 0
    closed_days: int = 0
    devices: int = 0
    plans: int = 0
    exceptions: int = 0
    freezes: int = 0
    erasures: int = 0
    rotations: int = 0
    drill_rules: int = 0
    left_out: list[tuple[str, str]] = field(default_factory=list)


def take_office(store: Store, server: str, *, by: User) -> TakenOver:
    """`server`: hex id of who told it. Raises Conflict, StoreError, VaultError."""
    record = next((one for one in read_offices(opened(store)) if one.server.hex() == server), None)
    if record is None:
        raise Conflict("The store holds nothing of that server any more.", remedy="Load the page again.")
    with transaction.atomic():
        lock_alone("office record")
        taken = TakenOver()
        _holders(record, taken)
        _closed_days(record, taken)
        _ssh_key(record)
        followers = _devices(record, taken, by=by)
        _plans(record, store, followers, taken, by=by)
        for name, take in (
            ("exceptions", take_exception),
            ("freezes", take_freeze),
            ("erasures", take_erasure),
            ("rotations", take_rotation),
            ("drill_rules", take_drill_rules),
        ):
            setattr(taken, name, _each(entries(record.told, name), partial(take, by=by), taken))
        facts = {
            "devices": taken.devices, "plans": taken.plans, "holders": taken.holders, "closed_days": taken.closed_days,
            "office": record.office, "store": store.name,
        }  # fmt: skip
        write_journal(who=by, what="store.office_taken", facts=facts, at=ports.clock().now(), store=store.id)
        publish("changed", "devices")
        publish("changed", "stores")
    return taken


def _each(rows: list[dict[str, Any]], take: Callable[[dict[str, Any]], None], taken: TakenOver) -> int:
    """How many could be taken. Each in a savepoint of its own."""
    count = 0
    for entry in rows:
        try:
            with transaction.atomic():
                take(entry)
            count += 1
        except AtticError as error:
            taken.left_out.append((str(entry.get("name", ""))[:120], error.message))
        except (ValueError, TypeError, KeyError, AttributeError, ValidationError, Error):
            taken.left_out.append((str(entry.get("name", ""))[:120], "What is told of it cannot be used."))
    return count


def _holders(record: OfficeRecord, taken: TakenOver) -> None:
    def take(entry: dict[str, Any]) -> None:
        holder, team = holder_named(_text(entry, "name", 120), _text(entry, "team", 80))
        holder.team, holder.email = holder.team or team, holder.email or _text(entry, "email", 254)
        holder.save(update_fields=["team", "email"])

    taken.holders = _each(entries(record.told, "holders"), take, taken)


def _closed_days(record: OfficeRecord, taken: TakenOver) -> None:
    def take(entry: dict[str, Any]) -> None:
        ClosedDay.objects.get_or_create(day=date.fromisoformat(entry["day"]), defaults={"name": _text(entry, "name", 120)})

    taken.closed_days = _each(entries(record.told, "closed_days"), take, taken)


def _ssh_key(record: OfficeRecord) -> None:
    """Devices that know the old server's key let this one in with it, unless it has one of its own already."""
    coded = record.told.get("ssh_key")
    if isinstance(coded, dict) and coded.get("private") and not SshKey.objects.exists():
        private = ports.keys().seal(SSH_PURPOSE, str(coded["private"]).encode())
        SshKey.objects.create(private=private, public=_text(coded, "public", 500), made_at=ports.clock().now())


def _devices(record: OfficeRecord, taken: TakenOver, *, by: User) -> dict[str, list[UUID]]:
    """Plan's name → devices that are to follow it."""
    followers: dict[str, list[UUID]] = {}
    columns = {column.name: column for column in Device._meta.get_fields() if isinstance(column, models.Field)}

    def take(entry: dict[str, Any]) -> None:
        device = Device(id=_id(entry.get("id")), added_at=ports.clock().now())
        for name in DEVICE_FIELDS:
            column = columns[name]
            value = entry.get(name, column.get_default())
            setattr(device, name, column.to_python(_cut(value, column)))
        if not device.name or device.state not in DeviceState.values or device.link not in LinkType.values:
            raise BadInput("What is told of it is no device.", remedy="Register it by hand.")
        rules_of(device.file_rules)
        if device.limit_bytes_per_second is not None and device.limit_bytes_per_second < SLOWEST_BYTES_PER_SECOND:
            raise BadInput("Nothing would ever finish at its speed.", remedy="Register it by hand.")
        device.family = device.family if device.family in FAMILIES else ""
        device.holder, device.team = holder_named(_text(entry, "holder", 120) or "unknown", _text(entry, "team", 80))
        if entry.get("agent_key"):
            device.agent_key = ports.keys().seal(key_purpose(device.agent_id), bytes.fromhex(entry["agent_key"]))
        if entry.get("sftp_password"):
            device.sftp_password = ports.keys().seal(sftp_purpose(device.sftp_host, device.sftp_port), str(entry["sftp_password"]).encode())
        device.save(force_insert=True)
        for choice in entries(entry, "choices"):
            KindChoice.objects.create(device=device, by=by, at=ports.clock().now(), **{name: choice[name] for name in CHOICE_FIELDS})
        followers.setdefault(_text(entry, "plan", 80), []).append(device.id)

    taken.devices = _each(new_devices(entries(record.told, "devices")), take, taken)
    return followers


def _plans(record: OfficeRecord, store: Store, followers: dict[str, list[UUID]], taken: TakenOver, *, by: User) -> None:
    stores = dict(Store.objects.values_list("vault_id", "id"))

    def take(entry: dict[str, Any]) -> None:
        fields = {name: entry[name] for name in DRAFT_FIELDS}
        for name in ("starts_at", "window_closes"):
            fields[name] = time.fromisoformat(fields[name])
        for name in ("starts_on", "ends_on"):
            fields[name] = date.fromisoformat(fields[name]) if fields[name] else None
        fields["exceptions"] = tuple(date.fromisoformat(day) for day in fields["exceptions"])
        fields["exclusions"] = tuple(fields["exclusions"])
        targets = [_target(one, stores[one["store"]]) for one in entries(entry, "targets") if one.get("store") in stores]
        fields["targets"] = tuple(targets or [DraftTarget(store=store.id)])  # where its own stores are not here, this one
        names = [str(name)[:80] for name in entry.get("teams", [])]
        fields["teams"] = tuple(Team.objects.filter(name__in=names, default_plan=None).values_list("id", flat=True))
        save_plan(Draft(**fields), devices=followers.get(fields["name"], []), by=by)

    known = {name.casefold() for name in Plan.objects.values_list("name", flat=True)}
    new = [entry for entry in entries(record.told, "plans") if str(entry.get("name", "")).casefold() not in known]
    taken.plans = _each(new, take, taken)


def _target(entry: dict[str, Any], store: UUID) -> DraftTarget:
    fields = {name: entry.get(name, getattr(DraftTarget(store=None), name)) for name in TARGET_FIELDS}
    for name in ("copies_from", "copies_until"):
        fields[name] = time.fromisoformat(fields[name]) if fields[name] else None
    return DraftTarget(store=store, **fields)


def _text(entry: dict[str, Any], name: str, most: int) -> str:
    return str(entry.get(name) or "")[:most].strip()


def _cut(value: Any, column: "models.Field[Any, Any]") -> Any:
    return value[: column.max_length] if isinstance(value, str) and column.max_length else value


def _id(value: object) -> UUID:
    """The one that its backups carry."""
    try:
        return UUID(str(value))
    except ValueError:
        return uuid4()
