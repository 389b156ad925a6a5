"""What needs a person now, grouped by cause, each with its next step. Computed from what is there; remembers nothing."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Min, OuterRef, Subquery

from core.content.errors import LinkError
from core.content.kinds import KINDS
from core.schedule.nights import coming_night
from core.schedule.promise import Standing
from core.units import listed, spoken
from server import ports
from server.fleet.queries import seen_on_network, unpaired_offers
from server.oversight.cause import Cause
from server.oversight.keeping import causes_of_keeping
from server.oversight.models import Anomaly
from server.oversight.own_clouds import causes_of_own_clouds
from server.oversight.rooms import causes_of_room, no_room_tonight
from server.oversight.standing import Standings
from server.people.clock import clock_state, clock_words
from server.people.queries import office_zone
from server.plans.choices import choices, undecided
from server.plans.rules import GONE_STATES, RuleBook
from server.recovery.drills import drill_rules, unproven
from server.runs.actions.heartbeat import last_heartbeat
from server.runs.drives import overdue_of
from server.runs.models import Copy, CopyState, LinedUp
from server.storage.models import Mode, Store

OWED_LONG = timedelta(days=3)
OWED_LONG_AWAY = timedelta(days=35)
"""For a drive that is taken out and comes back."""
SILENT_AFTER = timedelta(seconds=60)
"""The scheduler gives a sign every ten seconds."""


_FAILED_STEPS = {
    "link.not_paired": ("It does not know this server any more", "open", "Pair again"),
    "link.locked": ("Locked when its run wanted to begin", "run", "Run now"),
    "link.data_access_off": ("Data access is switched off on the device", "open", "Show the steps"),
    "quota.does_not_fit": ("Its run would not have fitted into the store", "room", "Make room"),
    "store.full": ("Its store was full", "room", "Make room"),
    "store.missing": ("Its store was not there", "storage", "Look at the store"),
    "store.read_only": ("Its store may not be written", "storage", "Look at the store"),
    "schedule.condition": ("Their plan waits for a condition, such as power or the office wireless", "open", "Show the steps"),
    "link.not_accepted": ("Their holders have not said yes to this server", "open", "Show the steps"),
    "link.cut": ("The connection broke off in the middle", "run", "Run now"),
}


def causes(
    *, now: datetime, rows: list[Standings], zone: ZoneInfo | None = None, silent: datetime | Literal["ask"] | None = "ask"
) -> list[Cause]:
    """Worst first. `zone` and `silent` (since when the scheduler is) are asked for when they are not known yet."""
    zone = zone or office_zone()
    silent = silent_since(now) if silent == "ask" else silent
    found: dict[str, Cause] = {}
    on_network = seen_on_network()
    for row in rows:
        cause = _cause_of(row, on_network, now)
        if cause is not None:
            found.setdefault(cause.code, cause).devices.append(row)
    order = ["late", "never", "due_soon", "no_plan"]
    by_device = sorted(found.values(), key=lambda cause: (order.index(cause.mark), -len(cause.devices)))
    by_id = {row.device.id: row for row in rows}
    office = [*_key(), *_clock(), *_silent(now, silent), *_store_causes(now, zone)]
    odd = [
        *_asked(rows, now, zone),
        *causes_of_keeping(now, zone),
        *_odd(by_id),
        *_undecided(rows),
        *causes_of_own_clouds(rows, now, zone),
        *_unproven(by_id, now),
    ]
    return [*office, *by_device, *odd, *_not_fitting(now, by_id, zone), *no_room_tonight(now, by_id, zone), *_offers(rows)]


def silent_since(now: datetime) -> datetime | None:
    """Since when the scheduler has given no sign; None while it does, or before it ever has."""
    last = last_heartbeat("scheduler")
    return last if last is not None and now - last > SILENT_AFTER else None


def _silent(now: datetime, last: datetime | None) -> list[Cause]:
    if last is None:
        return []
    says = f"The scheduler has given no sign for {spoken(now - last)}: nothing starts by itself"
    return [Cause(code="silent", mark="late", says=says, step="restart", step_label="Look again")]


def _key() -> list[Cause]:
    state = ports.keys().key_state()
    if not state.trouble:
        return []
    return [Cause(code="key", mark="late", says=f"Nothing runs: {state.trouble} {state.remedy}", step="clock", step_label="Look")]


def _clock() -> list[Cause]:
    state = clock_state()
    if state is None or state.doubt_since is None:
        return []
    return [Cause(code="clock", mark="late", says=f"{clock_words(state)}: nothing is removed, swept or planned far ahead", step="clock",
                  step_label="Look at the clock")]  # fmt: skip


def _asked(rows: list[Standings], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Devices that were retired or lost so long ago that somebody says whether their last backups may go."""
    gone = [row for row in rows if row.device.state in GONE_STATES and row.device.state_since and row.device.newest_at]
    after = RuleBook.read().asks_after() if gone else None
    today = now.astimezone(zone).date()
    due = [row for row in gone if after is not None and after.passed_on(row.device.state_since.astimezone(zone).date()) <= today]
    if not due:
        return []
    says = "Retired or lost for so long that somebody has to say whether their last backups may go"
    return [Cause(code="keep_or_not", mark="odd", says=says, step="open", step_label="Look at their backups", devices=due)]


_ODD_SAYS = {
    "shrunk": "A kind shrank far more than it ever does", "grown": "A kind grew far more than it ever does",
    "vanished": "A kind of content vanished from the device", "nothing_new": "Nothing new for days on a device in use",
    "clock_off": "The clock of the device is wrong", "many_changed": "Very many items were rewritten at once",
    "not_encrypted": "Content is not encrypted on the device any more",
}  # fmt: skip


def _odd(rows: dict[UUID, Standings]) -> list[Cause]:
    found: dict[str, Cause] = {}
    for anomaly in Anomaly.objects.filter(settled_at__isnull=True).order_by("code", "-found_at"):
        if (row := rows.get(anomaly.device_id)) is None:
            continue
        cause = found.setdefault(
            anomaly.code,
            Cause(code=f"odd {anomaly.code}", mark="odd", says=_ODD_SAYS[anomaly.code], step="anomalies", step_label="Compare"),
        )
        if row not in cause.devices:
            cause.devices.append(row)
    return list(found.values())


def _undecided(rows: list[Standings]) -> list[Cause]:
    """Accounts that their administrators switched off on devices: nobody has said whether this office keeps those kinds."""
    standings = [row for row in rows if any(entry["off_by_policy"] for entry in row.device.accounts)]
    if not standings:
        return []
    found: dict[str, Cause] = {}
    kinds: dict[str, set[str]] = {}
    chosen = choices()
    for row in standings:
        if row.state.standing in (Standing.LOST, Standing.RETIRED):
            continue
        for service, kind in undecided(row.device, chosen):
            cause = found.setdefault(service, Cause(code=f"account {service}", mark="odd", says="", step="coverage", step_label="Decide"))
            kinds.setdefault(service, set()).add(kind)
            if row not in cause.devices:
                cause.devices.append(row)
    for service, cause in found.items():
        names = listed([KINDS[code].label.lower() for code in KINDS if code in kinds[service]])
        cause.says = f"{service or 'An account'} is switched off by its administrator: nobody has decided who keeps {names}"
    return list(found.values())


def _unproven(rows: dict[UUID, Standings], now: datetime) -> list[Cause]:
    """Devices of which no backup came back right for longer than the office wants. One query where it wants nothing."""
    wanted = drill_rules().wanted_days
    if wanted is None:
        return []
    devices = [rows[device.id] for device in unproven(since=now - timedelta(days=wanted)) if device.id in rows]
    if not devices:
        return []
    says = f"No drill has proven for {wanted} days that their backups come back"
    return [Cause(code="unproven", mark="odd", says=says, step="drills", step_label="Look at the drills", devices=devices)]


def _not_fitting(now: datetime, rows: dict[UUID, Standings], zone: ZoneInfo) -> list[Cause]:
    night = coming_night(now, zone)
    outside_window = LinedUp.objects.filter(night=night, fits=False, planned_for__gt=now - timedelta(hours=1)).order_by(
        "-late", "starts_at"
    )
    devices = [rows[id] for id in dict.fromkeys(outside_window.values_list("device_id", flat=True)) if id in rows]
    if not devices:
        return []
    says = "Will not fit into the window of the coming night"
    return [Cause(code="does_not_fit", mark="due_soon", says=says, step="night", step_label="See the night", devices=devices)]


def _cause_of(row: Standings, on_network: set[str], now: datetime) -> Cause | None:
    if row.plan is not None and row.plan_fault:
        says = f"The plan {row.plan.name} cannot be computed, so nothing of it runs: {row.plan_fault}"
        return Cause(code=f"plan {row.plan.id}", mark="no_plan", says=says, step="plan", step_label="Open the plans")
    standing, device = row.state.standing, row.device
    if standing in (Standing.LATE, Standing.NEVER):
        mark = str(standing)
        if device.newest_at is None and device.damaged_at is not None:
            says = "Every backup of it is damaged in some place; what is whole can still be restored"
            return Cause(code="late damaged", mark=mark, says=says, step="run", step_label="Run now")
        known = _FAILED_STEPS.get(device.last_cause_code or "")
        if known:
            return Cause(code=f"{mark} {device.last_cause_code}", mark=mark, says=known[0], step=known[1], step_label=known[2])
        if device.link == "agent" and device.agent_id not in on_network:
            return Cause(code=f"{mark} unseen", mark=mark, says="Not seen on the office network", step="open", step_label="Show the steps")
        if standing is Standing.NEVER:
            return Cause(code="never", mark=mark, says="Never backed up", step="run", step_label="Run now")
        return Cause(code="late", mark=mark, says="Older than promised, and on the network now", step="run", step_label="Run now")
    if standing is Standing.DUE_SOON:
        return Cause(
            code="due_soon", mark="due_soon", says="Will pass their promise before their next run", step="run", step_label="Run now"
        )
    if standing is Standing.NO_PLAN:
        return Cause(code="no_plan", mark="no_plan", says="Without a plan, so nothing is backed up", step="plan", step_label="Give a plan")
    return None


def _store_causes(now: datetime, zone: ZoneInfo) -> list[Cause]:
    found = []
    lacking = Copy.objects.filter(store=OuterRef("pk")).order_by().values("store").annotate(count=Count("id")).values("count")
    damaged, missing = lacking.filter(state=CopyState.PRESENT, intact=False), lacking.filter(state=CopyState.MISSING)
    owed = Copy.objects.filter(store=OuterRef("pk"), state=CopyState.OWED).order_by().values("store")
    # a run that went elsewhere ends being one when its store has the copy that it is owed since
    owes = Copy.objects.filter(
        backup__run__fell_over_from=OuterRef("pk"), store=OuterRef("pk"), state__in=(CopyState.OWED, CopyState.COPYING, CopyState.FAILED)
    )
    fell = owes.order_by().values("store").annotate(count=Count("id")).values("count")
    stores = Store.objects.select_related("drive__rotation").annotate(
        fell_over=Subquery(fell),
        damaged=Subquery(damaged),
        missing=Subquery(missing),
        owed_since=Subquery(owed.annotate(since=Min("asked_at")).values("since")),
        owed=Subquery(owed.annotate(count=Count("id")).values("count")),
    )
    for store in stores:
        if store.trouble:
            found.append(
                Cause(
                    code=f"store {store.id}",
                    mark="store",
                    says=store.trouble if store.name in store.trouble else f"{store.name}: {store.trouble}",
                    step="storage",
                    step_label="Look",
                    store=store,
                )
            )
    found += causes_of_room(stores, now, zone)
    for store in stores:
        if store.damaged:
            says = f"A check found damage in {store.name}; {_backups(store.damaged)} cannot be restored whole"
            found.append(Cause(code=f"damaged {store.id}", mark="store", says=says, step="storage", step_label="Look", store=store))
        if store.missing:
            is_or_are = "is" if store.missing == 1 else "are"
            says = f"{_backups(store.missing)} that should lie in {store.name} {is_or_are} missing there"
            found.append(Cause(code=f"lost {store.id}", mark="store", says=says, step="storage", step_label="Look", store=store))
        if store.fell_over:
            runs, lie = ("run", "lies") if store.fell_over == 1 else ("runs", "lie")
            says = f"{store.fell_over} {runs} went to another store, since {store.name} could not take them; what came {lie} there alone"
            found.append(Cause(code=f"fell_over {store.id}", mark="store", says=says, step="storage", step_label="Look", store=store))
        if store.owed and now - store.owed_since > (OWED_LONG_AWAY if store.comes_and_goes else OWED_LONG):
            copies = f"{store.owed} {'copy' if store.owed == 1 else 'copies'}"
            says = f"{copies} {'is' if store.owed == 1 else 'are'} owed to {store.name}, the oldest for {spoken(now - store.owed_since)}"
            found.append(Cause(code=f"owed {store.id}", mark="store", says=says, step="storage", step_label="Look", store=store))
    return [*found, *_overdue([store for store in stores if store.mode == Mode.IN_USE], now, zone)]


def _overdue(stores: Iterable[Store], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Drives that missed their turn."""
    found = []
    for drive, since in overdue_of([store.drive for store in stores if hasattr(store, "drive")], now=now, zone=zone):
        who = f"; {drive.keeper} takes it home" if drive.keeper else f"; it rests in {drive.rests_in}" if drive.rests_in else ""
        says = f"{drive.store.name} was to be plugged in from {since:%A %d %B} on{who}"
        found.append(
            Cause(
                code=f"drive {drive.store_id}", mark="store", says=says, step="drives", step_label="Look at the drives", store=drive.store
            )
        )
    return found


def _backups(count: int) -> str:
    return f"{count} backup{'' if count == 1 else 's'}"


def _offers(rows: list[Standings]) -> list[Cause]:
    try:
        count = len(unpaired_offers({row.device.agent_id for row in rows}))
    except LinkError:
        return []
    if not count:
        return []
    says = f"{count} device{'' if count == 1 else 's'} on the office network {'is' if count == 1 else 'are'} not in the list"
    return [Cause(code="offers", mark="no_plan", says=says, step="pair", step_label="Add a device")]
