"""Coverage of one device, kind by kind: in which backups and stores, synchronised by whom, or covered by nothing.

An account that keeps a kind in step never counts as cover, because a deletion travels too; it is named. The
newest item of a kind is named beside the newest one in a backup, so that a person can do the spot check:
look for the entry added last.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from core.content.accounts import Account
from core.content.kinds import KINDS


class Cover(StrEnum):
    BACKED_UP = "backed_up"
    BEHIND = "behind"
    """Backed up, and the device holds more items than the newest backup, or a newer one."""
    IN_STEP_ONLY = "in_step_only"
    NOTHING = "nothing"
    EMPTY = "empty"
    """The device holds nothing of it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class HeldKind:
    """What one backup holds of a kind, and where it lies."""

    backup: str
    finished_at: datetime
    stores: tuple[str, ...]
    """Names of the stores with an intact copy."""
    items: int
    size_bytes: int
    newest_name: str
    newest_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Live:
    """What the device holds of a kind now."""

    items: int
    size_bytes: int
    newest_name: str
    newest_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class KindCover:
    kind: str
    cover: Cover
    live: Live | None
    """None when the device was never asked."""
    newest: HeldKind | None
    """The newest backup with something of this kind and an intact copy."""
    backups: int
    stores: tuple[str, ...]
    accounts: tuple[Account, ...]
    says: str


def coverage(
    live: Mapping[str, Live] | None, held: Mapping[str, Sequence[HeldKind]], accounts: Iterable[Account], *, offered: Iterable[str]
) -> list[KindCover]:
    """One line a kind that the device offers or that a backup holds, in the order in which people are shown them.

    `held` is by kind, in any order; a `HeldKind` without stores counts as no cover.
    """
    kept = list(accounts)
    wanted = set(offered) | set(held) | set(live or ())
    return [_kind(code, live, held.get(code, ()), [one for one in kept if one.kind == code]) for code in KINDS if code in wanted]


def _kind(code: str, live: Mapping[str, Live] | None, held: Sequence[HeldKind], accounts: list[Account]) -> KindCover:
    intact = sorted((one for one in held if one.stores and one.items), key=lambda one: one.finished_at)
    newest = intact[-1] if intact else None
    now = None if live is None else live.get(code, Live(items=0, size_bytes=0, newest_name="", newest_at=None))
    cover = _cover(now, newest, accounts)
    return KindCover(
        kind=code,
        cover=cover,
        live=now,
        newest=newest,
        backups=len(intact),
        stores=tuple(dict.fromkeys(store for one in reversed(intact) for store in one.stores)),
        accounts=tuple(sorted(accounts, key=lambda one: not one.is_default)),
        says=_says(code, cover, accounts),
    )


def _cover(now: Live | None, newest: HeldKind | None, accounts: list[Account]) -> Cover:
    if newest is None:
        if now is not None and not now.items:
            return Cover.EMPTY
        return Cover.IN_STEP_ONLY if any(_works(one) for one in accounts) else Cover.NOTHING
    return Cover.BEHIND if now is not None and _ahead(now, newest) else Cover.BACKED_UP


def _ahead(now: Live, newest: HeldKind) -> bool:
    """Whether the device holds more, or something newer; that both hold as many proves nothing, so both are asked."""
    if now.items > newest.items:
        return True
    return now.newest_at is not None and (newest.newest_at is None or now.newest_at > newest.newest_at)


def _works(account: Account) -> bool:
    return account.keeps


def _says(code: str, cover: Cover, accounts: list[Account]) -> str:
    many = KINDS[code].many
    match cover:
        case Cover.EMPTY:
            return f"The device holds no {many}."
        case Cover.NOTHING:
            off = next((one for one in accounts if one.off_by_policy), None)
            if off is not None:
                return f"Covered by nothing: {off.service} is switched off for this device by its administrator."
            return "Covered by nothing."
        case Cover.IN_STEP_ONLY:
            names = " and ".join(one.service for one in accounts if _works(one))
            return f"Only synchronised by {names}: a deletion would travel there too."
        case Cover.BEHIND:
            return "Backed up; the device holds some that are not in its newest backup."
        case Cover.BACKED_UP:
            return "Backed up."
