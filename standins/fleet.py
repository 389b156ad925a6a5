"""Who the devices are: made-up makes, models, holders and habits of a firm of land and coastal surveyors.

Contents are scaled down: one byte here stands for about a thousand on a device of that age.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Habits:
    """How much a device holds at first, and how much a day adds."""

    contacts: int = 60
    photos: int = 40
    photos_a_day: float = 2
    photos_kept: int | None = None
    """Its holder clears away older ones; None for never."""
    events: int = 30
    conversations: int = 8
    apps: int = 4
    card_files: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """An outside service that keeps kinds in step."""

    service: str
    kinds: tuple[str, ...]
    default: bool = True
    work: bool = False
    stopped: bool = False
    """Signed out long ago: it is still listed and has never synchronised since."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Persona:
    """One simulated device."""

    slug: str
    family: str
    model: str
    os_version: str
    holder: str
    team: str
    serial: str
    storage_total_bytes: int
    habits: Habits
    update_pending: str = ""
    """The version that waits to be installed."""
    accounts: tuple[Account, ...] = ()
    card_bytes: int | None = None
    """Size of its removable card; None for none."""
    sftp: bool = False
    """Reached over SFTP instead of the agent protocol; holds files only."""

    @property
    def make(self) -> str:
        return {"orlo": "Orlo", "brenta": "Brenta"}[self.family]


_FIELD = Habits(contacts=24, photos=46, photos_a_day=4, events=16, conversations=4, apps=5, card_files=10)
_PHONE = Habits(contacts=48, photos=18, photos_a_day=1.4, events=24, conversations=7, apps=4)
_PLOTS = Habits(contacts=6, photos=90, photos_a_day=17, photos_kept=90, events=4, conversations=2, apps=2)
"""Takes a picture of every sheet that leaves the plotter, and keeps those of the last days."""
_DESK = Habits(contacts=64, photos=8, photos_a_day=0.5, events=30, conversations=5, apps=3)
_GIB = 1024**3
_OFFICE = Account(service="Saltmarsh groupware", kinds=("contacts", "calendar", "mail"), work=True)
_PRIVATE = Account(service="Harbourlight account", kinds=("contacts", "photos"), default=False)
_STALE = Account(service="Old groupware", kinds=("calendar",), default=True, stopped=True)
_OWN = Account(service="Harbourlight account", kinds=("contacts", "calendar", "photos", "notes"))


def _one(
    slug: str, model: str, os_version: str, holder: str, team: str, gib: int, habits: Habits, *accounts: Account, card_gib: int = 0
) -> Persona:
    brenta = model.startswith(("Field", "Ridge"))
    number = sum(ord(letter) * (place + 7) for place, letter in enumerate(slug)) % 1_000_000
    return Persona(
        slug=slug,
        family="brenta" if brenta else "orlo",
        model=model,
        os_version=os_version,
        update_pending={"4.0": "4.1", "8.7": "9.0"}.get(os_version, ""),
        holder=holder,
        team=team,
        serial=f"{'BX' if brenta else 'OR'}-{number:06}",
        storage_total_bytes=gib * _GIB,
        habits=habits,
        accounts=accounts,
        card_bytes=card_gib * _GIB or None,
    )


SHORE, INLAND, DRAWING, DESK = "Shore Crew", "Inland Crew", "Drawing Room", "Front Desk"
FLEET = (
    _one("tab11-okafor", "Tab 11", "9.2", "T. Okafor", SHORE, 128, _FIELD, _OFFICE),
    _one("field8-lindqvist", "Field 8", "4.1", "M. Lindqvist", SHORE, 64, _FIELD, _OFFICE, card_gib=128),
    _one("field8-spare", "Field 8", "4.0", "spare 2", SHORE, 64, _FIELD, card_gib=64),
    _one("field10-abadi", "Field 10", "4.1", "R. Abadi", INLAND, 256, _FIELD, _OFFICE, card_gib=256),
    _one("p5-dufour", "P5", "9.2", "K. Dufour", INLAND, 128, _PHONE, _OFFICE, _PRIVATE),
    _one("p4-moreau", "P4", "9.1", "J. Moreau", DRAWING, 64, _PHONE, _OWN),
    _one("p5-ito", "P5", "9.2", "S. Ito", DRAWING, 128, _PHONE, _OFFICE),
    _one("tab9-desk", "Tab 9", "9.0", "site office", DRAWING, 32, _DESK, _OFFICE),
    _one("p4-castellan", "P4", "9.1", "N. Castellan", DESK, 64, _DESK, _STALE),
    _one("p4-brandt", "P4", "9.1", "E. Brandt", DESK, 64, _DESK, _OFFICE),
    _one("field6-thorne", "Field 6", "3.8", "B. Thorne", INLAND, 32, _FIELD, card_gib=32),
    _one("p5-nygaard", "P5", "9.2", "A. Nygaard", DESK, 128, _PHONE, _OFFICE),
    _one("p5-okafor", "P5", "9.2", "T. Okafor", SHORE, 128, _PHONE, _OFFICE, _PRIVATE),
    _one("p4-lindqvist", "P4", "9.1", "M. Lindqvist", SHORE, 64, _PHONE, _OFFICE),
    _one("field8-holm", "Field 8", "4.1", "I. Holm", SHORE, 64, _FIELD, _OFFICE, card_gib=64),
    _one("ridge2-holm", "Ridge 2", "4.1", "I. Holm", SHORE, 64, _PHONE, _OFFICE),
    _one("field8-quist", "Field 8", "4.1", "P. Quist", SHORE, 64, _FIELD, _OFFICE, card_gib=64),
    _one("p5-abadi", "P5", "9.2", "R. Abadi", INLAND, 128, _PHONE, _OFFICE),
    _one("field10-dufour", "Field 10", "4.1", "K. Dufour", INLAND, 256, _FIELD, _OFFICE, card_gib=128),
    _one("field10-farrow", "Field 10", "4.1", "G. Farrow", INLAND, 256, _FIELD, _OFFICE, card_gib=128),
    _one("ridge2-farrow", "Ridge 2", "4.1", "G. Farrow", INLAND, 64, _PHONE, _OWN),
    _one("field10-jansen", "Field 10", "4.0", "H. Jansen", INLAND, 256, _FIELD, _OFFICE, card_gib=128),
    _one("ridge2-thorne", "Ridge 2", "4.0", "B. Thorne", INLAND, 64, _PHONE),
    _one("p5-jansen", "P5", "9.2", "H. Jansen", INLAND, 128, _PHONE, _OFFICE),
    _one("field6-varga", "Field 6", "3.8", "D. Varga", INLAND, 32, _FIELD, card_gib=32),
    _one("tab11-moreau", "Tab 11", "9.2", "J. Moreau", DRAWING, 128, _DESK, _OFFICE),
    _one("tab11-ito", "Tab 11", "9.2", "S. Ito", DRAWING, 128, _DESK, _OFFICE),
    _one("p5-sandvik", "P5", "9.2", "O. Sandvik", DRAWING, 128, _PHONE, _OFFICE, _PRIVATE),
    _one("tab11-sandvik", "Tab 11", "9.2", "O. Sandvik", DRAWING, 128, _DESK, _OFFICE),
    _one("p4-pellow", "P4", "9.1", "L. Pellow", DRAWING, 64, _PHONE, _OFFICE),
    _one("tab9-pellow", "Tab 9", "9.0", "L. Pellow", DRAWING, 32, _DESK, _OFFICE),
    _one("tab9-plotter", "Tab 9", "9.0", "plotter room", DRAWING, 32, _PLOTS),
    _one("p5-brandt", "P5", "9.2", "E. Brandt", DESK, 128, _PHONE, _OFFICE),
    _one("tab9-reception", "Tab 9", "8.7", "reception", DESK, 32, _DESK, _OFFICE),
    _one("p4-wick", "P4", "9.1", "C. Wick", DESK, 64, _PHONE, _OFFICE),
    _one("p4-ypma", "P4", "9.1", "F. Ypma", DESK, 64, _PHONE, _OFFICE),
)
"""Devices with an agent. p5-nygaard is on the office network and not paired when the demo starts."""

SFTP_DEVICE = Persona(
    slug="ridge2-logger", family="brenta", model="Ridge 2", os_version="4.1", holder="tide gauge", team=SHORE, serial="BX-770412",
    storage_total_bytes=32 * _GIB, habits=Habits(photos=14, photos_a_day=1), sftp=True,
)  # fmt: skip
"""An old phone at the tide gauge that runs an SFTP server and no agent."""
