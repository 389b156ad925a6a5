"""Save a plan and who follows it; or remove one that nobody follows."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import date, datetime, time
from uuid import UUID

from django.db import transaction
from django.db.models import F

from core.content.kinds import KINDS
from core.content.scope import Reach, checked_first, kinds_of
from core.errors import BadInput
from core.retention.rule import Unit
from core.schedule.recurrence import checked as checked_rule
from core.units import KIB, iec
from server import ports
from server.api.problems import ChangedMeanwhile, Conflict
from server.fleet.models import Device
from server.jobs import defer_line_up, defer_owed_copies
from server.people.actions.journal import write_journal
from server.people.models import Team, User
from server.people.moments import written
from server.people.queries import closed_days, office_zone
from server.plans.actions.rule_versions import note_version
from server.plans.convert import conditions_of, leave_out_of, recurrence_of, rule_of, window_of
from server.plans.models import Assignment, Plan, PlanTarget, TeamPlan
from server.plans.objections import Change, hear
from server.plans.rules import told_of
from server.plans.soundness import fault_of
from server.storage.models import Store

SHORTEST_PROMISE_SECONDS = 3600
LOWEST_LIMIT_BYTES = 16 * KIB
TIMING = (
    "starts_on", "ends_on", "skips_closed_days", "catch_up", "needs_power", "needs_office_wireless", "needs_battery_percent",
    "not_in_use_minutes", "leaves_out_closed_days", "leaves_out_away_days",
)  # fmt: skip
"""Fields of a draft that go into the plan as they are."""
KEEPING = (
    "keep_last", "keep_hourly", "keep_daily", "keep_weekly", "keep_monthly", "keep_yearly", "keep_within", "keep_within_unit",
    "keep_minimum_age_seconds", "keep_greatest_age", "keep_greatest_age_unit",
)  # fmt: skip
"""Of its retention rule; they go into the plan as they are, too."""
PLAN_FIELDS = [
    "name", "reach", "kinds", "first_kinds", "larger_than_bytes", "exclusions", "rule", "starts_at", "window_closes", "exceptions",
    "promise_seconds", "own_cloud_seconds", "revision", "changed_at", "changed_by", *TIMING, *KEEPING,
]  # fmt: skip
"""What saving changes."""


MOST_TARGETS = 8
LONGEST_OWN_CLOUD_SECONDS = 366 * 86_400
LONGEST_DELAY_MINUTES = 31 * 24 * 60


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftTarget:
    """A store of a plan, as somebody edits it; what each field means stands at `PlanTarget`."""

    store: UUID | None
    delay_minutes: int = 0
    copies_from: time | None = None
    copies_until: time | None = None
    limit_bytes_per_second: int | None = None
    not_metered: bool = False
    falls_over: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """A plan as somebody edits it."""

    name: str
    kinds: list[str]
    rule: str
    starts_at: time
    window_closes: time
    promise_seconds: int
    keep_last: int
    keep_daily: int
    keep_weekly: int
    keep_monthly: int
    keep_hourly: int = 0
    keep_yearly: int = 0
    keep_within: int | None = None
    keep_within_unit: str = Unit.DAYS
    keep_minimum_age_seconds: int | None = None
    keep_greatest_age: int | None = None
    keep_greatest_age_unit: str = Unit.DAYS
    starts_on: date | None = None
    ends_on: date | None = None
    exceptions: tuple[date, ...] = ()
    skips_closed_days: bool = False
    catch_up: bool = False
    needs_power: bool = False
    needs_office_wireless: bool = False
    needs_battery_percent: int = 0
    not_in_use_minutes: int = 0
    leaves_out_closed_days: bool = False
    leaves_out_away_days: bool = False
    reach: str = Reach.ONLY
    first_kinds: tuple[str, ...] = ()
    larger_than_bytes: int | None = None
    own_cloud_seconds: int | None = None
    exclusions: tuple[dict[str, str], ...] = ()
    store: UUID | None = None
    """Short for a single target."""
    targets: tuple[DraftTarget, ...] = ()
    """In their order; runs go to the first."""
    teams: tuple[int, ...] | None = None
    """Whose devices follow it as long as they have no plan; None leaves that as it is."""
    seen: str = ""
    word: str = ""
    """Digest of the consequences that were shown, and what was typed because of them: see `objections`."""
    revision: int | None = None
    """Of the plan that was read before it was edited; None for whoever saves unseen."""


def checked(draft: Draft, into: Plan) -> Plan:
    """The draft put into a plan that is not saved. Raises BadInput naming the first field that is wrong."""
    if not draft.name.strip() or len(draft.name) > 80:
        raise BadInput("The plan has no usable name.", field="name", remedy="Give it a name of up to 80 characters.")
    if draft.reach not in set(Reach):
        raise BadInput(f"There is no reach {draft.reach!r}.", field="reach", remedy=f"Use one of: {', '.join(Reach)}.")
    kinds_of(Reach(draft.reach), draft.kinds)
    if draft.promise_seconds < SHORTEST_PROMISE_SECONDS:
        raise BadInput("The promise is shorter than an hour.", field="promise_seconds", remedy="Promise an age that the plan can keep.")
    if draft.own_cloud_seconds is not None and not SHORTEST_PROMISE_SECONDS <= draft.own_cloud_seconds <= LONGEST_OWN_CLOUD_SECONDS:
        remedy = "Give an age from an hour to a year, or leave it empty."
        raise BadInput("No device tells of its own cloud backup that exactly.", field="own_cloud_seconds", remedy=remedy)
    into.name = draft.name.strip()
    into.reach, into.kinds = draft.reach, [code for code in KINDS if code in set(draft.kinds) and draft.reach != Reach.EVERYTHING]
    into.first_kinds = checked_first(draft.first_kinds)
    into.larger_than_bytes, into.exclusions = draft.larger_than_bytes, [dict(entry) for entry in draft.exclusions]
    leave_out_of(into)
    into.rule, into.starts_at, into.window_closes = draft.rule, draft.starts_at, draft.window_closes
    into.exceptions = sorted(set(draft.exceptions))
    for name in (*TIMING, *KEEPING):
        setattr(into, name, getattr(draft, name))
    into.promise_seconds, into.own_cloud_seconds = draft.promise_seconds, draft.own_cloud_seconds
    checked_rule(recurrence_of(into, office_zone(), closed_days()))
    window_of(into), rule_of(into), conditions_of(into)
    if fault := fault_of(into, zone=office_zone(), closed=closed_days(), now=ports.clock().now()):
        raise BadInput(fault, field="starts_on", remedy="Choose other dates: with these nobody can tell when it runs.")
    return into


def targets_of(draft: Draft) -> list[PlanTarget]:
    """Of a plan that is to be saved, without it. Raises BadInput naming the first field that is wrong."""
    wanted = draft.targets or (DraftTarget(store=draft.store),)
    known = {store.id: store for store in Store.objects.filter(id__in=[one.store for one in wanted if one.store])}
    made: list[PlanTarget] = []
    if len(wanted) > MOST_TARGETS:
        raise BadInput(f"A plan has at most {MOST_TARGETS} stores.", field="targets", remedy="Leave some out.")
    for order, one in enumerate(wanted):
        store = known.get(one.store) if one.store else None
        if store is None:
            raise BadInput("The plan has no store.", field="store", remedy="Choose one; new ones are added under Storage.")
        if store.id in {other.store_id for other in made}:
            raise BadInput(f"{store.name} is named twice.", field="targets", remedy="Name each store once.")
        if not 0 <= one.delay_minutes <= LONGEST_DELAY_MINUTES:
            raise BadInput("A copy waits a month at the most.", field="targets", remedy="Give a shorter delay.")
        if (one.copies_from is None) != (one.copies_until is None) or (one.copies_from and one.copies_from == one.copies_until):
            raise BadInput("The hours of copying need a begin and another end.", field="targets", remedy="Give both, or none for any time.")
        if one.limit_bytes_per_second is not None and one.limit_bytes_per_second < LOWEST_LIMIT_BYTES:
            raise BadInput("With that limit no copy would ever end.", field="targets", remedy=f"Allow {iec(LOWEST_LIMIT_BYTES)} a second.")
        fields = {name: value for name, value in asdict(one).items() if name != "store"}
        made.append(PlanTarget(store=store, order=order, **fields))
    return made


@transaction.atomic
def save_plan(draft: Draft, *, devices: Iterable[UUID], by: User | None, plan: Plan | None = None, now: datetime | None = None) -> Plan:
    """A new plan, or a changed one. Devices that followed another plan change over. Raises BadInput, ChangedMeanwhile."""
    now = now or ports.clock().now()
    is_new = plan is None
    plan = None if plan is None else _locked(plan, draft.revision)
    planned_before = None if plan is None else _times(plan)
    clean = checked(draft, plan or Plan(added_at=now))
    targets, wanted = targets_of(draft), set(devices)
    stores = frozenset(target.store_id for target in targets)
    hear(Change(plan=clean, stores=stores, followers=frozenset(wanted), seen=draft.seen, word=draft.word))
    clean.revision, clean.changed_at, clean.changed_by = clean.revision + 1, now, by
    if Plan.objects.filter(name__iexact=clean.name).exclude(id=clean.id).exists():
        raise BadInput(f"There is a plan {clean.name} already.", field="name", remedy="Choose another name.")
    if is_new:
        clean.save(force_insert=True)
    else:
        clean.save(update_fields=PLAN_FIELDS)
    clean.targets.all().delete()
    for target in targets:
        target.plan = clean
    PlanTarget.objects.bulk_create(targets)
    note_version(told_of(rule_of(clean)), by=by, now=now, plan=clean)
    if draft.teams is not None:
        _put_teams(clean, set(draft.teams))
    known = set(Device.objects.filter(id__in=wanted).values_list("id", flat=True))
    if wanted - known:
        raise BadInput("One of the devices does not exist any more.", field="devices", remedy="Load the page again.")
    Assignment.objects.filter(plan=clean).exclude(device_id__in=wanted).delete()
    kept = set(Assignment.objects.filter(plan=clean).values_list("device_id", flat=True))
    losing = Plan.objects.filter(assignments__device_id__in=wanted - kept)
    losing.update(revision=F("revision") + 1, changed_at=now, changed_by=by)
    Assignment.objects.filter(device_id__in=wanted - kept).delete()
    Assignment.objects.bulk_create(Assignment(device_id=id, plan=clean, since=now) for id in sorted(wanted - kept))
    if planned_before is not None and _times(clean) != planned_before:
        Assignment.objects.filter(plan=clean).update(since=now)  # nights that were not planned then are not owed now
    count = len(wanted)
    write_journal(who=by, what="plan.saved", facts={"plan": clean.name, "is_new": is_new, "count": count}, at=now)
    defer_line_up()
    if len(targets) > 1:
        defer_owed_copies()
    return clean


def _put_teams(plan: Plan, teams: set[int]) -> None:
    """A team that another plan had changes over. Raises BadInput."""
    if Team.objects.filter(id__in=teams).count() != len(teams):
        raise BadInput("One of the teams does not exist any more.", field="teams", remedy="Load the page again.")
    TeamPlan.objects.filter(plan=plan).exclude(team__in=teams).delete()
    for team in sorted(teams):
        TeamPlan.objects.update_or_create(team_id=team, defaults={"plan": plan})


def _locked(plan: Plan, read: int | None) -> Plan:
    """The plan as it is now, if that is the one that was read. Raises ChangedMeanwhile."""
    row = Plan.objects.select_for_update(of=("self",)).select_related("changed_by").get(id=plan.id)
    if read is not None and read != row.revision:
        who = row.changed_by.shown_name if row.changed_by else "Somebody"
        when = f" on {written(row.changed_at)}" if row.changed_at else ""
        raise ChangedMeanwhile(f"{who} changed this plan{when}, after you opened it.")
    return row


def _times(plan: Plan) -> tuple[object, ...]:
    """What decides when runs are owed."""
    return (plan.rule, plan.starts_at, plan.window_closes, plan.exceptions, *(getattr(plan, name) for name in TIMING))


@transaction.atomic
def remove_plan(plan: Plan, *, by: User) -> None:
    """Raises Conflict while devices follow it."""
    if Assignment.objects.filter(plan=plan).exists():
        raise Conflict("Devices follow this plan.", remedy="Give them another plan first.")
    write_journal(who=by, what="plan.removed", facts={"plan": plan.name}, at=ports.clock().now())
    plan.delete()
