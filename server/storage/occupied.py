"""Reading whose bytes lie in a store, by this or that, so that every table ends in what the store holds."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from uuid import UUID

from django.db.models import QuerySet, Sum

from core.content.kinds import FOLDERS, KINDS
from server.fleet.models import Device
from server.people.models import Team
from server.storage.models import GroupOccupancy, KindOccupancy, Occupancy, Store, StoreDay, SumOf


class By(StrEnum):
    """By what the bytes of a store are divided."""

    TEAM = "team"
    HOLDER = "holder"
    PLAN = "plan"
    DEVICE = "device"
    KIND = "kind"


NOBODYS = {
    "leaving": ("Leaving", "Backups that are to leave: needed by nothing that stays."),
    "unneeded": ("Not needed any more", "In packs that are mostly needed still; given back when a sweep rewrites them."),
    "marked": ("About to be freed", "Marked by a sweep; free after the grace period."),
    "held": ("Locked", "Not needed any more, and the place did not let go of it when it was last swept."),
    "packing": ("Packing", "Headers and footers of packs, which say what lies where."),
    "arriving": ("Arriving", "Of runs and copies that go on, or were cut off."),
    "lists": ("Lists and keys", "Indexes, ledgers, notes, keys."),
}
"""Code → label, and what it is in a sentence."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OccupiedLine:
    """One part of a store, and its bytes on each day."""

    key: str
    name: str
    alone_bytes: int | None
    """None where it cannot be told exactly."""
    shared_bytes: int | None
    fair_bytes: int
    logical_bytes: int
    backups: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NobodysBytes:
    """Bytes that nothing needs, by why they still lie there."""

    code: str
    label: str
    says: str
    bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OccupiedStore:
    """What a store holds, divided."""

    lines: list[OccupiedLine]
    """The largest first."""
    nobodys: list[NobodysBytes]
    sum_bytes: int
    """Of all lines and of what is nobody's: what lay in the store when it was measured."""


def occupied(store: Store, by: By, *, device: Device | None = None) -> OccupiedStore:
    """A fixed number of queries. Of one `device` only by kind: then the lines alone count, and they add up to its share."""
    if device is not None:
        lines = _kinds(KindOccupancy.objects.filter(store=store, device=device), exact=True)
        return OccupiedStore(lines=lines, nobodys=[], sum_bytes=sum(line.fair_bytes for line in lines))
    nobodys = [
        NobodysBytes(code=row.key, label=NOBODYS[row.key][0], says=NOBODYS[row.key][1], bytes=row.fair_bytes)
        for row in GroupOccupancy.objects.filter(store=store, of=SumOf.NOBODY).order_by("-fair_bytes", "key")
        if row.key in NOBODYS
    ]
    lines = _lines(store, by)
    held = sum(line.fair_bytes for line in lines)
    others = _others(store)
    if others > held and by in (By.DEVICE, By.KIND):
        strange = OccupiedLine(
            key="others", name="devices that are not in the list", alone_bytes=None, shared_bytes=None, fair_bytes=others - held,
            logical_bytes=0, backups=0,
        )  # fmt: skip
        lines, held = [*lines, strange], others
    return OccupiedStore(lines=lines, nobodys=nobodys, sum_bytes=held + sum(one.bytes for one in nobodys))


def _others(store: Store) -> int:
    """What all backups that stay need, those of other programs too."""
    fair: int | None = GroupOccupancy.objects.filter(store=store, of=SumOf.TEAM).aggregate(sum=Sum("fair_bytes"))["sum"]
    return fair or 0


def _lines(store: Store, by: By) -> list[OccupiedLine]:
    if by is By.KIND:
        return _kinds(KindOccupancy.objects.filter(store=store), exact=False)
    if by is By.DEVICE:
        rows = Occupancy.objects.filter(store=store).select_related("device__holder").order_by("-fair_bytes", "device_id")
        return [_line(row, str(row.device_id), f"{row.device.name}, {row.device.holder.name}") for row in rows]
    groups = GroupOccupancy.objects.filter(store=store, of=by.value).order_by("-fair_bytes", "key")
    without = {By.TEAM: "no team", By.HOLDER: "nobody in the list", By.PLAN: "no plan"}[by]
    return [_line(row, row.key, row.name or without) for row in groups]


def _kinds(rows: QuerySet[KindOccupancy], *, exact: bool) -> list[OccupiedLine]:
    """Over several devices what a kind needs alone cannot be added up: equal photos of two devices are needed by neither alone."""
    summed = rows.order_by().values("kind").annotate(
        alone=Sum("alone_bytes"), shared=Sum("shared_bytes"), fair=Sum("fair_bytes"), logical=Sum("logical_bytes"), count=Sum("backups")
    )  # fmt: skip
    return [
        OccupiedLine(
            key=row["kind"], name=kind_word(row["kind"]), alone_bytes=row["alone"] if exact else None,
            shared_bytes=row["shared"] if exact else None, fair_bytes=row["fair"], logical_bytes=row["logical"], backups=row["count"],
        )
        for row in sorted(summed, key=lambda row: (-row["fair"], row["kind"]))
    ]  # fmt: skip


def kind_word(code: str) -> str:
    """What people call it."""
    if not code:
        return "manifests"
    if code == FOLDERS:
        return "folders"
    return KINDS[code].label if code in KINDS else code


def _line(row: Occupancy | GroupOccupancy, key: str, name: str) -> OccupiedLine:
    return OccupiedLine(
        key=key, name=name, alone_bytes=row.alone_bytes, shared_bytes=row.shared_bytes, fair_bytes=row.fair_bytes,
        logical_bytes=row.logical_bytes, backups=row.backups,
    )  # fmt: skip


# -- teams by kinds


@dataclass(frozen=True, slots=True, kw_only=True)
class TeamKinds:
    """A team's bytes by kind."""

    team: str
    kinds: dict[str, int]
    """Code → share, as its devices were given it."""


def kinds_by_team(store: Store) -> list[TeamKinds]:
    """One query. The largest team first."""
    rows = KindOccupancy.objects.filter(store=store).order_by().values("device__team__name", "kind").annotate(fair=Sum("fair_bytes"))
    by_kind: dict[str, dict[str, int]] = {}
    for row in rows:
        by_kind.setdefault(row["device__team__name"] or "", {})[row["kind"]] = row["fair"]
    return [TeamKinds(team=team, kinds=kinds) for team, kinds in sorted(by_kind.items(), key=lambda one: (-sum(one[1].values()), one[0]))]


# -- over time


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """What a store held, day by day."""

    days: list[StoreDay]
    by: By
    names: dict[str, str]
    """Key of a part → its name; the largest on the last day first."""


def course(store: Store, by: By, *, since: date) -> Course:
    """By team, device or kind. Two queries."""
    days = list(StoreDay.objects.filter(store=store, day__gte=since).order_by("day"))
    keys = {key for row in days for key in parts_of(row, by)}
    last = parts_of(days[-1], by) if days else {}
    ordered = sorted(keys, key=lambda key: (-last.get(key, 0), key))
    return Course(days=days, by=by, names=dict(_named(by, ordered)))


def parts_of(row: StoreDay, by: By) -> dict[str, int]:
    """Bytes by part, of a row that is divided by teams, devices or kinds."""
    names: dict[str, int] = {By.TEAM: row.teams, By.DEVICE: row.devices, By.KIND: row.kinds}.get(by, {})
    return names


def _named(by: By, keys: Sequence[str]) -> Iterable[tuple[str, str]]:
    if by is By.KIND:
        return [(key, kind_word(key)) for key in keys]
    if by is By.TEAM:
        known = {str(id): name for id, name in Team.objects.filter(id__in=[key for key in keys if key]).values_list("id", "name")}
        return [(key, known.get(key, "a team that is gone") if key else "no team") for key in keys]
    rows = Device.objects.filter(id__in=[UUID(key) for key in keys]).select_related("holder")
    devices = {str(row.id): f"{row.name}, {row.holder.name}" for row in rows}
    return [(key, devices.get(key, "a device that is gone")) for key in keys]
