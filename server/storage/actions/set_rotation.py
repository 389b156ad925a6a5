"""Which drives take turns, who takes each home, and where it lies then."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from core.schedule.rotation import DriveRotation as Turns
from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.models import Drive, Rotation, Store

MOST_GRACE = 60
FIRST, LAST = date(2000, 1, 1), date(2199, 12, 31)


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedRotation:
    """A rotation as it is to be."""

    name: str
    every_days: int
    first_day: date
    grace_days: int
    drives: Sequence[UUID]
    """In the order of their turns."""


@transaction.atomic
def set_rotation(wanted: WantedRotation, *, rotation: Rotation | None = None, by: User) -> Rotation:
    """A new one, or another shape of one. Raises BadInput."""
    _checked(wanted, rotation)
    shape: dict[str, Any] = {
        "name": wanted.name.strip(),
        "every_days": wanted.every_days,
        "first_day": wanted.first_day,
        "grace_days": wanted.grace_days,
    }
    if rotation is None:
        row = Rotation.objects.create(**shape)
    else:
        row, _ = Rotation.objects.update_or_create(id=rotation.id, defaults=shape)
    names = dict(Store.objects.filter(id__in=wanted.drives).values_list("id", "name"))
    Drive.objects.filter(rotation=row).exclude(store__in=wanted.drives).update(rotation=None, place=0)
    for place, id in enumerate(wanted.drives):
        Drive.objects.filter(store=id).update(rotation=row, place=place)
    facts = {"rotation": row.name, "drives": [names[id] for id in wanted.drives], "every_days": row.every_days, "first": row.first_day}
    write_journal(who=by, what="drive.rotation", facts=facts, at=ports.clock().now())
    publish("changed", "stores")
    return row


def _checked(wanted: WantedRotation, rotation: Rotation | None) -> None:
    if not wanted.name.strip() or len(wanted.name) > 80:
        raise BadInput("The rotation has no usable name.", field="name", remedy="Give it a name of up to 80 characters.")
    others = Rotation.objects.exclude(id=rotation.id) if rotation else Rotation.objects.all()
    if others.filter(name__iexact=wanted.name.strip()).exists():
        raise BadInput(f"There is a rotation {wanted.name} already.", field="name", remedy="Choose another name.")
    if not FIRST <= wanted.first_day <= LAST:
        raise BadInput("That day is not possible.", field="first_day", remedy="Give the first day of the first turn.")
    if not 0 <= wanted.grace_days <= MOST_GRACE:
        raise BadInput("That is no time of grace.", field="grace_days", remedy=f"Use a number of days from 0 to {MOST_GRACE}.")
    Turns(drives=tuple(map(str, wanted.drives)), every_days=wanted.every_days, first_day=wanted.first_day)
    rows = {
        drive.store_id: drive
        for drive in Drive.objects.select_for_update(of=("self",)).filter(store__in=wanted.drives).select_related("rotation")
    }
    for id in wanted.drives:
        if id not in rows:
            raise BadInput("That is no removable drive.", field="drives", remedy="Choose stores on removable drives.")
        other = rows[id].rotation
        if other is not None and (rotation is None or other.id != rotation.id):
            raise BadInput(f"One of them has its turn in {other.name}.", field="drives", remedy="Take it out of that one first.")


@transaction.atomic
def end_rotation(rotation: Rotation, *, by: User) -> None:
    """Its drives stay; nobody waits for them any more."""
    write_journal(who=by, what="drive.rotation", way="ended", facts={"rotation": rotation.name}, at=ports.clock().now())
    rotation.delete()
    publish("changed", "stores")


@transaction.atomic
def keep_drive(store: Store, *, keeper: str, rests_in: str, by: User) -> None:
    """Who takes it home, and where it lies. Raises Conflict for one that is no drive, BadInput."""
    for name, text in (("keeper", keeper), ("rests_in", rests_in)):
        if len(text) > 120:
            raise BadInput("That is too long.", field=name, remedy="Use up to 120 characters.")
    drive = Drive.objects.select_for_update().filter(store=store).first()
    if drive is None:
        raise Conflict(f"{store.name} is no removable drive.", remedy="Choose one that is.")
    drive.keeper, drive.rests_in = keeper.strip(), rests_in.strip()
    drive.save(update_fields=["keeper", "rests_in"])
    facts = {"store": store.name, "keeper": drive.keeper, "rests_in": drive.rests_in}
    write_journal(who=by, what="drive.kept", facts=facts, at=ports.clock().now(), store=store.id)
    publish("changed", "stores")
