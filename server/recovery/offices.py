"""What this server knows besides its backups, as it is told to stores (§13 of the vault's format), and what of a told one is new here.

What is told is enough to go on: who holds what, how each device is reached, when it runs, what is kept and what is held. What
happened (runs, journal, accounts) is not told.
"""

import json
import logging
from dataclasses import dataclass
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder

from core.errors import AtticError
from core.vault.offices import OfficeRecord, entries
from server.fleet.convert import known_password, paired_key, private_ssh_key
from server.fleet.models import Device, SshKey
from server.people.models import ClosedDay, Holder
from server.people.queries import office_settings, server_id
from server.plans.actions.save_plan import PLAN_FIELDS
from server.plans.models import KindChoice, Plan
from server.plans.queries import WITH_TARGETS
from server.plans.rules import current_versions, subject_of
from server.recovery.models import DrillRules
from server.retention.freezing import freezes
from server.retention.models import Erasure, ErasureState
from server.runs.models import Backup
from server.storage.models import Rotation

log = logging.getLogger("attic.recovery")
DEVICE_FIELDS = (
    "name", "state", "away_until", "link", "agent_id", "address", "accepted", "folder", "sftp_host", "sftp_port", "sftp_username",
    "sftp_uses_key", "sftp_folder", "sftp_host_key", "file_rules", "limit_bytes_per_second", "family", "make", "model", "os_version",
    "serial", "asset_tag", "purchased_on", "handed_over_on", "note", "erased",
)  # fmt: skip
DRAFT_FIELDS = tuple(name for name in PLAN_FIELDS if name not in ("revision", "changed_at", "changed_by"))
TARGET_FIELDS = ("delay_minutes", "copies_from", "copies_until", "limit_bytes_per_second", "not_metered", "falls_over")
DRILL_FIELDS = ("a_day", "most_minutes", "most_bytes", "limit_bytes_per_second", "wanted_days")
CHOICE_FIELDS = ("kind", "taken", "service", "alike", "why")


def known_here() -> dict[str, Any]:
    """As JSON holds it. Secrets are in the clear: it is sealed as a whole where it goes. A fixed number of queries."""
    holders = Holder.objects.select_related("team")
    content = {
        "zone": office_settings().zone,
        "holders": [{"name": one.name, "team": one.team.name if one.team else "", "email": one.email} for one in holders],
        "closed_days": [{"day": one.day, "name": one.name} for one in ClosedDay.objects.all()],
        "ssh_key": _ssh_key(),
        "devices": _devices(),
        "plans": _plans(),
        "holds": _holds(),
        "exceptions": _exceptions(),
        "freezes": _freezes(),
        "erasures": _erasures(),
        "rotations": _rotations(),
        "drill_rules": list(DrillRules.objects.values(*DRILL_FIELDS)),
    }
    parted: dict[str, Any] = json.loads(json.dumps(content, cls=DjangoJSONEncoder))
    return parted


def _devices() -> list[dict[str, Any]]:
    choices: dict[object, list[dict[str, Any]]] = {}
    for one in KindChoice.objects.filter(ended_at=None):
        choices.setdefault(one.device_id, []).append({name: getattr(one, name) for name in CHOICE_FIELDS})
    return [
        {
            "id": device.id,
            "holder": device.holder.name,
            "team": device.team.name if device.team else "",
            "plan": device.assignment.plan.name if hasattr(device, "assignment") else "",
            **_secrets(device),
            "choices": choices.get(device.id, []),
            **{name: getattr(device, name) for name in DEVICE_FIELDS},
        }
        for device in Device.objects.select_related("holder", "team", "assignment__plan")
    ]


def _secrets(device: Device) -> dict[str, str]:
    """One whose secret cannot be opened here is told without it, and takes no other with it."""
    try:
        return {"agent_key": paired_key(device).hex(), "sftp_password": known_password(device)}
    except AtticError:
        log.exception("the secret of device %s cannot be opened", device.id)
        return {"agent_key": "", "sftp_password": ""}


def _ssh_key() -> dict[str, str] | None:
    try:
        ssh_key = SshKey.objects.first()
        return {"private": private_ssh_key(), "public": ssh_key.public} if ssh_key else None
    except AtticError:
        log.exception("the SSH key of this server cannot be opened")
        return None


def _plans() -> list[dict[str, Any]]:
    return [
        {
            "targets": [
                {"store": target.store.vault_id} | {name: getattr(target, name) for name in TARGET_FIELDS} for target in plan.targets.all()
            ],
            "teams": [one.team.name for one in plan.team_plans.all()],
            **{name: getattr(plan, name) for name in DRAFT_FIELDS},
        }
        for plan in Plan.objects.prefetch_related(WITH_TARGETS, "team_plans__team")
    ]


def _holds() -> list[dict[str, Any]]:
    held = Backup.objects.exclude(hold_reason="").order_by("id")
    return [{"backup": one.id.hex, "reason": one.hold_reason, "until": one.hold_until} for one in held]


def _exceptions() -> list[dict[str, Any]]:
    """From the plans' rules; those of the plans themselves stand with the plans."""
    plain = {subject_of(plan=id) for id in Plan.objects.values_list("id", flat=True)}
    newest = current_versions("team", "store", "plan")
    rows = [row for subject, row in newest.items() if row.told is not None and subject not in plain]
    return [
        {
            "retired": row.retired, "plan": row.plan.name if row.plan else "", "team": row.team.name if row.team else "",
            "device": row.device_id, "store": row.store.vault_id if row.store else "", "told": row.told, "why": row.why,
        }
        for row in sorted(rows, key=lambda row: row.subject)
    ]  # fmt: skip


def _freezes() -> list[dict[str, Any]]:
    return [
        {"store": one.store.vault_id if one.store else "", "team": one.team.name if one.team else "", "reason": one.reason}
        for one in freezes().order_by("id")
    ]


def _erasures() -> list[dict[str, Any]]:
    """Those that are not done: by marks, without the names of items."""
    rows = Erasure.objects.filter(state__in=(ErasureState.ASKED, ErasureState.UNDER_WAY)).prefetch_related("devices").order_by("id")
    return [
        {
            "id": one.id, "reference": one.reference, "whole": one.whole, "begins_on": one.begins_on, "forgets_names": one.forgets_names,
            "devices": [device.id for device in one.devices.all()],
            "items": [{"kind": item["kind"], "mark": item["mark"]} for item in one.items],
        }
        for one in rows
    ]  # fmt: skip


def _rotations() -> list[dict[str, Any]]:
    return [
        {
            "name": one.name, "every_days": one.every_days, "first_day": one.first_day, "grace_days": one.grace_days,
            "drives": [
                {"store": drive.store.vault_id, "keeper": drive.keeper, "rests_in": drive.rests_in}
                for drive in one.drives.select_related("store").order_by("place")
            ],
        }
        for one in Rotation.objects.all()
    ]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """What one told record would bring here."""

    record: OfficeRecord
    own: bool
    """Whether this server wrote it."""
    holders: list[str]
    """Names that are new here; so in all of these."""
    devices: list[str]
    plans: list[str]
    closed_days: int
    holds: int
    there: int
    """Devices and plans of it that are in the list already, and stay as they are."""


def offered(record: OfficeRecord) -> Offered:
    """What of a written-down office is not here yet."""
    known = {name.casefold() for name in Holder.objects.values_list("name", flat=True)}
    plans = {name.casefold() for name in Plan.objects.values_list("name", flat=True)}
    days = {str(day) for day in ClosedDay.objects.values_list("day", flat=True)}
    told_devices, told_plans = entries(record.told, "devices"), entries(record.told, "plans")
    devices = new_devices(told_devices)
    new_plans = [str(one.get("name", "")) for one in told_plans if str(one.get("name", "")).casefold() not in plans]
    return Offered(
        record=record,
        own=record.server == server_id(),
        holders=[name for one in entries(record.told, "holders") if (name := str(one.get("name", ""))).casefold() not in known],
        devices=[f"{one.get('name', '')}, {one.get('holder', '')}" for one in devices],
        plans=new_plans,
        closed_days=sum(str(one.get("day")) not in days for one in entries(record.told, "closed_days")),
        holds=len(entries(record.told, "holds")),
        there=len(told_devices) + len(told_plans) - len(devices) - len(new_plans),
    )


def new_devices(entries: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Those that are not here, by any of the marks that belong to one device only."""
    rows = Device.objects.values("id", "serial", "asset_tag", "agent_id", "folder")
    known = {(name, str(value).casefold()) for row in rows for name, value in row.items() if value}
    return [
        one
        for one in entries
        if not any((name, str(one.get(name, "")).casefold()) in known for name in ("id", "serial", "asset_tag", "agent_id", "folder"))
    ]
