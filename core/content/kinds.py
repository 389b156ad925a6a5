"""Kinds of content, as a table of data.

What each kind is called, whether it only travels in encrypted backups, whether the other family can
take it, in which open format it leaves, whether an outside account commonly keeps it in step, and
whether it can be had again from where it came. All these facts are common practice, no published source.
"""

from dataclasses import dataclass
from enum import StrEnum

from core.errors import BadInput


class KindShape(StrEnum):
    """How the bytes of one item are to be read."""

    CONTACT = "contact"
    """JSON record of one person, written out as vCard 4.0 (RFC 6350)."""
    EVENT = "event"
    """JSON record of one appointment, written out as iCalendar (RFC 5545)."""
    CONVERSATION = "conversation"
    """JSON record of one thread with its messages."""
    RECORD = "record"
    """Flat JSON record, written out as one row of a CSV table."""
    PICTURE = "picture"
    """An image file; leaves as it is."""
    FILE = "file"
    """Any other file; leaves as it is."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of content."""

    code: str
    label: str
    shape: KindShape
    one: str
    """The word for a single item: `contact`."""
    many: str
    """The word for several items: `contacts`."""
    leaves_as: str
    """The open format of its export."""
    secret: bool = False
    """Only carried by encrypted backups."""
    crosses: bool = False
    """Travels to a device of another family."""
    often_in_step: bool = False
    """An outside account commonly keeps it in step. Synchronised is not backed up."""
    regained: bool = False
    """Can be had again from where it came, such as an app."""


_CONTACT_FORMAT, _EVENT_FORMAT, _TABLE_FORMAT = "vCard 4.0 (RFC 6350)", "iCalendar (RFC 5545)", "CSV (RFC 4180) and JSON"
_TALK_FORMAT, _FILE_FORMAT = "JSON and CSV", "the file as it is"
_FORMATS = {
    KindShape.CONTACT: _CONTACT_FORMAT, KindShape.EVENT: _EVENT_FORMAT, KindShape.CONVERSATION: _TALK_FORMAT,
    KindShape.RECORD: _TABLE_FORMAT,
    KindShape.PICTURE: _FILE_FORMAT, KindShape.FILE: _FILE_FORMAT,
}  # fmt: skip
_CROSSING = frozenset({"contacts", "calendar"})
_OFTEN_IN_STEP = frozenset({"contacts", "calendar", "photos", "videos", "notes", "mail", "documents"})
_REGAINED = frozenset({"apps"})


def _kind(code: str, label: str, shape: KindShape, one: str, many: str, *, secret: bool = False) -> Kind:
    return Kind(
        code=code, label=label, shape=shape, one=one, many=many, secret=secret, leaves_as=_FORMATS[shape], crosses=code in _CROSSING,
        often_in_step=code in _OFTEN_IN_STEP, regained=code in _REGAINED,
    )  # fmt: skip


_TABLE = (
    _kind("contacts", "Contacts", KindShape.CONTACT, "contact", "contacts"),
    _kind("calendar", "Calendar", KindShape.EVENT, "event", "events"),
    _kind("messages", "Messages", KindShape.CONVERSATION, "conversation", "conversations"),
    _kind("attachments", "Message attachments", KindShape.FILE, "attachment", "attachments"),
    _kind("calls", "Call log", KindShape.RECORD, "call", "calls"),
    _kind("photos", "Photos", KindShape.PICTURE, "photo", "photos"),
    _kind("videos", "Videos", KindShape.FILE, "video", "videos"),
    _kind("music", "Music", KindShape.FILE, "track", "tracks"),
    _kind("recordings", "Voice recordings", KindShape.FILE, "recording", "recordings"),
    _kind("documents", "Documents", KindShape.FILE, "document", "documents"),
    _kind("notes", "Notes", KindShape.RECORD, "note", "notes"),
    _kind("mail", "Mail", KindShape.FILE, "mail", "mails"),
    _kind("alarms", "Alarms", KindShape.RECORD, "alarm", "alarms"),
    _kind("apps", "Apps", KindShape.FILE, "app", "apps"),
    _kind("app_data", "App data", KindShape.FILE, "app data file", "app data files"),
    _kind("settings", "Device settings", KindShape.RECORD, "setting", "settings"),
    _kind("home_screen", "Home screen", KindShape.RECORD, "page", "pages"),
    _kind("wireless", "Wireless networks", KindShape.RECORD, "network", "networks", secret=True),
    _kind("logins", "Saved logins", KindShape.RECORD, "login", "logins", secret=True),
    _kind("health", "Health records", KindShape.RECORD, "record", "records", secret=True),
    _kind("card", "Removable card", KindShape.FILE, "card file", "card files"),
)

KINDS: dict[str, Kind] = {kind.code: kind for kind in _TABLE}
"""Every kind by its code, in the order in which people are shown them."""

FOLDERS = "folders"
"""Not a kind that anybody chooses: the folders of a backed-up folder, with their modes and times."""

KIND_CODES = list(KINDS)
"""The codes alone, in the same order."""


def kind(code: str) -> Kind:
    """The kind with this code. Raises BadInput for an unknown one."""
    try:
        return KINDS[code]
    except KeyError:
        known = ", ".join(KINDS)
        raise BadInput(f"There is no kind of content called {code!r}.", field="kinds", remedy=f"Use one of: {known}.") from None


def counted(code: str, count: int) -> str:
    """`1 contact`, `312 photos`: the count with the word that fits it."""
    one = kind(code)
    return f"{count} {one.one if count == 1 else one.many}"
