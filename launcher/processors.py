"""How much of this machine's processors was there at all: on a shared host others take a part, and every duration grows by it."""

from pathlib import Path
from typing import NamedTuple


class Ticks(NamedTuple):
    """Since the machine's start, of all its processors."""

    all: int
    taken: int
    """What the host gave to other machines while something here wanted to run."""


def ticks(stat: str | None = None) -> Ticks:
    """As /proc/stat tells it (proc(5): user, nice, system, idle, iowait, irq, softirq, steal; guests count as user)."""
    told = [int(field) for field in (stat or Path("/proc/stat").read_text()).splitlines()[0].split()[1:9]]
    return Ticks(all=sum(told), taken=told[7])


def taken_percent(before: Ticks, after: Ticks) -> int:
    return round(100 * (after.taken - before.taken) / max(1, after.all - before.all))
