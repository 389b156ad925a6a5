"""A made-up office of many devices: how long their runs take, what befalls them, and what is on them day by day.

Drawn from a fixed seed. How often things happen is common practice, no published source; the numbers are stated
here, so that whoever doubts them can turn them.
"""

import math
import random
from dataclasses import dataclass, field
from datetime import date

from core.coverage.anomalies import TakenKind

AWAY_BEGINS = 0.008
"""A night: somebody takes it into the field or on leave, for one to nine days."""
ABSENT = 0.02
"""A night: it is not in the office, for that night only."""
LOCKED = 0.015
"""A night: locked when it is asked; two in three are unlocked within three hours."""
CUT = 0.01
"""A night: the connection breaks once in the middle."""
HEAVY = 0.06
"""Devices that take the better part of an hour every night: field tablets with site photos."""
BIG_NIGHT = 0.012
"""A night: five to fifteen times as much as usual, after a day of photos or an update."""


@dataclass(slots=True)
class Device:
    key: str
    seconds: float
    """Of an ordinary night."""
    promise_seconds: int
    store: str
    quiet: float
    """Share of days on which nothing new comes."""
    draw: random.Random
    away_until: date | None = None
    kinds: dict[str, TakenKind] = field(default_factory=dict)
    new_items: int = 0

    def tonight(self, night: date) -> "Tonight":
        """What this night brings it."""
        draw = self.draw
        if self.away_until is not None and night <= self.away_until:
            return Tonight(seconds=0, away=True, leave=True)
        if draw.random() < AWAY_BEGINS:
            self.away_until = date.fromordinal(night.toordinal() + draw.randint(0, 8))
            return Tonight(seconds=0, away=True, leave=True)
        seconds = self.seconds * draw.lognormvariate(0, 0.25)
        if draw.random() < BIG_NIGHT:
            seconds *= draw.uniform(5, 15) if self.seconds < 600 else draw.uniform(1.5, 2.5)
        if draw.random() < ABSENT:
            return Tonight(seconds=seconds, away=True)
        unlocked = 0.0
        if draw.random() < LOCKED:
            unlocked = draw.uniform(300, 10_800) if draw.random() < 0.66 else math.inf
        return Tonight(seconds=seconds, unlocked_after=unlocked, cut_at=draw.uniform(0.1, 0.9) if draw.random() < CUT else None)

    def live_a_day(self) -> None:
        """Photos come and a few go, contacts change, an app rewrites its files; on many days nothing happens."""
        draw = self.draw
        self.new_items = 0
        if draw.random() < self.quiet:
            self.kinds = {kind: TakenKind(items=held.items, size_bytes=held.size_bytes) for kind, held in self.kinds.items()}
            return
        photos = self.kinds["photos"]
        came = draw.choice([0, 0, 1, 2, 3, 5, 8]) * (draw.randint(6, 25) if draw.random() < 0.02 else 1)
        gone = draw.randint(0, 3) if draw.random() < 0.2 else int(photos.items * 0.12) if draw.random() < 0.004 else 0
        items = max(20, photos.items + came - gone)
        changed = draw.choice([0, 0, 0, 1, 2])
        held = {"photos": TakenKind(items=items, size_bytes=items * 2_100_000 + draw.randint(0, 90_000), changed=changed)}
        contacts = self.kinds["contacts"]
        held["contacts"] = TakenKind(
            items=max(5, contacts.items + draw.choice([-1, 0, 0, 0, 1])), size_bytes=contacts.size_bytes, changed=draw.choice([0, 0, 1])
        )
        messages = self.kinds["messages"]
        talks = messages.items + (1 if draw.random() < 0.2 else 0)
        held["messages"] = TakenKind(items=talks, size_bytes=messages.size_bytes + draw.randint(0, 40_000), changed=draw.randint(1, 8))
        data = self.kinds["app_data"]
        held["app_data"] = TakenKind(
            items=data.items, size_bytes=int(data.size_bytes * draw.uniform(0.97, 1.04)), changed=draw.randint(2, max(3, data.items // 2))
        )
        self.kinds = held
        self.new_items = came + changed + held["messages"].changed + held["app_data"].changed


@dataclass(frozen=True, slots=True, kw_only=True)
class Tonight:
    seconds: float
    away: bool = False
    leave: bool = False
    """Known to be away: nobody owes it anything."""
    unlocked_after: float = 0.0
    """Seconds after it was first asked; infinite for not at all."""
    cut_at: float | None = None
    """Share of the run at which its connection breaks once."""


def office(count: int, seed: int = 11) -> list[Device]:
    """As many devices, the same ones each time."""
    draw = random.Random(seed)
    made = []
    for number in range(count):
        heavy = draw.random() < HEAVY
        seconds = draw.uniform(1500, 3300) if heavy else draw.lognormvariate(math.log(70), 0.7)
        own = random.Random(draw.random())
        photos = draw.randint(150, 4000)
        kinds = {
            "photos": TakenKind(items=photos, size_bytes=photos * 2_100_000),
            "contacts": TakenKind(items=draw.randint(40, 400), size_bytes=60_000),
            "messages": TakenKind(items=draw.randint(5, 90), size_bytes=draw.randint(200_000, 9_000_000)),
            "app_data": TakenKind(items=draw.randint(8, 60), size_bytes=draw.randint(1_000_000, 80_000_000)),
        }
        promise = draw.choice([36, 36, 48, 72]) * 3600
        made.append(
            Device(
                key=f"d{number:04}", seconds=seconds, promise_seconds=promise, store=draw.choice(["cellar", "attic"]),
                quiet=draw.choice([0.05, 0.3, 0.3, 0.6]), draw=own, kinds=kinds,
            )
        )  # fmt: skip
    return made
