"""What retention costs: the whole pile in the core against plainer sums of the same run, and what people wait for at the server."""

import resource
import time
from collections.abc import Callable, Iterator
from statistics import median
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

import numpy as np

from bench.figures import Figure
from bench.office import large_office
from core.retention import calendar
from core.retention.pile import Fact, Pile, judged
from core.retention.rule import Period, Rule

T = TypeVar("T")
DEVICES, BACKUPS, STORES = 500, 1000, 3
ZONE = ZoneInfo("Europe/Berlin")
RULES = (
    Rule(last=3, daily=7, weekly=5, monthly=12, yearly=3),
    Rule(last=1, hourly=24, daily=14, within=Period(30)),
    Rule(last=2, weekly=8, monthly=6, greatest_age=Period(900)),
)
KEPT_BACKUPS = 60


def retention(*, rounds: int, devices: int = DEVICES) -> Iterator[Figure]:
    yield from _core(rounds)
    yield from _server(devices)


def _pile() -> tuple[Pile, int]:
    """A backup a device a day for a thousand days, in three stores, with something the matter here and there."""
    draw = np.random.default_rng(7)
    backup = np.repeat(np.arange(DEVICES * BACKUPS), STORES)
    device, store = backup // BACKUPS, np.tile(np.arange(STORES), DEVICES * BACKUPS)
    at = 1_700_000_000 + (backup % BACKUPS) * calendar.DAY + np.repeat(draw.integers(0, 30_000, DEVICES * BACKUPS), STORES)
    facts = np.where(draw.random(len(backup)) < 0.02, int(Fact.PARTIAL), 0) | np.where(draw.random(len(backup)) < 0.3, int(Fact.CHECKED), 0)
    now = int(at.max()) + 3600
    pile = Pile(
        device=device, store=store, backup=backup, at=at, facts=facts.astype(np.int32) | int(Fact.ENCRYPTED), rule=store.copy(),
        as_of=np.full(len(at), now, dtype=np.int64), rules=RULES, zone=ZONE,
    )  # fmt: skip
    return pile, now


def _core(rounds: int) -> Iterator[Figure]:
    loaded, (pile, now) = _timed(_pile)
    times = [_timed(lambda: judged(pile, now=now)) for _ in range(rounds)]
    kept = int(np.count_nonzero(times[0][1]))
    arrays = min(_timed(lambda: _without_reasons(pile))[0] for _ in range(rounds))
    integers = min(_timed(lambda: _plain_integers(pile))[0] for _ in range(1))
    best = min(seconds for seconds, _ in times)
    words = (
        f"{len(pile.at):,} copies, {kept:,} kept, each with its reasons; the arrays made and sorted in {loaded:.2f} s; beside it one store "
        f"of them ({len(pile.at) // STORES:,}) without reasons {arrays * 1000:.0f} ms as arrays, {integers * 1000:.0f} ms as plain integers"
    ).replace(",", "\u202f")
    yield Figure(name="1.5 million copies judged", value=best, unit=" s", told=words, good=3, wanted=1.5)


def _without_reasons(pile: Pile) -> int:
    """Last 3, 7 days, 5 weeks, 12 months of one store, by days of UTC: what is kept, and nothing of why."""
    mine = pile.store == 0
    device, at = pile.device[mine], pile.at[mine]
    order = np.lexsort((-at, device))
    device, at = device[order], at[order]
    begins = np.append(True, device[1:] != device[:-1])
    place = np.arange(len(at)) - np.maximum.accumulate(np.where(begins, np.arange(len(at)), 0))
    keep = place < 3
    for size, count in ((1, 7), (7, 5), (30, 12)):
        period = at // (size * calendar.DAY)
        first = begins | np.append(True, period[1:] != period[:-1])
        number = np.cumsum(first)
        rank = number - np.maximum.accumulate(np.where(begins, number, 0))
        keep |= first & (rank < count)
    return int(np.count_nonzero(keep))


def _plain_integers(pile: Pile) -> int:
    """The same in a loop."""
    mine = pile.store == 0
    rows = sorted(zip(pile.device[mine].tolist(), (-pile.at[mine]).tolist(), strict=True))
    kept, before, seen = 0, -1, [0, 0, 0, 0]
    last: list[int | None] = [None, None, None]
    for device, negative in rows:
        if device != before:
            before, seen, last = device, [0, 0, 0, 0], [None, None, None]
        seen[3] += 1
        keep = seen[3] <= 3
        for n, (size, count) in enumerate(((1, 7), (7, 5), (30, 12))):
            period = -negative // (size * 86_400)
            if period != last[n]:
                last[n] = period
                seen[n] += 1
                keep |= seen[n] <= count
        kept += keep
    return kept


def _server(devices: int) -> Iterator[Figure]:
    with large_office(devices=devices, nights=KEPT_BACKUPS + 6) as (_, words):
        _everything_there()
        yield _preview(38, good=2, wanted=1)
        yield _preview(devices, good=10, wanted=5)
        yield _a_night(devices)
        yield _a_future(words)


def _everything_there() -> None:
    """All devices follow one plan, and nothing of theirs has left yet."""
    from server.plans.models import Assignment, Plan, PlanTarget
    from server.runs.models import Copy
    from server.storage.models import Store

    plan = Plan.objects.order_by("name")[0]
    Assignment.objects.update(plan=plan)
    PlanTarget.objects.filter(plan=plan).delete()
    for order, store in enumerate(Store.objects.order_by("name")[:2]):
        PlanTarget.objects.create(plan=plan, store=store, order=order)
    Copy.objects.filter(state="owed").delete()
    Copy.objects.filter(state="removed").update(state="present", removed_at=None, removed_why="")


def _preview(devices: int, *, good: float, wanted: float) -> Figure:
    from django.utils import timezone

    from server.plans.models import Assignment, Plan
    from server.plans.objections import Change
    from server.retention.consequences import consequences

    plan = Plan.objects.get(id=Assignment.objects.values_list("plan", flat=True)[0])
    stores = frozenset(target.store_id for target in plan.targets.all())
    followers = frozenset(Assignment.objects.order_by("device").values_list("device", flat=True)[:devices])
    aside = Assignment.objects.exclude(device__in=followers)
    rows = [(one.device_id, one.plan_id, one.since) for one in aside]
    aside.delete()  # so that the plan has so many devices
    plan.keep_daily, plan.keep_monthly = 3, 2
    change = Change(plan=plan, stores=stores, followers=followers, seen="", word="")
    seconds, foreseen = _timed(lambda: consequences(change, now=timezone.now()))
    Assignment.objects.bulk_create(Assignment(device_id=device, plan_id=of, since=since) for device, of, since in rows)
    said = f"{foreseen.leaves + foreseen.stays} backups laid over their history twice, {foreseen.leaves} would leave"
    return Figure(name=f"preview of a rule change for {devices} devices", value=seconds, unit=" s", told=said, good=good, wanted=wanted)


def _a_night(devices: int) -> Figure:
    from django.utils import timezone

    from server.fleet.models import Device
    from server.people.actions.clock import look_at_clock
    from server.retention.actions.apply_rule import apply_rule
    from server.retention.judging import Context
    from server.storage.models import Store

    now = timezone.now()
    look_at_clock(now=now)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss

    def night() -> int:
        context, begun = Context.read(now), 0
        for store in Store.objects.order_by("name")[:2]:
            for device in Device.objects.filter(backups__copies__store=store).distinct():
                begun += apply_rule(device, store, now=now, context=context)
        return begun

    first, begun = _timed(night)
    seconds, _ = _timed(night)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    said = (
        f"two stores; the night before, in which {begun} copies began to leave, {first:.0f} s; "
        f"memory grew by {grown:.0f} MiB to {before / 1024 + grown:.0f} MiB"
    )
    return Figure(name=f"a night's application for {devices} devices", value=seconds, unit=" s", told=said, good=120, wanted=60)


def _a_future(words: str) -> Figure:
    from django.utils import timezone

    from server.fleet.models import Device
    from server.retention.future import future

    times = [_timed(lambda one=device: future(one, None, now=timezone.now()))[0] for device in Device.objects.all()[:15]]  # type: ignore[misc]
    return Figure(
        name="a device's future for 365 days", value=median(times) * 1000, unit=" ms", told=f"at the server, {words}", good=100, wanted=50
    )


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    began = time.perf_counter()
    done: Any = work()
    return time.perf_counter() - began, done
