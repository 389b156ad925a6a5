"""The devices list in pure Python over rows that are there already: filter, order, sums by team."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from core.schedule.promise import Standing
from server.oversight.causes import causes
from server.oversight.standing import Standings


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedDevices:
    """None filters nothing."""

    words: str = ""
    standing: str | None = None
    team: int | None = None
    """Id; 0 for devices without a team."""
    holder: int | None = None
    plan: UUID | None = None
    family: str | None = None
    link: str | None = None
    cause: frozenset[UUID] | None = None
    """The devices of what needs a person."""
    order: str = "lateness"
    fold: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class TeamSum:
    """How the devices of a team stand, counted."""

    id: int | None
    team: str
    devices: int
    on_time: int
    newest: list[datetime]
    held_bytes: int


def _name(row: Standings) -> tuple[str, str]:
    return row.device.name.casefold(), row.device.holder.name.casefold()


def _team(row: Standings) -> str:
    return row.device.team.name.casefold() if row.device.team else "\uffff"


ORDERS: dict[str, Callable[[Standings], Any] | None] = {
    "lateness": None,
    "name": _name,
    "holder": lambda row: (row.device.holder.name.casefold(), _name(row)),
    "team": lambda row: (_team(row), _name(row)),
    "held": lambda row: (-row.held_bytes, _name(row)),
    "age": lambda row: (row.device.newest_at is not None, row.device.newest_at or row.device.added_at, _name(row)),
    "seen": lambda row: (row.device.last_seen_at is not None, row.device.last_seen_at or row.device.added_at, _name(row)),
    "full": lambda row: (-_full(row), _name(row)),
}
"""Name of an order → its key; None keeps what came, worst first."""


def devices_of(code: str | None, *, now: datetime, rows: list[Standings]) -> dict[str, frozenset[UUID] | None]:
    """The part of `WantedDevices` that a cause is: its devices now; none when it is gone."""
    if not code:
        return {"cause": None}
    cause_of_code = next((cause for cause in causes(now=now, rows=rows) if cause.code == code), None)
    return {"cause": frozenset(row.device.id for row in cause_of_code.devices) if cause_of_code else frozenset()}


def listed(rows: Iterable[Standings], wanted: WantedDevices) -> list[Standings]:
    """Those that fit, in the wanted order."""
    standings = [row for row in rows if _fits(row, wanted)]
    key = ORDERS[wanted.order]
    return standings if key is None else sorted(standings, key=key)


def summed(rows: Iterable[Standings]) -> list[TeamSum]:
    """One sum a team, by name; devices without a team last."""
    teams: dict[int | None, list[Standings]] = {}
    for row in rows:
        teams.setdefault(row.device.team_id, []).append(row)
    return [_sum(id, held) for id, held in sorted(teams.items(), key=lambda entry: _team(entry[1][0]))]


def _sum(id: int | None, rows: list[Standings]) -> TeamSum:
    on_time = [row for row in rows if row.state.standing == Standing.ON_TIME]
    return TeamSum(
        id=id,
        team=rows[0].device.team.name if rows[0].device.team else "",
        devices=len(rows),
        on_time=len(on_time),
        newest=[row.device.newest_at for row in on_time if row.device.newest_at],
        held_bytes=sum(row.held_bytes for row in rows),
    )


def _fits(row: Standings, wanted: WantedDevices) -> bool:
    device = row.device
    asked = (
        (wanted.standing, row.state.standing), (wanted.holder, device.holder_id), (wanted.family, device.family),
        (wanted.link, device.link), (wanted.plan, row.plan.id if row.plan else None),
    )  # fmt: skip
    if any(want is not None and want != have for want, have in asked):
        return False
    if wanted.cause is not None and device.id not in wanted.cause:
        return False
    if wanted.team is not None and wanted.team != (device.team_id or 0):
        return False
    if not wanted.words:
        return True
    team = device.team.name if device.team else ""
    searched = (device.name, device.holder.name, team, device.make, device.model, device.serial, device.asset_tag)
    hay = " ".join(searched).casefold()
    return all(word in hay for word in wanted.words.casefold().split())


def _full(row: Standings) -> float:
    device = row.device
    return (device.storage_used_bytes or 0) / device.storage_total_bytes if device.storage_total_bytes else 0.0
