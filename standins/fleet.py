"""Who the devices are: made-up makes, models, holders and habits of a firm of land and coastal surveyors."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Habits:
    """How much a device holds at first, and how much a day adds."""

    contacts: int = 60
    photos: int = 40
    photos_a_day: float = 2
    events: int = 30
    conversations: int = 8
    apps: int = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Persona:
    """One simulated device."""

    slug: str
    family: str
    model: str
    os_version: str
    holder: str
    team: str
    storage_total_bytes: int
    habits: Habits

    @property
    def make(self) -> str:
        return {"orlo": "Orlo", "brenta": "Brenta"}[self.family]


_FIELD = Habits(contacts=40, photos=90, photos_a_day=5, events=20, conversations=5, apps=5)
_PHONE = Habits(contacts=110, photos=35, photos_a_day=2, events=40, conversations=12, apps=4)
_DESK = Habits(contacts=160, photos=12, photos_a_day=0.6, events=60, conversations=10, apps=3)
_GIB = 1024**3


def _one(slug: str, family: str, model: str, os_version: str, holder: str, team: str, gib: int, habits: Habits) -> Persona:
    told = {"slug": slug, "family": family, "model": model, "os_version": os_version, "holder": holder, "team": team}
    return Persona(**told, storage_total_bytes=gib * _GIB, habits=habits)


FLEET = (
    _one("tab11-okafor", "orlo", "Tab 11", "9.2", "T. Okafor", "Shore Crew", 128, _FIELD),
    _one("field8-lindqvist", "brenta", "Field 8", "4.1", "M. Lindqvist", "Shore Crew", 64, _FIELD),
    _one("field8-spare", "brenta", "Field 8", "4.0", "spare 2", "Shore Crew", 64, _FIELD),
    _one("field10-abadi", "brenta", "Field 10", "4.1", "R. Abadi", "Inland Crew", 256, _FIELD),
    _one("p5-dufour", "orlo", "P5", "9.2", "K. Dufour", "Inland Crew", 128, _PHONE),
    _one("p4-moreau", "orlo", "P4", "9.1", "J. Moreau", "Drawing Room", 64, _PHONE),
    _one("p5-ito", "orlo", "P5", "9.2", "S. Ito", "Drawing Room", 128, _PHONE),
    _one("tab9-desk", "orlo", "Tab 9", "9.0", "site office", "Drawing Room", 32, _DESK),
    _one("p4-castellan", "orlo", "P4", "9.1", "N. Castellan", "Front Desk", 64, _DESK),
    _one("p4-brandt", "orlo", "P4", "9.1", "E. Brandt", "Front Desk", 64, _DESK),
    _one("field6-thorne", "brenta", "Field 6", "3.8", "B. Thorne", "Inland Crew", 32, _FIELD),
    _one("p5-nygaard", "orlo", "P5", "9.2", "A. Nygaard", "Front Desk", 128, _PHONE),
)
"""The last two are on the office network and not paired when the demo starts."""
