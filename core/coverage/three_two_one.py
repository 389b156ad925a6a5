"""Three copies, on two media, one of them off site: what a device has of that, what is missing, and the one step that mends it.

That rule is common practice, no published source. What is on the device counts as a copy as long as it is in somebody's hands, and its
storage as no medium of its own: a backup beside it would else always lie on two. A copy counts while its backup is about as new as the
newest good one; an old one in another place saves little of what is newer.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

COPIES, MEDIA = 3, 2
LAGS_BEHIND = timedelta(days=8)
"""A copy that is brought along once a week is not behind."""
CHECKED_FOR = timedelta(days=30)


class Lack(StrEnum):
    """What is missing, the worst first."""

    BACKUP = "backup"
    """There is none at all."""
    COPIES = "copies"
    OFF_SITE = "off_site"
    MEDIA = "media"
    CHECK = "check"


class Step(StrEnum):
    """What mends the first lack."""

    RUN = "run"
    """Take a backup."""
    WAIT = "wait"
    """It is on its way: look at the copies that are owed."""
    TARGET = "target"
    """Give its plan another store."""
    CHECK = "check"
    """Read a store that holds it."""
    PLAN = "plan"
    """It follows none."""
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """A store that holds whole backups of the device."""

    store: str
    medium: str
    off_site: bool
    newest_at: datetime
    """Of the newest backup that lies whole there."""
    checked_at: datetime | None
    """Since when the one of its copies there that was checked last is proven."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ThreeTwoOne:
    copies: int
    """That on the device among them."""
    media: int
    off_site: bool
    checked_at: datetime | None
    lacks: tuple[Lack, ...]
    step: Step

    @property
    def whole(self) -> bool:
        return not self.lacks


def three_two_one(
    places: Sequence[Place], *, on_device: bool, has_plan: bool, owed: int, now: datetime, targets_off_site: bool, targets: int
) -> ThreeTwoOne:
    """`owed`: copies that are on their way to another store. `targets`: how many stores its plan has, and whether one lies off site."""
    newest = max((place.newest_at for place in places), default=None)
    counting = [place for place in places if newest is not None and place.newest_at >= newest - LAGS_BEHIND]
    copies, media = len(counting) + (on_device and bool(counting)), len({place.medium for place in counting})
    off_site = any(place.off_site for place in counting)
    checked = max((place.checked_at for place in counting if place.checked_at is not None), default=None)
    if not counting:
        lacks: tuple[Lack, ...] = (Lack.BACKUP,)
    else:
        told = (
            (Lack.COPIES, copies < COPIES), (Lack.OFF_SITE, not off_site), (Lack.MEDIA, media < MEDIA),
            (Lack.CHECK, checked is None or now - checked > CHECKED_FOR),
        )  # fmt: skip
        lacks = tuple(lack for lack, so in told if so)
    step = _step(lacks, has_plan=has_plan, owed=owed, enough=targets >= COPIES - on_device, off_site=targets_off_site)
    return ThreeTwoOne(copies=copies, media=media, off_site=off_site, checked_at=checked, lacks=lacks, step=step)


def _step(lacks: tuple[Lack, ...], *, has_plan: bool, owed: int, enough: bool, off_site: bool) -> Step:
    if not lacks:
        return Step.NONE
    if lacks[0] == Lack.CHECK:
        return Step.CHECK
    if not has_plan:
        return Step.PLAN
    if lacks[0] == Lack.BACKUP:
        return Step.RUN
    planned = off_site if lacks[0] == Lack.OFF_SITE else enough
    return Step.WAIT if planned and owed else Step.TARGET if not planned else Step.WAIT
