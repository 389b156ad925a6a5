"""The bench on which room is made: what is offered, what any choice of it frees, and what is proposed.

What is at hand of a store answers ticking at once; whoever applies a choice looks anew.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from core.errors import BadInput
from core.quota.ladder import LadderProposal, Move, Rung, propose, together
from core.quota.lasting import Lasting
from core.vault.giving_back import swept_bytes
from server.people.queries import office_zone
from server.retention.freezing import Frozen
from server.retention.room.elsewhere import Elsewhere, more_space
from server.retention.room.offers import RoomOffer, offers
from server.storage.at_hand import AtHand, at_hand
from server.storage.convert import limit_of
from server.storage.models import Store
from server.storage.runways import runways

RUNGS = {
    Rung.WASTE: "Loses nothing", Rung.GONE_DEVICES: "Retired, lost and leavers’ devices", Rung.SOON: "Leaves by itself soon",
    Rung.THIRD_COPIES: "Two other stores hold it", Rung.IN_STEP: "Left out: another service keeps it in step",
    Rung.PICTURES: "Left out: photos and videos", Rung.HAD_AGAIN: "Left out: can be had again", Rung.ATTACHMENTS: "Left out: attachments",
    Rung.THINNING: "Thinner, still there", Rung.MORE_SPACE: "More space",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Bench:
    """Everything that could make room in a store."""

    store: Store
    offers: list[RoomOffer]
    runway: Lasting
    limit_bytes: int | None
    waits_for: list[str]
    """What keeps everything here: days count from its end, as if that were today."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sum:
    """What a choice does."""

    bytes: int
    """That nothing needs any more, and waste."""
    given_back_bytes: int
    """By how much the store is smaller in the end; a sweep does not rewrite what is mostly needed, unless waste was chosen."""
    free_on: date | None
    later_bytes: int
    """What leaving kinds out adds to the first figure, once the backups of now have left by their rules."""
    later_on: date | None
    backups: int
    devices: int
    lasts_until: date | None
    """At the pace of now; None where nothing limits it, or too little is known."""


def bench(store: Store, *, now: datetime) -> Bench:
    """Raises StoreError, VaultError."""
    known = at_hand(store)
    with known.lock:
        offered = offers(store, known.accounts, limits=known.vault.limits, now=now)
    runway = runways([store], now=now)[store.id]
    return Bench(store=store, offers=offered, runway=runway, limit_bytes=limit_of(store), waits_for=_kept(store))


def _kept(store: Store) -> list[str]:
    freezes = Frozen.read().waits_for(store.id)
    whose = [f"team {one.team.name}" if one.team else one.store.name if one.store else "the whole office" for one in freezes]
    return [f"Nothing of {whom} leaves: {one.reason}" for whom, one in zip(whose, freezes, strict=True)]


def chosen(bench: Bench, keys: Collection[str]) -> list[RoomOffer]:
    """Raises BadInput for one that is not offered any more."""
    by_key = {one.move.key: one for one in bench.offers}
    if unknown := sorted(set(keys) - by_key.keys()):
        remedy = "Load the page again: another page may have made that room already."
        raise BadInput(f"{len(unknown)} of what was chosen is not offered any more.", field="moves", remedy=remedy)
    return [by_key[key] for key in keys]


def summed(bench: Bench, picked: Sequence[RoomOffer], *, now: datetime) -> Sum:
    """Raises StoreError, VaultError."""
    known = at_hand(bench.store)
    at_once, in_time = [one for one in picked if one.leaves_out is None], [one for one in picked if one.leaves_out is not None]
    moves = [one.move for one in at_once]
    with known.lock:
        held = together(moves, known.accounts.alone_bytes)
        later = together([*moves, *(one.move for one in in_time)], known.accounts.alone_bytes) - held
        back = _given_back(known, moves) if moves else 0
    return Sum(
        bytes=held, given_back_bytes=back, free_on=max((one.free_on for one in at_once), default=None),
        later_bytes=later, later_on=max((one.free_on for one in in_time), default=None),
        backups=len({id for one in picked for id in one.backups}), devices=len({device for one in picked for device in _touched(one)}),
        lasts_until=_lasts_until(bench, back, now),
    )  # fmt: skip


def _touched(offer: RoomOffer) -> set[UUID]:
    if offer.leaves_out is not None:
        return {device.id for device in offer.leaves_out.devices}
    return {offer.device.id} if offer.device else set()


def _given_back(known: AtHand, moves: Sequence[Move]) -> int:
    """By sweeps that leave no waste, as they are set once room is made."""
    if known.without is None:
        known.without = swept_bytes(known.vault, ())
    going = frozenset().union(*(move.going for move in moves))
    return known.without - swept_bytes(known.vault, going, thoroughly=True)


def _lasts_until(bench: Bench, given_back: int, now: datetime) -> date | None:
    if bench.limit_bytes is None or not bench.runway.pace_bytes or bench.runway.pace_bytes <= 0:
        return None
    left = bench.limit_bytes - bench.store.stored_bytes + given_back
    days = left * 30 / bench.runway.pace_bytes
    today = now.astimezone(office_zone()).date()
    return date.fromordinal(min(today.toordinal() + max(0, int(days)), date.max.toordinal()))


def proposal(bench: Bench, wanted: int, *, by: date | None = None) -> LadderProposal:
    """Of what is offered; kinds to leave out only where a day is given by which their bytes are free. Raises BadInput, StoreError,
    VaultError."""
    if wanted <= 0:
        raise BadInput("That is no room.", field="bytes", remedy="Give more than nothing.")
    known = at_hand(bench.store)
    with known.lock:
        offered = [one.move for one in bench.offers if one.leaves_out is None or (by is not None and one.free_on <= by)]
        return propose(offered, wanted, known.accounts.alone_bytes)


def wanted_until(bench: Bench, until: date, *, now: datetime) -> int:
    """What has to be freed so that it lasts until that day, at the pace of now; nothing when it does anyway. Raises BadInput."""
    days = (until - now.astimezone(office_zone()).date()).days
    if days <= 0:
        raise BadInput("That day is past.", field="until", remedy="Give a day to come.")
    if bench.limit_bytes is None:
        raise BadInput("Nothing limits this store.", field="until", remedy="Give bytes.")
    if bench.runway.pace_bytes is None:
        raise BadInput(
            "Too little is known of how it grows.", field="until", remedy="Give bytes, or wait until it was measured for two weeks."
        )
    return max(0, bench.store.stored_bytes + round(bench.runway.pace_bytes * days / 30) - bench.limit_bytes)


def space(bench: Bench, wanted: int) -> Elsewhere | None:
    """What more room would have to be; None where it is not known what is wanted."""
    return more_space(bench.store, wanted)
