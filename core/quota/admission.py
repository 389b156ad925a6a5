"""Before a run, and before a night: will it fit?

From the bytes that the device says have changed, and from how many bytes this device's earlier runs stored for each byte read. The
answer errs on the safe side: what the store has left must hold the estimate and a small reserve, so that a store is never filled to its
last byte; and what others were admitted for is theirs.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median, quantiles

from core.errors import AtticError
from core.units import MIB, iec

RESERVE_BYTES = 4 * MIB
"""Room for manifests, index and footers."""
OVERHEAD_PERCENT = 2
_LEAST_READ_BYTES = MIB // 16
"""A run that read less says little about how much of what is read is stored."""


class DoesNotFit(AtticError):
    """Stopped beforehand; nothing was stored."""

    code = "quota.does_not_fit"
    remedy = "Make room: shorten a retention rule, remove backups that are no longer needed, or raise the allowance under Storage."


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """What a store has left, or a team or a device in it."""

    stored_bytes: int
    """Held; of a team or a device what it needs, shared or not."""
    allowance_bytes: int | None
    """What it may hold; None without a limit of its own."""
    free_bytes: int | None
    """What its medium has left; None when it cannot tell."""
    name: str = ""
    """`Server room`, `Shore Crew in Server room`."""
    promised_bytes: int = 0
    """What others were admitted for and have not stored yet."""
    reserve_bytes: int = RESERVE_BYTES

    @property
    def left_bytes(self) -> int | None:
        """The smaller of both, without what is promised; None when nothing limits it."""
        limits = [] if self.free_bytes is None else [self.free_bytes]
        if self.allowance_bytes is not None:
            limits.append(max(0, self.allowance_bytes - self.stored_bytes))
        return max(0, min(limits) - self.promised_bytes) if limits else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    bytes: int
    says: str
    """What it is from."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Admitted:
    estimate: Estimate
    most_bytes: int | None
    """What it may store at the most: what it was admitted for and all that is promised to nobody; None without a limit."""
    by: str = ""
    """Whose room that is."""


def estimated(changed_bytes: int, history: Sequence[tuple[int, int]]) -> Estimate:
    """Bytes that a run will store. `history` holds (read, stored) bytes of earlier runs of the device.

    Without history nothing is assumed to shrink.
    """
    ratios = [stored / read for read, stored in history if read >= _LEAST_READ_BYTES]
    ratio = min(1.0, max(0.05, median(ratios))) if ratios else 1.0
    if not ratios:
        says = "no run of it tells how much of that is new to the store"
    elif len(ratios) == 1:
        says = "by one run alone"
    else:
        says = f"as its last {len(ratios)} runs did"
    return Estimate(bytes=round(changed_bytes * ratio * (100 + OVERHEAD_PERCENT) / 100), says=says)


def admit(changed_bytes: int, rooms: Sequence[Room], *, history: Sequence[tuple[int, int]]) -> Admitted:
    """Raises DoesNotFit when one of the rooms is too small."""
    estimate = estimated(changed_bytes, history)
    limited = [(left - room.reserve_bytes, room) for room in rooms if (left := room.left_bytes) is not None]
    if not limited:
        return Admitted(estimate=estimate, most_bytes=None)
    most, tightest = min(limited, key=lambda one: one[0])
    if changed_bytes > 0 and estimate.bytes > most:
        raise DoesNotFit(_words(estimate, tightest))
    return Admitted(estimate=estimate, most_bytes=max(most, estimate.bytes), by=tightest.name)


def _words(estimate: Estimate, room: Room) -> str:
    needs = f"this run needs about {iec(estimate.bytes)}"
    if room.reserve_bytes:
        needs += f" and {iec(room.reserve_bytes)} in reserve"
    promised = f", {iec(room.promised_bytes)} being promised to other runs" if room.promised_bytes else ""
    return f"{room.name} has {iec(room.left_bytes or 0)} left{promised}; {needs}. Nothing was stored."


def admit_copy(lacking_bytes: int, rooms: Sequence[Room]) -> None:
    """A copy that needs so many bytes, exactly. Raises DoesNotFit when one of the rooms is too small."""
    for room in rooms:
        left = room.left_bytes
        if lacking_bytes > 0 and left is not None and lacking_bytes > left - room.reserve_bytes:
            promised = f", {iec(room.promised_bytes)} being promised to runs" if room.promised_bytes else ""
            raise DoesNotFit(f"{room.name} has {iec(left)} left{promised}; this copy needs {iec(lacking_bytes)}. Nothing of it was copied.")


def overrun(admitted: Admitted, stored_bytes: int) -> DoesNotFit | None:
    """What stops a run that stores more than it may; None while it does not."""
    if admitted.most_bytes is None or stored_bytes <= admitted.most_bytes:
        return None
    return DoesNotFit(
        f"It was admitted with about {iec(admitted.estimate.bytes)} and has stored {iec(stored_bytes)}: "
        f"the rest of {admitted.by} is promised to other runs, or full. What it stored is used by its next run."
    )


# -- a night


def usual_stored_bytes(stored: Sequence[int]) -> int | None:
    """What three of four runs do not pass, by those of a device; None when there were none."""
    if not stored:
        return None
    return int(max(stored)) if len(stored) < 4 else round(quantiles(stored, n=4, method="inclusive")[2])


@dataclass(frozen=True, slots=True, kw_only=True)
class AdmissionWish:
    """A run of the coming night."""

    key: str
    expected_bytes: int
    rooms: tuple[str, ...]
    """Keys of the rooms that it takes from."""


def admit_night(wishes: Sequence[AdmissionWish], rooms: Mapping[str, Room]) -> dict[str, str]:
    """Key of a run that will not fit → key of the room that is short. In the order of starting; one that does not fit takes nothing."""
    left = {key: free_bytes - room.reserve_bytes for key, room in rooms.items() if (free_bytes := room.left_bytes) is not None}
    short: dict[str, str] = {}
    for wish in wishes:
        mine = [key for key in wish.rooms if key in left]
        lacking = [key for key in mine if wish.expected_bytes > 0 and left[key] < wish.expected_bytes]
        if lacking:
            short[wish.key] = min(lacking, key=lambda key: left[key])
            continue
        for key in mine:
            left[key] -= wish.expected_bytes
    return short
