"""Reading devices."""

from collections.abc import Collection
from uuid import UUID

from django.db.models import Q, QuerySet
from django.shortcuts import get_object_or_404

from core.content.errors import LinkError
from server import ports
from server.fleet.models import Bulk, Device, LinkType, OwnCloudTold
from server.people.models import Holder
from server.ports import NetworkOffer


def devices() -> QuerySet[Device]:
    """With holder and team."""
    return Device.objects.select_related("holder", "team")


def device(id: UUID) -> Device:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(devices(), id=id)


def matching(rows: QuerySet[Device], words: str) -> QuerySet[Device]:
    """Devices whose name, holder, team or model contains every word."""
    for word in words.split()[:8]:
        rows = rows.filter(
            Q(name__icontains=word) | Q(holder__name__icontains=word) | Q(team__name__icontains=word) | Q(model__icontains=word)
        )
    return rows


def unpaired_offers(known: Collection[str] | None = None) -> list[NetworkOffer]:
    """Devices on the office network that Old Attic does not know yet; `known`: agent ids that were read before. Raises LinkError."""
    if known is None:
        known = set(Device.objects.exclude(agent_id="").values_list("agent_id", flat=True))
    return [offer for offer in ports.devices().offers() if offer.device not in known]


def seen_on_network() -> set[str]:
    """Agent ids that announce themselves now; empty when the network does not answer."""
    try:
        return {offer.device for offer in ports.devices().offers()}
    except LinkError:
        return set()


def unlinked_devices() -> QuerySet[Device]:
    """Devices of the register that have no link yet."""
    return Device.objects.filter(link=LinkType.NONE).select_related("holder")


def last_bulk() -> QuerySet[Bulk]:
    """The newest change of many devices that can still be taken back, if there is one."""
    return Bulk.objects.filter(undone_at__isnull=True).select_related("by").order_by("-at")[:1]


def bulk(id: UUID) -> Bulk:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Bulk, id=id)


def device_ids_of(holder: Holder) -> list[UUID]:
    """Devices in the hands of one holder. One query."""
    return list(Device.objects.filter(holder=holder).values_list("id", flat=True))


def own_cloud_history(device: Device) -> QuerySet[OwnCloudTold]:
    """What it told of its own cloud backup, the newest first."""
    return OwnCloudTold.objects.filter(device=device)
