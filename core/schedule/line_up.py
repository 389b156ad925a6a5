"""The line-up: which run of a night starts when, so that the last one ends early and everything fits its window.

List scheduling on a network that reads from a limited number of devices at a time and stores that take a
limited number of writers: whenever both have a place, the first run in the order that may start there does.
Late devices come first, then the longest runs (LPT; on m equal places its finish is within 4/3 - 1/(3m) of
the best one: Graham, "Bounds on multiprocessing timing anomalies", SIAM J. Appl. Math. 17, 1969). Where that
order leaves runs outside their windows, others are tried (by closing time, by latest start, the shortest first),
and the one that fits most wins.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.units import aware


@dataclass(frozen=True, slots=True, kw_only=True)
class LineUpJob:
    """One run that a night has to find a place for."""

    key: str
    expected_seconds: float
    opens: datetime
    closes: datetime
    """It should have ended by then."""
    store: str
    late: bool = False
    """Its device is past its promise, or would be before its next run could come: tonight it has to be its turn."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LineUpPlaces:
    readers: int
    """Devices that are read from at the same time; at least 1."""
    writers: Mapping[str, int]
    """Store → runs that write into it at the same time; a store that is not named takes as many as are read."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    key: str
    starts: datetime
    ends: datetime
    fits: bool
    """Whether it is expected to end within its window."""


def line_up(jobs: Sequence[LineUpJob], places: LineUpPlaces) -> list[Placed]:
    """Every job with its start, in the order of starting. Never fails: what does not fit is placed last and says so."""
    orders: list[Callable[[LineUpJob], tuple[object, ...]]] = [
        lambda job: (not job.late, -job.expected_seconds, job.key),
        lambda job: (job.closes, not job.late, -job.expected_seconds, job.key),
        lambda job: (latest_start(job), job.key),
        lambda job: (not job.late, job.expected_seconds, job.key),
    ]
    best: list[Placed] | None = None
    for order in orders:
        placed_items = _placed(sorted(jobs, key=order), places)
        if best is None or _worth(placed_items) < _worth(best):
            best = placed_items
        if all(one.fits for one in best):
            break
    return best or []


def latest_start(job: LineUpJob) -> datetime:
    """The last instant at which it may start and still fit."""
    return job.closes - timedelta(seconds=job.expected_seconds)


def finish(placed: Sequence[Placed]) -> datetime | None:
    return max((one.ends for one in placed), default=None)


def _worth(placed: Sequence[Placed]) -> tuple[int, float]:
    end = finish(placed)
    return sum(not one.fits for one in placed), end.timestamp() if end else 0.0


def _placed(jobs: list[LineUpJob], places: LineUpPlaces) -> list[Placed]:
    """Places the jobs in this order of preference. O(n²) in the worst case, on a few hundred jobs."""
    waiting = list(jobs)
    running: list[tuple[datetime, str]] = []
    placed_items: list[Placed] = []
    if not waiting:
        return placed_items
    now = min(aware(job.opens) for job in waiting)
    while waiting:
        running = [entry for entry in running if entry[0] > now]
        chosen = _next(waiting, running, places, now)
        if chosen is None:
            later = [entry[0] for entry in running] + [job.opens for job in waiting if job.opens > now]
            now = min(later)
            continue
        waiting.remove(chosen)
        ends = now + timedelta(seconds=max(0.001, chosen.expected_seconds))
        running.append((ends, chosen.store))
        placed_items.append(Placed(key=chosen.key, starts=now, ends=ends, fits=ends <= chosen.closes))
    return sorted(placed_items, key=lambda one: (one.starts, one.key))


def _next(waiting: list[LineUpJob], running: list[tuple[datetime, str]], places: LineUpPlaces, now: datetime) -> LineUpJob | None:
    """The first one that may start now; one that would not fit any more gives way to those that do."""
    if len(running) >= max(1, places.readers):
        return None
    hopeless: LineUpJob | None = None
    for job in waiting:
        writers = max(1, places.writers.get(job.store, places.readers))
        if job.opens > now or sum(store == job.store for _, store in running) >= writers:
            continue
        if latest_start(job) >= now:
            return job
        hopeless = hopeless or job
    if hopeless is not None and any(job.opens > now and latest_start(job) >= job.opens for job in waiting):
        return hopeless if _room_before_others(hopeless, waiting, running, places, now) else None
    return hopeless


def _room_before_others(
    job: LineUpJob, waiting: list[LineUpJob], running: list[tuple[datetime, str]], places: LineUpPlaces, now: datetime
) -> bool:
    """Whether a run that does not fit anyway can go first without taking the place of one that opens later and would fit."""
    ends = now + timedelta(seconds=job.expected_seconds)
    soon = [other for other in waiting if other is not job and now < other.opens < ends and latest_start(other) >= other.opens]
    return len(running) + len(soon) < places.readers
