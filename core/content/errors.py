"""Content and link errors.

AtticError
└── LinkError            the device could not do what was asked
    ├── DeviceAway       nothing answers at its address
    ├── DeviceLocked     it answers, and its content is locked
    ├── DataAccessOff    it answers, and its settings forbid reading content
    ├── NotPaired        it does not know this server (any more)
    ├── NotAccepted      it knows this server, and its holder has not said yes (again) yet
    ├── PairingRefused   wrong code, or too many of them
    ├── LinkCut          the connection ended in the middle
    ├── DeviceFull       no room for what a restore would write
    ├── OtherHost        another machine answers where an SFTP device was met first
    ├── LinkSlow         it answers, and so slowly that it would never end
    ├── PlaceRefuses     it cannot hold a file of this name
    │   └── PlaceTaken   something of this name is there already
    ├── LinkFault        it did what no adapter knows
    └── ItemNotTaken     one thing on it cannot be had; all others can
        └── DeviceLied   what came contradicts what was announced, or is not what the protocol says
"""

from core.errors import AtticError, Unforeseen


class LinkError(AtticError):
    code = "link.error"


class DeviceAway(LinkError):
    code = "link.away"
    remedy = "Put the device on the office network or plug it in; the run is tried again by itself."


class DeviceLocked(LinkError):
    code = "link.locked"
    remedy = "Ask its holder to unlock the device, then run again."


class DataAccessOff(LinkError):
    code = "link.data_access_off"
    remedy = "Switch on data access in the settings of the device, then run again."


class NotPaired(LinkError):
    code = "link.not_paired"
    remedy = "Pair the device again: open it under Devices and type the code that its screen shows."


class NotAccepted(LinkError):
    code = "link.not_accepted"
    remedy = "Ask its holder to say yes to the question on its own screen; after some updates it is asked again."


class PairingRefused(LinkError):
    code = "link.pairing_refused"
    remedy = "Type the code exactly as the screen of the device shows it now; it changes after five wrong tries."
    field = "code"


class LinkCut(LinkError):
    code = "link.cut"
    remedy = "Plug the device in again and run again: what was already stored is used again."


class LinkSlow(LinkCut):
    code = "link.slow"
    remedy = "Put the device nearer to the wireless station or plug it in, restart it, and run again: what was stored is used again."


class OtherHost(LinkError):
    code = "link.other_host"
    remedy = "If the device was reset or replaced, look at its key on its own screen and accept the new one; otherwise do not go on."


class DeviceFull(LinkError):
    code = "link.device_full"
    remedy = "Free some room on the device, or choose fewer things to restore."


class PlaceRefuses(LinkError):
    code = "link.place_refuses"
    remedy = "It is written under another name, which the report tells."


class PlaceTaken(PlaceRefuses):
    code = "link.place_taken"


class LinkFault(LinkError, Unforeseen):
    code = "link.unforeseen"


class ItemNotTaken(LinkError):
    """`why`: the code of a reason in `core.content.left_out`."""

    code = "link.item"
    remedy = "The other items can be had; look at this one on the device."

    def __init__(self, message: str, *, why: str = "lied", remedy: str | None = None, field: str | None = None) -> None:
        super().__init__(message, remedy=remedy, field=field)
        self.why = why


class DeviceLied(ItemNotTaken):
    code = "link.contradiction"
    remedy = "Restart the device and run again; if it happens again, leave this kind out and look at the device."
