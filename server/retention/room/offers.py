"""What could make room in a store: moves for the ladder, each with what is lost, who is touched and when its bytes are free.

Nothing on hold or frozen is offered, and nothing that a safeguard keeps: a device's last good, last encrypted or last checked backup,
the only intact copy, one that is in use or owed elsewhere. The same judgement that applies rules says so, with another rule in the place
of the store's own.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial
from math import ceil
from uuid import UUID

from core.quota.ladder import Move, Rung
from core.retention.rule import Rule
from core.retention.verdicts import Case, verdicts_of
from core.vault.accounting import Accounts
from core.vault.chunks import VaultLimits
from server.fleet.models import Device
from server.people.queries import office_zone
from server.plans.rules import GONE_STATES
from server.plans.soundness import or_else
from server.retention.judging import Context, Judged, core_rules, judged_all
from server.retention.room.left_out import LeavesOut, left_out
from server.runs.models import THERE, Copy, CopyState
from server.storage.held import held_packs
from server.storage.models import Mode, Store

SOON_DAYS = 30
"""What the rule would let go within so many days."""
LEAST_BYTES = 1 << 20
"""Of kinds to leave out: less is not worth a line."""
OLD_DAYS = 30
"""Third copies are offered of moments older than that: newer ones are what is asked for."""
_LAST = Rule(last=1)
_THIN = Rule(last=1, daily=7, weekly=520)
_LOST, _ELSEWHERE = 10, 1
_DAY_SECONDS = 86_400


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomOffer:
    """One move that would make room."""

    move: Move
    title: str
    loses: str
    bytes: int
    """What it frees by itself; together with others it is never less."""
    free_on: date
    device: Device | None = None
    backups: tuple[UUID, ...] = ()
    leaves_out: LeavesOut | None = None
    """From now on; what it frees is free as old backups go."""


def free_days(undo: timedelta, limits: VaultLimits) -> int:
    """From the day on which something is removed until its bytes are free, at the latest: undo, then a sweep marks, sees again, removes;
    each waits for the grace period, and for a night."""
    return max(1, undo.days) + 2 * max(1, ceil(limits.grace_seconds / _DAY_SECONDS))


def offers(store: Store, accounts: Accounts, *, limits: VaultLimits, now: datetime) -> list[RoomOffer]:
    """In the order of the ladder, the largest of each step first."""
    context = Context.read(now)
    today = now.astimezone(office_zone()).date()
    devices = list(
        Device.objects.filter(backups__copies__store=store, backups__copies__state__in=THERE).distinct().select_related("holder", "team")
    )
    judged, days = judged_all(devices, context), free_days(context.undo, limits)
    whole = _Whole(store, accounts, context, judged, today + timedelta(days=days))
    waste = _waste(accounts, held_packs(store.id), limits, today) if context.frozen.sweeps(store.id) else []
    all_offers = [*waste, *whole.gone(), *whole.soon(), *whole.thirds(), *whole.without(timedelta(days=days)), *whole.thinner()]
    return sorted(all_offers, key=lambda one: (one.move.rung, -one.bytes, one.move.key))


def _waste(accounts: Accounts, held: Collection[bytes], limits: VaultLimits, today: date) -> list[RoomOffer]:
    """What the place holds on to is no room that anybody can make."""
    remains = accounts.remains(held)
    lying = remains.unneeded_bytes + remains.marked_bytes
    if not lying:
        return []
    move = Move(key="waste", rung=Rung.WASTE, gives_bytes=lying)
    free_on = today + timedelta(days=free_days(timedelta(), limits))
    return [RoomOffer(move=move, title="Waste inside packs", loses="nothing", bytes=lying, free_on=free_on)]


class _Whole:
    """Every device of the store, judged once; then once more for each rule that is tried."""

    def __init__(self, store: Store, accounts: Accounts, context: Context, judged: Sequence[Judged], free_on: date) -> None:
        self._store, self._accounts, self._context, self._free_on = store, accounts, context, free_on
        self._judged, self._zone = judged, office_zone()
        self._there = {manifest.id for manifest in accounts.manifests}
        self._elsewhere = _elsewhere(store)
        self._free = self._going(judged, _LAST)
        """Of each device what need not stay."""

    def gone(self) -> list[RoomOffer]:
        """Of devices that are retired or lost: all that need not stay."""
        offered = []
        for one, going in self._free:
            if one.device.state not in GONE_STATES:
                continue
            newest = max(copy.backup.finished_at for copy in one.copies.values())
            state = one.device.get_state_display().lower()
            loses = f"{_moments(going, self._elsewhere)} of a device that is {state}; its last of {self._day(newest)} stays"
            offered.append(self._offer(Rung.GONE_DEVICES, "gone", one.device, going, "all that need not stay", loses))
        return offered

    def soon(self) -> list[RoomOffer]:
        """What leaves by itself within a month."""
        offered = []
        until = self._context.now.astimezone(self._zone).date() + timedelta(days=SOON_DAYS)
        for one, free in self._free:
            if one.plan is None or one.device.state in GONE_STATES:
                continue
            falls = or_else(one.plan, partial(one.leaves_on, self._context.now, days=SOON_DAYS), dict[tuple[str, str], date | None]())
            soon = {key for key, day in falls.items() if day is not None and day <= until}
            going = [copy for copy in free if (str(copy.backup_id), str(copy.store_id)) in soon]
            if going:
                loses = f"{_moments(going, self._elsewhere)} that leave by themselves until {until:%d %b}"
                offered.append(self._offer(Rung.SOON, "soon", one.device, going, "what its rule lets go within a month", loses))
        return offered

    def thirds(self) -> list[RoomOffer]:
        """Third and further copies of what is old."""
        offered, before = [], self._context.now - timedelta(days=OLD_DAYS)
        for one, free in self._free:
            going = [copy for copy in free if len(self._elsewhere.get(copy.backup_id, ())) >= 2 and copy.backup.finished_at < before]
            if going:
                count = len(going)
                loses = f"copies here of {count} old {'moment' if count == 1 else 'moments'}; each stays in two other places"
                offered.append(self._offer(Rung.THIRD_COPIES, "third", one.device, going, "copies that two other stores hold", loses))
        return offered

    def without(self, until_free: timedelta) -> list[RoomOffer]:
        """Of devices without a plan."""
        offered = []
        for one in left_out(self._store, self._judged, self._accounts.needs.kinds, now=self._context.now):
            move = Move(key=f"out{one.rung}:{one.plan.id}", rung=one.rung, parts=one.parts, loss=_LOST * len(one.devices))
            bytes = self._accounts.alone_bytes((), one.parts)
            if bytes >= LEAST_BYTES:
                free_on = one.last_day + until_free
                offered.append(RoomOffer(move=move, title=one.title, loses=one.loses, bytes=bytes, free_on=free_on, leaves_out=one))
        return offered

    def thinner(self) -> list[RoomOffer]:
        """What a thinner rule would let go, of devices in use."""
        in_use = [one for one in self._judged if one.device.state not in GONE_STATES]
        offered = []
        for one, going in self._going(in_use, _THIN):
            oldest, newest = min(copy.backup.finished_at for copy in going), max(copy.backup.finished_at for copy in going)
            loses = f"{_moments(going, self._elsewhere)} between {self._day(oldest)} and {self._day(newest)}; one a week stays"
            offered.append(self._offer(Rung.THINNING, "thin", one.device, going, "days older than a week become weeks", loses))
        return offered

    # -- inside

    def _going(self, judged: Iterable[Judged], rule: Rule) -> list[tuple[Judged, list[Copy]]]:
        """Of each what it would let go of in this store, where that is anything."""
        mine = list(judged)
        here = str(self._store.id)
        cases = [Case(moments=one.moments, rules={**core_rules(one.rules), here: rule}, as_of=one.as_of) for one in mine]
        offered = []
        for one, verdicts in zip(mine, verdicts_of(cases, zone=self._zone, now=self._context.now), strict=True):
            going = [one.copy_of(verdict) for verdict in verdicts if not verdict.kept and verdict.moment.store == here]
            going = [copy for copy in going if copy.state == CopyState.PRESENT and copy.backup_id.bytes in self._there]
            if going:
                offered.append((one, going))
        return offered

    def _offer(self, rung: Rung, word: str, device: Device, going: Sequence[Copy], what: str, loses: str) -> RoomOffer:
        backups = tuple(copy.backup_id for copy in going)
        loss = sum(_ELSEWHERE if self._elsewhere.get(id) else _LOST for id in backups)
        move = Move(key=f"{word}:{device.id}", rung=rung, going=frozenset(id.bytes for id in backups), loss=loss)
        return RoomOffer(
            move=move, title=f"{device.name}, {device.holder.name}: {what}", loses=loses, bytes=self._accounts.alone_bytes(move.going),
            free_on=self._free_on, device=device, backups=backups,
        )  # fmt: skip

    def _day(self, at: datetime) -> str:
        return f"{at.astimezone(self._zone):%d %b %Y}".lstrip("0")


def _moments(going: Sequence[Copy], elsewhere: dict[UUID, set[UUID]]) -> str:
    stay = sum(bool(elsewhere.get(copy.backup_id)) for copy in going)
    count = f"{len(going)} {'moment' if len(going) == 1 else 'moments'}"
    if stay == len(going):
        return f"{count}, in another store still,"
    return f"{count}, {stay} of them in another store still," if stay else count


def _elsewhere(store: Store) -> dict[UUID, set[UUID]]:
    """Backup → the other stores that hold it whole and are in use. One query."""
    rows = Copy.objects.filter(state=CopyState.PRESENT, intact=True, store__mode__in=(Mode.IN_USE, Mode.READ_ONLY), store__trouble="")
    by_device: dict[UUID, set[UUID]] = defaultdict(set)
    for backup, other in rows.exclude(store=store).values_list("backup_id", "store_id"):
        by_device[backup].add(other)
    return by_device
