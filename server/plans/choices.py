"""What somebody chose for a device beside its plan: kinds that are left out on purpose, or taken in."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.content.kinds import KINDS
from core.content.scope import in_order
from core.errors import BadInput
from server.fleet.models import Device, DeviceState
from server.plans.convert import taken_kinds
from server.plans.models import KindChoice, Plan


@dataclass(frozen=True, slots=True)
class Choices:
    """Those that last, newest of each; a device's own goes before one for all that are alike."""

    own: dict[tuple[UUID, str], KindChoice]
    alike: dict[tuple[str, str], KindChoice]
    """(kind, service)."""

    def of(self, device: Device, kind: str) -> KindChoice | None:
        """What counts for this kind of this device: its own choice before one that is made for all alike."""
        if (own := self.own.get((device.id, kind))) is not None:
            return own
        services = {entry["service"] for entry in device.accounts if entry["kind"] == kind}
        fits = [self.alike[kind, service] for service in services if (kind, service) in self.alike]
        return max(fits, key=lambda one: (one.at, one.id), default=None)


def choices() -> Choices:
    """One query."""
    chosen = Choices({}, {})
    for one in KindChoice.objects.filter(ended_at__isnull=True).select_related("by", "device").order_by("at", "id"):
        if one.alike:
            chosen.alike[one.kind, one.service] = one
        else:
            chosen.own[one.device_id, one.kind] = one
    return chosen


def kinds_taken(plan: Plan, device: Device, chosen: Choices) -> tuple[str, ...]:
    """Codes of the kinds that a run takes of the device, in the order of saving. Raises BadInput, also when nothing is left."""
    wanted = set(taken_kinds(plan))
    for kind in KINDS:
        if (choice := chosen.of(device, kind)) is not None:
            (wanted.add if choice.taken else wanted.discard)(kind)
    if not wanted:
        says = "Every kind that its plan takes is left out of this device."
        raise BadInput(says, field="kinds", remedy="Take one in again on its coverage page, or give it another plan.")
    return in_order((kind for kind in KINDS if kind in wanted), plan.first_kinds)


def undecided(device: Device, chosen: Choices) -> Iterable[tuple[str, str]]:
    """(service, kind) of accounts that their administrators switched off, of which nobody has said what follows."""
    for entry in device.accounts:
        if entry["off_by_policy"] and chosen.of(device, entry["kind"]) is None:
            yield entry["service"], entry["kind"]


def synchronised() -> Counter[tuple[str, str]]:
    """(service, kind) → how many devices say that it is synchronised by that account. One query."""
    rows = Device.objects.exclude(accounts=[]).exclude(state__in=(DeviceState.LOST, DeviceState.RETIRED)).values_list("accounts", flat=True)
    return Counter(pair for entries in rows for pair in {(entry["service"], entry["kind"]) for entry in entries})


def lasting_choices() -> QuerySet[KindChoice]:
    """Those that nobody has taken back."""
    return KindChoice.objects.filter(ended_at__isnull=True).select_related("device__holder", "by")


def choice(id: int) -> KindChoice:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(KindChoice.objects.select_related("device__holder"), id=id)
