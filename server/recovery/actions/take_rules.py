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
    found = model.objects.filter(**wanted).first()
    if found is None:
        raise BadInput("What it speaks of is not here.", remedy="Make it anew once that is here.")
    return found


def take_exception(told: Mapping[str, Any], *, by: User) -> None:
    """Raises BadInput."""
    rows: dict[str, Any] = {}
    if told.get("plan"):
        rows["plan"] = _row(Plan, name=str(told["plan"]))
    if told.get("team"):
        rows["team"] = _row(Team, name=str(told["team"]))
    if told.get("device"):
        rows["device"] = _row(Device, id=UUID(str(told["device"])))
    if told.get("store"):
        rows["store"] = _row(Store, vault_id=str(told["store"]))
    if not rows and told.get("retired") is not True:
        raise BadInput("It speaks of nothing.", remedy="Make it anew by hand.")
    rule_from(told["told"])
    if not RuleVersion.objects.filter(subject=subject_of(**{name: row.id for name, row in rows.items()})).exists():
        note_version(told["told"], by=by, now=ports.clock().now(), why=str(told.get("why") or "")[:200], **rows)


def take_freeze(told: Mapping[str, Any], *, by: User) -> None:
    """One of a store or a team that is not here holds the whole office: rather too much than too little."""
    store = Store.objects.filter(vault_id=str(told["store"])).first() if told.get("store") else None
    team = Team.objects.filter(name=str(told["team"])).first() if told.get("team") and store is None else None
    if not Freeze.objects.filter(store=store, team=team, ended_at=None).exists():
        Freeze.objects.create(store=store, team=team, reason=str(told["reason"])[:200], by=by, at=ports.clock().now())


def take_erasure(told: Mapping[str, Any], *, by: User) -> None:
    """It begins on its day, or on the next one, in the stores that are here. Raises BadInput."""
    devices = list(Device.objects.filter(id__in=[UUID(str(id)) for id in told["devices"]]))
    if not devices or bool(told["items"]) == bool(told["whole"]):
        raise BadInput("What it speaks of is not here.", remedy="Ask for it anew.")
    items = [{"kind": str(one["kind"]), "mark": str(one["mark"]), "id": "", "name": ""} for one in told["items"]]
    row, made = Erasure.objects.get_or_create(
        id=UUID(str(told["id"])),
        defaults={
            "reference": str(told["reference"])[:200], "whole": told["whole"] is True, "items": items, "by": by,
            "asked_at": ports.clock().now(), "begins_on": date.fromisoformat(told["begins_on"]),
            "forgets_names": told["forgets_names"] is True,
        },
    )  # fmt: skip
    if made:
        row.devices.set(devices)


def take_rotation(told: Mapping[str, Any], *, by: User) -> None:
    """Of those of its drives that are stores here. One of this name that is here stays as it is. Raises BadInput."""
    if Rotation.objects.filter(name=str(told["name"])[:80]).exists():
        return
    drives = {str(one["store"]): one for one in told["drives"]}
    stores = {store.vault_id: store for store in Store.objects.filter(vault_id__in=drives, drive__isnull=False)}
    here = [stores[id] for id in drives if id in stores]
    first_day = date.fromisoformat(told["first_day"])
    wanted = WantedRotation(
        name=str(told["name"])[:80], every_days=int(told["every_days"]), first_day=first_day, grace_days=int(told["grace_days"]),
        drives=[store.id for store in here],
    )  # fmt: skip
    set_rotation(wanted, by=by)
    for store in here:
        one = drives[store.vault_id]
        keep_drive(store, keeper=str(one["keeper"])[:120], rests_in=str(one["rests_in"])[:120], by=by)


def take_drill_rules(told: Mapping[str, Any], *, by: User) -> None:
    """What was said here stays. Raises BadInput."""
    if not DrillRules.objects.exists():
        set_drill_rules(**{name: None if told[name] is None else int(told[name]) for name in DRILL_FIELDS}, by=by)  # type: ignore[arg-type]
