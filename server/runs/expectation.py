"""How long each device's next run is expected to take, from the rows of its last runs."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from statistics import median
from uuid import UUID

from core.schedule.duration import OWN_RUNS, Expected, Ran, expected, office_speed
from core.schedule.estimate import OWN_TRUST_SECONDS, Cost, RemainingTime
from server.fleet.models import Device, Scan
from server.plans.choices import Choices, choices, kinds_taken
from server.plans.models import Plan
from server.plans.soundness import or_else
from server.runs.models import CAME, Run

LOOKED_BACK = timedelta(days=45)
ENOUGH_READ_BYTES = 256 * 1024
"""A run that read less than that says little about what reading costs."""


@dataclass(frozen=True, slots=True)
class Expectations:
    """What the last weeks tell; three queries, whatever the number of devices."""

    own: dict[UUID, list[Ran]]
    sizes: dict[UUID, dict[str, int]]
    speed: float
    typical_seconds: float | None
    choices: Choices

    def of(self, device: Device, plan: Plan) -> Expected:
        """How long a run of the device is expected to take."""
        sizes = self.sizes.get(device.id)
        to_read = None
        if sizes is not None:
            to_read = sum(sizes.get(kind, 0) for kind in or_else(plan, lambda: kinds_taken(plan, device, self.choices), ()))
        return expected(self.own.get(device.id, []), to_read_bytes=to_read, speed=self.speed, typical_seconds=self.typical_seconds)


def expectations(*, now: datetime) -> Expectations:
    """Of every device, from its runs of the last weeks. Two queries."""
    rows = Run.objects.filter(asked_at__gte=now - LOOKED_BACK, state__in=CAME, worked_seconds__isnull=False).order_by("-asked_at")
    own: dict[UUID, list[Ran]] = defaultdict(list)
    for device, seconds, read in rows.values_list("device_id", "worked_seconds", "read_bytes"):
        if seconds is not None and len(own[device]) < OWN_RUNS:
            own[device].append(Ran(seconds=seconds, read_bytes=read))
    every = [ran for runs in own.values() for ran in runs]
    sizes = {
        device: {entry["kind"]: entry["size_bytes"] for entry in kinds} for device, kinds in Scan.objects.values_list("device_id", "kinds")
    }
    typical = median(ran.seconds for ran in every) if every else None
    return Expectations(own=dict(own), sizes=sizes, speed=office_speed(every), typical_seconds=typical, choices=choices())


def rest_of(device: Device) -> RemainingTime:
    """An estimate that begins with what reading cost in the device's last run that read enough; with the usual otherwise."""
    costs: Iterable[dict[str, float]] = (
        Run.objects.filter(device=device, state__in=CAME, read_bytes__gte=ENOUGH_READ_BYTES)
        .order_by("-asked_at")
        .values_list("cost", flat=True)[:1]
    )
    for cost in costs:
        if cost.get("item", 0) > 0 and cost.get("byte", 0) > 0:
            own = Cost(seconds_an_item=cost["item"], seconds_a_byte=cost["byte"])
            return RemainingTime(prior=own, trust_seconds=OWN_TRUST_SECONDS)
    return RemainingTime()
