"""Three copies, on two media, one of them off site: what a device has of that, what is missing, and the one step that mends it.

That rule is common practice, no published source. What is on the device counts as a copy as long as it is in somebody's hands, and its
storage as no medium of its own: a backup beside it would else always lie on two. A copy counts while its backup is about as new as the
newest good one; an old one in another place saves little of what is newer.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from core.coverage.wipe import CHECKED_FOR

COPIES, MEDIA = 3, 2
LAGS_BEHIND = timedelta(days=8)
"""A copy that is brought along once a week is not behind."""


class Lack(StrEnum):
    """What is missing, the worst first."""

    BACKUP = "backup"
    """There is none at all."""
    COPIES = "copies"
    OFF_SITE = "off_site"
    MEDIA = "media"
    CHECK = "check"


class CopyStep(StrEnum):
    """What mends the first lack."""

    RUN = "run"
    """Take a backup."""
    WAIT = "wait"
    """Its plan wants it: look what is on its way."""
    TARGET = "target"
    """Give its plan another store."""
    CHECK = "check"
    """Read a store that holds it."""
    PLAN = "plan"
    """It follows none."""
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyPlace:
    """A store that holds whole backups of the device."""

    store: str
    medium: str
    off_site: bool
    newest_at: datetime
    """Of the newest backup that lies whole there."""
    checked_at: datetime | None
    """Since when the one of its copies there that was checked last is proven."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacesTarget:
    """A store that a plan wants a copy in."""

    medium: str
    off_site: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ThreeTwoOne:
    copies: int
    """That on the device among them."""
    media: int
    off_site: bool
    checked_at: datetime | None
    lacks: tuple[Lack, ...]
    step: CopyStep

    @property
    def whole(self) -> bool:
        return not self.lacks


def three_two_one(places: Sequence[CopyPlace], targets: Sequence[PlacesTarget] | None, *, on_device: bool, now: datetime) -> ThreeTwoOne:
    """`targets`: the stores that its plan wants it in; None for a device that follows no plan."""
    newest = max((place.newest_at for place in places), default=None)
    counting = [place for place in places if newest is not None and place.newest_at >= newest - LAGS_BEHIND]
    checked = max((place.checked_at for place in counting if place.checked_at is not None), default=None)
    lacks = _lacking(counting, on_device)
    if counting and (checked is None or now - checked > CHECKED_FOR):
        lacks = (*lacks, Lack.CHECK)
    return ThreeTwoOne(
        copies=len(counting) + (on_device and bool(counting)),
        media=len({place.medium for place in counting}),
        off_site=any(place.off_site for place in counting),
        checked_at=checked,
        lacks=lacks,
        step=_step(lacks, targets, on_device),
    )


def _lacking(places: Sequence[CopyPlace] | Sequence[PlacesTarget], on_device: bool) -> tuple[Lack, ...]:
    """The worst first; of what lies there, or of what a plan wants."""
    if not places:
        return (Lack.BACKUP,)
    lacks = (
        (Lack.COPIES, len(places) + on_device < COPIES),
        (Lack.OFF_SITE, not any(place.off_site for place in places)),
        (Lack.MEDIA, len({place.medium for place in places}) < MEDIA),
    )
    return tuple(lack for lack, so in lacks if so)


def _step(lacks: tuple[Lack, ...], targets: Sequence[PlacesTarget] | None, on_device: bool) -> CopyStep:
    if not lacks:
        return CopyStep.NONE
    if lacks[0] == Lack.CHECK:
        return CopyStep.CHECK
    if targets is None:
        return CopyStep.PLAN
    if lacks[0] == Lack.BACKUP:
        return CopyStep.RUN
    return CopyStep.TARGET if lacks[0] in _lacking(targets, on_device) else CopyStep.WAIT
