"""What needs a person now, grouped by cause, each with its next step. Computed from what is there; remembers nothing."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any, Literal
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
    "link.not_paired": ("open", "Pair again"),
    "link.locked": ("run", "Run now"),
    "link.data_access_off": ("open", "Show the steps"),
    "quota.does_not_fit": ("room", "Make room"),
    "store.full": ("room", "Make room"),
    "store.missing": ("storage", "Look at the store"),
    "store.read_only": ("storage", "Look at the store"),
    "schedule.condition": ("open", "Show the steps"),
    "link.not_accepted": ("open", "Show the steps"),
    "link.cut": ("run", "Run now"),
}


def causes(
    *, now: datetime, rows: list[Standings], zone: ZoneInfo | None = None, silent: datetime | Literal["ask"] | None = "ask"
) -> list[Cause]:
    """Worst first. `zone` and `silent` (since when the scheduler is) are asked for when they are not known yet."""
    zone = zone or office_zone()
    silent = silent_since(now) if silent == "ask" else silent
    by_code: dict[str, Cause] = {}
    on_network = seen_on_network()
    for row in rows:
        cause = _cause_of(row, on_network, now)
        if cause is not None:
            by_code.setdefault(cause.code, cause).devices.append(row)
    order = ["late", "never", "due_soon", "no_plan"]
    by_device = sorted(by_code.values(), key=lambda cause: (order.index(cause.mark), -len(cause.devices)))
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
    return [Cause(code="silent", mark="late", kind="silent", facts={"span": spoken(now - last)}, step="restart", step_label="Look again")]


def _key() -> list[Cause]:
    state = ports.keys().key_state()
    if not state.trouble:
        return []
    facts = {"trouble": state.trouble, "remedy": state.remedy}
    return [Cause(code="key", mark="late", kind="key", facts=facts, step="clock", step_label="Look")]


def _clock() -> list[Cause]:
    state = clock_state()
    if state is None or state.doubt_since is None:
        return []
    facts = {"doubt": clock_words(state)}
    return [Cause(code="clock", mark="late", kind="clock", facts=facts, step="clock", step_label="Look at the clock")]


def _asked(rows: list[Standings], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Devices that were retired or lost so long ago that somebody says whether their last backups may go."""
    gone = [row for row in rows if row.device.state in GONE_STATES and row.device.state_since and row.device.newest_at]
    after = RuleBook.read().asks_after() if gone else None
    today = now.astimezone(zone).date()
    due = [row for row in gone if after is not None and after.passed_on(row.device.state_since.astimezone(zone).date()) <= today]
    if not due:
        return []
    return [Cause(code="keep_or_not", mark="odd", kind="keep_or_not", step="open", step_label="Look at their backups", devices=due)]


def _odd(rows: dict[UUID, Standings]) -> list[Cause]:
    by_code: dict[str, Cause] = {}
    for anomaly in Anomaly.objects.filter(settled_at__isnull=True).order_by("code", "-found_at"):
        if (row := rows.get(anomaly.device_id)) is None:
            continue
        cause = by_code.setdefault(
            anomaly.code,
            Cause(code=f"odd {anomaly.code}", mark="odd", kind="odd", facts={"way": anomaly.code}, step="anomalies", step_label="Compare"),
        )
        if row not in cause.devices:
            cause.devices.append(row)
    return list(by_code.values())


def _undecided(rows: list[Standings]) -> list[Cause]:
    """Accounts that their administrators switched off on devices: nobody has said whether this office keeps those kinds."""
    standings = [row for row in rows if any(entry["off_by_policy"] for entry in row.device.accounts)]
    if not standings:
        return []
    by_code: dict[str, Cause] = {}
    kinds: dict[str, set[str]] = {}
    chosen = choices()
    for row in standings:
        if row.state.standing in (Standing.LOST, Standing.RETIRED):
            continue
        for service, kind in undecided(row.device, chosen):
            cause = by_code.setdefault(
                service, Cause(code=f"account {service}", mark="odd", kind="account", step="coverage", step_label="Decide")
            )
            kinds.setdefault(service, set()).add(kind)
            if row not in cause.devices:
                cause.devices.append(row)
    for service, cause in by_code.items():
        names = listed([KINDS[code].label.lower() for code in KINDS if code in kinds[service]])
        cause.facts = {"service": service, "kinds": names}
    return list(by_code.values())


def _unproven(rows: dict[UUID, Standings], now: datetime) -> list[Cause]:
    """Devices of which no backup came back right for longer than the office wants. One query where it wants nothing."""
    wanted = drill_rules().wanted_days
    if wanted is None:
        return []
    devices = [rows[device.id] for device in unproven(since=now - timedelta(days=wanted)) if device.id in rows]
    if not devices:
        return []
    facts = {"days": wanted}
    return [
        Cause(code="unproven", mark="odd", kind="unproven", facts=facts, step="drills", step_label="Look at the drills", devices=devices)
    ]


def _not_fitting(now: datetime, rows: dict[UUID, Standings], zone: ZoneInfo) -> list[Cause]:
    night = coming_night(now, zone)
    outside_window = LinedUp.objects.filter(night=night, fits=False, planned_for__gt=now - timedelta(hours=1)).order_by(
        "-late", "starts_at"
    )
    devices = [rows[id] for id in dict.fromkeys(outside_window.values_list("device_id", flat=True)) if id in rows]
    if not devices:
        return []
    return [Cause(code="does_not_fit", mark="due_soon", kind="does_not_fit", step="night", step_label="See the night", devices=devices)]


def _cause_of(row: Standings, on_network: set[str], now: datetime) -> Cause | None:
    if row.plan is not None and row.plan_fault:
        facts = {"plan": row.plan.name, "fault": row.plan_fault}
        return Cause(code=f"plan {row.plan.id}", mark="no_plan", kind="plan", facts=facts, step="plan", step_label="Open the plans")
    standing, device = row.state.standing, row.device
    if standing in (Standing.LATE, Standing.NEVER):
        mark = str(standing)
        if device.newest_at is None and device.damaged_at is not None:
            return _late("late damaged", mark, "damaged")
        known = _FAILED_STEPS.get(device.last_cause_code or "")
        if known:
            facts, (step, label) = {"way": device.last_cause_code}, known
            return Cause(code=f"{mark} {device.last_cause_code}", mark=mark, kind="failed", facts=facts, step=step, step_label=label)
        if device.link == "agent" and device.agent_id not in on_network:
            return _late(f"{mark} unseen", mark, "unseen", step="open", label="Show the steps")
        if standing is Standing.NEVER:
            return _late("never", mark, "never")
        return _late("late", mark, "")
    if standing is Standing.DUE_SOON:
        return Cause(code="due_soon", mark="due_soon", kind="due_soon", step="run", step_label="Run now")
    if standing is Standing.NO_PLAN:
        return Cause(code="no_plan", mark="no_plan", kind="no_plan", step="plan", step_label="Give a plan")
    return None


def _late(code: str, mark: str, way: str, *, step: str = "run", label: str = "Run now") -> Cause:
    return Cause(code=code, mark=mark, kind="late", facts={"way": way}, step=step, step_label=label)


def _store_causes(now: datetime, zone: ZoneInfo) -> list[Cause]:
    of_rooms = []
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
            of_rooms.append(
                Cause(
                    code=f"store {store.id}",
                    mark="store",
                    kind="store",
                    facts={"store": "" if store.name in store.trouble else store.name, "trouble": store.trouble},
                    step="storage",
                    step_label="Look",
                    store=store,
                )
            )
    of_rooms += causes_of_room(stores, now, zone)
    for store in stores:
        for kind, count in (("damaged", store.damaged), ("lost", store.missing), ("fell_over", store.fell_over)):
            if count:
                of_rooms.append(_store_cause(kind, store, count=count))
        if store.owed and now - store.owed_since > (OWED_LONG_AWAY if store.comes_and_goes else OWED_LONG):
            of_rooms.append(_store_cause("owed", store, count=store.owed, span=spoken(now - store.owed_since)))
    return [*of_rooms, *_overdue([store for store in stores if store.mode == Mode.IN_USE], now, zone)]


def _store_cause(kind: str, store: Store, **facts: Any) -> Cause:
    facts["store"] = store.name
    return Cause(code=f"{kind} {store.id}", mark="store", kind=kind, facts=facts, step="storage", step_label="Look", store=store)


def _overdue(stores: Iterable[Store], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Drives that missed their turn."""
    of_stores = []
    for drive, since in overdue_of([store.drive for store in stores if hasattr(store, "drive")], now=now, zone=zone):
        facts = {
            "store": drive.store.name, "since": f"{since:%A %d %B} on", "keeper": drive.keeper,
            "rests_in": "" if drive.keeper else drive.rests_in,
        }  # fmt: skip
        of_stores.append(
            Cause(
                code=f"drive {drive.store_id}", mark="store", kind="drive", facts=facts, step="drives", step_label="Look at the drives",
                store=drive.store,
            )
        )  # fmt: skip
    return of_stores


def _offers(rows: list[Standings]) -> list[Cause]:
    try:
        count = len(unpaired_offers({row.device.agent_id for row in rows}))
    except LinkError:
        return []
    if not count:
        return []
    return [Cause(code="offers", mark="no_plan", kind="offers", facts={"count": count}, step="pair", step_label="Add a device")]
