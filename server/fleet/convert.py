"""Between rows and the core's words."""

from core.content.link import DeviceLink
from core.schedule.promise import Standing
from server.fleet.models import Device, DeviceState, LinkType
from server.outside import outside

ASIDE = {DeviceState.AWAY: Standing.AWAY, DeviceState.LOST: Standing.LOST, DeviceState.RETIRED: Standing.RETIRED}


def link_to(device: Device) -> DeviceLink:
    """An open link; the caller closes it. Raises LinkError."""
    if device.link == LinkType.FOLDER:
        return outside().folder_link(device.folder)
    key = outside().unseal(key_purpose(device.agent_id), bytes(device.agent_key or b""))
    return outside().agent_link(device.agent_id, device.address, key)


def key_purpose(agent_id: str) -> str:
    """What the sealed key of a device is bound to."""
    return f"agent key of {agent_id}"


def aside(device: Device) -> Standing | None:
    """Away, lost or retired; None for a device in use."""
    return ASIDE.get(DeviceState(device.state))
