"""A year of nights on a simulated clock, through the real rules: recurrence, windows, expectation, line-up, retries, promise.

Once with the line-up, once with the same nights taken as they come, in an order of chance.
"""

import heapq
import random
from collections import Counter, deque
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from bench.life import Device, Tonight, office
from core.content.errors import DeviceAway, DeviceLocked, LinkCut, LinkError
from core.coverage.anomalies import MOST_HISTORY, Odd, Taken, TakenKind, anomalies
from core.schedule.duration import Ran, expected, office_speed
from core.schedule.line_up import LineUpJob, LineUpPlaces, line_up
from core.schedule.promise import KEPT, OWED, Standing, state_of
from core.schedule.recurrence import Recurrence
from core.schedule.retry import next_try
from core.schedule.window import Slot, Window, slots

ZONE = ZoneInfo("Europe/Berlin")
READERS, WRITERS = 4, {"cellar": 3, "attic": 3}
OWN = 9
INJECTED_EVERY = 1500
"""One backup in so many is made to look wrong on purpose, to see whether it is found."""


LAST_HOURS, LINE_UP_EVERY = timedelta(hours=2), timedelta(minutes=10)
_Waiting = tuple[datetime, int, Device, int]
"""When it may start, its place in the order, the device, attempts so far."""


@dataclass(slots=True)
class Year:
    """What came of a year."""

    owed: int = 0
    kept: int = 0
    runs: int = 0
    came: int = 0
    missed: int = 0
    said_beforehand: int = 0
    """Of the missed ones that found no place, those whose line-up had said so in the afternoon."""
    no_place: int = 0
    outside: int = 0
    """Runs that ended after their window had closed, when people come and take their devices."""
    finishes: list[float] = field(default_factory=list)
    """Seconds from opening to the end of the last run of each night."""
    false_alarms: Counter[str] = field(default_factory=Counter)
    injected: int = 0
    found: int = 0


@dataclass(slots=True)
class _Known:
    """What the office remembers of a device."""

    own: deque[Ran]
    newest: datetime | None = None
    taken: deque[Taken] = field(default_factory=lambda: deque(maxlen=MOST_HISTORY))


def year(count: int, *, days: int, lined_up: bool, odd: bool, seed: int = 11) -> Year:
    """`odd` looks for anomalies, too, which takes most of the time."""
    devices = office(count, seed)
    known = {device.key: _Known(deque(maxlen=OWN)) for device in devices}
    chance = random.Random(seed + 1)
    result = Year()
    nightly = Recurrence(rule="FREQ=DAILY", start=datetime.combine(date(2026, 1, 1), time(22)), zone=ZONE)
    window = Window(opens=time(22), closes=time(6))
    begin = datetime(2026, 1, 1, 12, tzinfo=UTC)
    for slot in slots(nightly, window, after=begin, until=begin + timedelta(days=days)):
        night = slot.opens.astimezone(ZONE).date()
        for device in devices:
            device.live_a_day()
        brought = {device.key: device.tonight(night) for device in devices}
        wanted = [device for device in devices if not brought[device.key].leave]
        order = _order(wanted, known, slot, result) if lined_up else _shuffled(wanted, chance)
        _night(order, brought, known, slot, result, again=lined_up)
        if odd:
            _look(devices, known, slot, result, chance)
        _morning(devices, brought, known, slot, result)
    return result


def _again(waiting: list[_Waiting], known: dict[str, _Known], slot: Slot, now: datetime) -> list[_Waiting]:
    """The rest of the night lined up anew, as the server does every few minutes."""
    by_key = {entry[2].key: entry for entry in waiting}
    late = {key: _is_late(entry[2], known, slot) for key, entry in by_key.items()}
    jobs = [
        LineUpJob(
            key=key,
            expected_seconds=_expected(entry[2], known),
            opens=max(now, entry[0]),
            closes=slot.closes,
            store=entry[2].store,
            late=late[key],
        )
        for key, entry in by_key.items()
    ]
    placed = line_up(jobs, LineUpPlaces(readers=READERS, writers=WRITERS))
    moments = [(by_key[one.key][0], place, by_key[one.key][2], by_key[one.key][3]) for place, one in enumerate(placed)]
    heapq.heapify(moments)
    return moments


def _expected(device: Device, known: dict[str, _Known]) -> float:
    return expected(list(known[device.key].own), to_read_bytes=round(device.seconds * 4_000_000), speed=office_speed([])).seconds


def _is_late(device: Device, known: dict[str, _Known], slot: Slot) -> bool:
    newest = known[device.key].newest
    next_end = slot.closes + timedelta(days=1)
    return newest is None or (next_end - newest).total_seconds() > device.promise_seconds


def _order(devices: list[Device], known: dict[str, _Known], slot: Slot, result: Year) -> list[Device]:
    jobs = [
        LineUpJob(
            key=device.key, expected_seconds=_expected(device, known), opens=slot.opens, closes=slot.closes, store=device.store,
            late=_is_late(device, known, slot),
        )
        for device in devices
    ]  # fmt: skip
    placed = line_up(jobs, LineUpPlaces(readers=READERS, writers=WRITERS))
    by_key = {device.key: device for device in devices}
    result.said_beforehand += sum(not one.fits for one in placed)
    return [by_key[one.key] for one in placed]


def _shuffled(devices: list[Device], chance: random.Random) -> list[Device]:
    order = list(devices)
    chance.shuffle(order)
    return order


def _night(order: list[Device], brought: dict[str, Tonight], known: dict[str, _Known], slot: Slot, result: Year, *, again: bool) -> None:
    """Runs start as places become free, in the given order; what fails is tried again as the rules say."""
    waiting: list[_Waiting] = [(slot.opens, place, device, 0) for place, device in enumerate(order)]
    heapq.heapify(waiting)
    running: list[tuple[datetime, str]] = []
    now, last, lined_up_at = slot.opens, slot.opens, slot.closes - LAST_HOURS
    result.runs += len(order)
    while waiting:
        if again and lined_up_at <= now < slot.closes:
            lined_up_at = now + LINE_UP_EVERY
            waiting = _again(waiting, known, slot, now)
        ready = sorted((entry for entry in waiting if entry[0] <= now), key=lambda entry: entry[1])
        running = [entry for entry in running if entry[0] > now]
        started = None
        for entry in ready:
            store = entry[2].store
            if len(running) < READERS and sum(held == store for _, held in running) < WRITERS[store]:
                started = entry
                break
        if now >= slot.closes:
            result.missed += len(waiting)
            result.no_place += sum(tries == 0 for _, _, _, tries in waiting)
            break
        if started is None:
            later = [end for end, _ in running] + [at for at, _, _, _ in waiting if at > now]
            now = min(min(later), slot.closes) if later else slot.closes
            continue
        waiting.remove(started)
        heapq.heapify(waiting)
        end = _attempt(started, brought, known, slot, now, waiting, result)
        if end is not None:
            running.append((end, started[2].store))
            last = max(last, end)
    result.finishes.append((last - slot.opens).total_seconds())


def _attempt(
    entry: _Waiting, brought: dict[str, Tonight], known: dict[str, _Known], slot: Slot, now: datetime,
    waiting: list[_Waiting], result: Year,
) -> datetime | None:  # fmt: skip
    """When its place is free again; None when it did not take one. Puts itself back where it is tried again."""
    _, place, device, tries = entry
    tonight, tries = brought[device.key], tries + 1
    error: LinkError | None = None
    if tonight.away:
        error = DeviceAway("away")
    elif (now - slot.opens).total_seconds() < tonight.unlocked_after:
        error = DeviceLocked("locked")
    if error is not None:
        again = next_try(error, attempts=tries, now=now, gives_up=slot.closes)
        if again is None:
            result.missed += 1
        else:
            heapq.heappush(waiting, (again, place, device, tries))
        return None
    if tonight.cut_at is not None and tries == 1:
        end = now + timedelta(seconds=tonight.seconds * tonight.cut_at)
        again = next_try(LinkCut("cut"), attempts=tries, now=end, gives_up=slot.closes)
        if again is None:
            result.missed += 1
        else:
            heapq.heappush(waiting, (again, place, device, tries))
        return end
    end = now + timedelta(seconds=tonight.seconds)
    held = known[device.key]
    if end > slot.closes:
        result.outside += 1
    held.own.appendleft(Ran(seconds=tonight.seconds, read_bytes=0))
    held.newest = end
    result.came += 1
    return end


def _morning(devices: list[Device], brought: dict[str, Tonight], known: dict[str, _Known], slot: Slot, result: Year) -> None:
    """Each device's standing at eight, by the rule that every screen uses."""
    morning = datetime.combine(slot.opens.astimezone(ZONE).date() + timedelta(days=1), time(8), ZONE).astimezone(UTC)
    for device in devices:
        aside = Standing.AWAY if brought[device.key].leave else None
        state = state_of(
            newest=known[device.key].newest,
            promise_seconds=device.promise_seconds,
            next_run=slot.opens + timedelta(days=1),
            now=morning,
            aside=aside,
        )
        if state.standing in OWED:
            result.owed += 1
            result.kept += state.standing in KEPT


def _look(devices: list[Device], known: dict[str, _Known], slot: Slot, result: Year, chance: random.Random) -> None:
    """Anomalies of what came tonight; some of it spoilt on purpose."""
    for device in devices:
        held = known[device.key]
        if held.newest is None or held.newest < slot.opens:
            continue
        kinds, spoilt = device.kinds, None
        if len(held.taken) >= 10 and chance.randrange(INJECTED_EVERY) == 0:
            spoilt, kinds = _spoilt(device.kinds, chance)
        one = Taken(id=str(slot.opens), at=held.newest, kinds=kinds, new_items=device.new_items)
        detected = anomalies(one, list(held.taken))
        if spoilt is None:
            result.false_alarms.update(str(entry.code) for entry in detected)
            held.taken.appendleft(one)
        else:
            result.injected += 1
            result.found += any(entry.code in spoilt for entry in detected)


def _spoilt(kinds: dict[str, TakenKind], chance: random.Random) -> tuple[tuple[Odd, ...], dict[str, TakenKind]]:
    """(what should be found, the kinds): an album emptied, a kind gone, everything rewritten."""
    photos = kinds["photos"]
    match chance.randrange(3):
        case 0:
            left = TakenKind(items=int(photos.items * 0.4), size_bytes=int(photos.size_bytes * 0.4))
            return (Odd.SHRUNK,), kinds | {"photos": left}
        case 1:
            return (Odd.VANISHED,), kinds | {"contacts": TakenKind(items=0, size_bytes=0)}
        case _:
            return (Odd.MANY_CHANGED,), kinds | {
                "photos": TakenKind(items=photos.items, size_bytes=photos.size_bytes, changed=int(photos.items * 0.9))
            }


def share(part: float, whole: float) -> float:
    return 100 * part / whole if whole else 0.0
