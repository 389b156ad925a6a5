"""Take over what another server knew of keeping and letting go: exceptions from rules, what nothing leaves, what is to be erased.

Called within the transaction that takes an office over. What is said here already stays as it is.
"""

from collections.abc import Mapping
from datetime import date
from typing import Any
from uuid import UUID

from core.errors import BadInput
from server import ports
from server.fleet.models import Device
from server.people.models import Team, User
from server.plans.actions.rule_versions import note_version
from server.plans.models import Plan, RuleVersion
from server.plans.rules import rule_from, subject_of
from server.recovery.actions.set_drill_rules import set_drill_rules
from server.recovery.models import DrillRules
from server.recovery.offices import DRILL_FIELDS
from server.retention.models import Erasure, Freeze
from server.storage.actions.set_rotation import WantedRotation, keep_drive, set_rotation
from server.storage.models import Rotation, Store


def _row(model: Any, **wanted: Any) -> Any:
    """Raises BadInput for something that is told and is not here."""
    row = model.objects.filter(**wanted).first()
    if row is None:
        raise BadInput("What it speaks of is not here.", remedy="Make it anew once that is here.")
    return row


def take_exception(entry: Mapping[str, Any], *, by: User) -> None:
    """Raises BadInput."""
    rows: dict[str, Any] = {}
    if entry.get("plan"):
        rows["plan"] = _row(Plan, name=str(entry["plan"]))
    if entry.get("team"):
        rows["team"] = _row(Team, name=str(entry["team"]))
    if entry.get("device"):
        rows["device"] = _row(Device, id=UUID(str(entry["device"])))
    if entry.get("store"):
        rows["store"] = _row(Store, vault_id=str(entry["store"]))
    if not rows and entry.get("retired") is not True:
        raise BadInput("It speaks of nothing.", remedy="Make it anew by hand.")
    rule_from(entry["told"])
    if not RuleVersion.objects.filter(subject=subject_of(**{name: row.id for name, row in rows.items()})).exists():
        note_version(entry["told"], by=by, now=ports.clock().now(), why=str(entry.get("why") or "")[:200], **rows)


def take_freeze(entry: Mapping[str, Any], *, by: User) -> None:
    """One of a store or a team that is not here holds the whole office: rather too much than too little."""
    store = Store.objects.filter(vault_id=str(entry["store"])).first() if entry.get("store") else None
    team = Team.objects.filter(name=str(entry["team"])).first() if entry.get("team") and store is None else None
    if not Freeze.objects.filter(store=store, team=team, ended_at=None).exists():
        Freeze.objects.create(store=store, team=team, reason=str(entry["reason"])[:200], by=by, at=ports.clock().now())


def take_erasure(entry: Mapping[str, Any], *, by: User) -> None:
    """It begins on its day, or on the next one, in the stores that are here. Raises BadInput."""
    devices = list(Device.objects.filter(id__in=[UUID(str(id)) for id in entry["devices"]]))
    if not devices or bool(entry["items"]) == bool(entry["whole"]):
        raise BadInput("What it speaks of is not here.", remedy="Ask for it anew.")
    items = [{"kind": str(one["kind"]), "mark": str(one["mark"]), "id": "", "name": ""} for one in entry["items"]]
    row, made = Erasure.objects.get_or_create(
        id=UUID(str(entry["id"])),
        defaults={
            "reference": str(entry["reference"])[:200], "whole": entry["whole"] is True, "items": items, "by": by,
            "asked_at": ports.clock().now(), "begins_on": date.fromisoformat(entry["begins_on"]),
            "forgets_names": entry["forgets_names"] is True,
        },
    )  # fmt: skip
    if made:
        row.devices.set(devices)


def take_rotation(entry: Mapping[str, Any], *, by: User) -> None:
    """Of those of its drives that are stores here. One of this name that is here stays as it is. Raises BadInput."""
    if Rotation.objects.filter(name=str(entry["name"])[:80]).exists():
        return
    drives = {str(one["store"]): one for one in entry["drives"]}
    stores = {store.vault_id: store for store in Store.objects.filter(vault_id__in=drives, drive__isnull=False)}
    here = [stores[id] for id in drives if id in stores]
    first_day = date.fromisoformat(entry["first_day"])
    wanted = WantedRotation(
        name=str(entry["name"])[:80], every_days=int(entry["every_days"]), first_day=first_day, grace_days=int(entry["grace_days"]),
        drives=[store.id for store in here],
    )  # fmt: skip
    set_rotation(wanted, by=by)
    for store in here:
        one = drives[store.vault_id]
        keep_drive(store, keeper=str(one["keeper"])[:120], rests_in=str(one["rests_in"])[:120], by=by)


def take_drill_rules(entry: Mapping[str, Any], *, by: User) -> None:
    """What was said here stays. Raises BadInput."""
    if not DrillRules.objects.exists():
        set_drill_rules(**{name: None if entry[name] is None else int(entry[name]) for name in DRILL_FIELDS}, by=by)  # type: ignore[arg-type]
