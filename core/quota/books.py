"""The books of one store: what teams, devices, kinds and backups occupy, and what is nobody's, together all that lies there.

Shares divide downwards: the store's among teams, a team's among its devices, a device's among its kinds or among its backups. What
others are told (holders, plans) are sets of devices: their fair share is the sum of their devices', what they need alone is their own.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from core.quota.shares import ByteShare, Numbers, SharePart, divide, whole
from core.vault.accounting import Accounts, Remains
from core.vault.manifests import Manifest


@dataclass(frozen=True, slots=True, kw_only=True)
class BookRow:
    share: ByteShare
    logical_bytes: int
    """What its backups would hold if each lay by itself, as it was on the device."""
    backups: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Nobodys:
    """What lies in a store for no backup that stays."""

    leaving_bytes: int
    """Needed by backups alone that are about to leave."""
    remains: Remains

    @property
    def sum_bytes(self) -> int:
        return self.leaving_bytes + self.remains.sum_bytes


class Books:
    """`teams`: device, as manifests name it → its team; those that are not named are of none. `leaving`: ids of backups; `held`:
    packs that the place does not let go of."""

    def __init__(self, accounts: Accounts, teams: Mapping[str, str], leaving: Collection[bytes] = (), held: Collection[bytes] = ()) -> None:
        self._accounts, self._held = accounts, frozenset(held)
        going = set(leaving)
        self._of: dict[str, list[Manifest]] = defaultdict(list)
        for manifest in accounts.manifests:
            if manifest.id not in going:
                self._of[manifest.device].append(manifest)
        self._needed = {device: accounts.needed(one.id for one in mine) for device, mine in self._of.items()}
        self._claims = np.zeros(len(accounts.lengths), dtype=np.int32)
        for numbers in self._needed.values():
            self._claims[numbers] += 1
        by_team: dict[str, list[str]] = defaultdict(list)
        for device in self._of:
            by_team[teams.get(device, "")].append(device)
        parts = divide(
            whole(np.flatnonzero(self._claims), accounts.lengths),
            {team: self._united(devices) for team, devices in by_team.items()},
            accounts.lengths,
        )
        self._teams = {team: (part, by_team[team]) for team, part in parts.items()}
        self._devices: dict[str, SharePart] = {}
        for part, devices in self._teams.values():
            self._devices |= divide(part, {device: self._needed[device] for device in devices}, accounts.lengths)

    # -- rows

    @property
    def devices(self) -> dict[str, BookRow]:
        return {device: self._row(part.share, [device]) for device, part in self._devices.items()}

    @property
    def teams(self) -> dict[str, BookRow]:
        """Those without a team are under an empty name."""
        return {team: self._row(part.share, devices) for team, (part, devices) in self._teams.items()}

    def kinds_of(self, device: str) -> dict[str, BookRow]:
        """What was given to the device, by kind; manifests and what ties kinds together under an empty name."""
        ids = [manifest.id for manifest in self._of[device]]
        kinds = sorted({summary.kind for manifest in self._of[device] for summary in manifest.trees})
        needed = {kind: numbers for kind in kinds if len(numbers := self._accounts.needed(ids, kind))}
        parts = divide(self._devices[device], needed | {"": self._accounts.roots(ids)}, self._accounts.lengths)
        logical: dict[str, int] = defaultdict(int)
        holding: dict[str, int] = defaultdict(int)
        for manifest in self._of[device]:
            for summary in manifest.kinds:
                logical[summary.kind] += summary.size_bytes
                holding[summary.kind] += summary.items > 0
        return {
            kind: BookRow(share=part.share, logical_bytes=logical[kind], backups=holding[kind] if kind else len(ids))
            for kind, part in parts.items()
        }

    def backups_of(self, device: str) -> dict[bytes, BookRow]:
        """What was given to the device, by backup."""
        needed = {manifest.id: self._accounts.needed([manifest.id]) for manifest in self._of[device]}
        parts = divide(self._devices[device], needed, self._accounts.lengths)
        return {
            manifest.id: BookRow(share=parts[manifest.id].share, logical_bytes=manifest.size_bytes, backups=1)
            for manifest in self._of[device]
        }

    def together(self, devices: Iterable[str]) -> BookRow | None:
        """Of a set of devices; None when none of them has anything here."""
        mine = [device for device in devices if device in self._devices]
        if not mine:
            return None
        inside = np.zeros_like(self._claims)
        for device in mine:
            inside[self._needed[device]] += 1
        lengths = self._accounts.lengths
        alone = int(lengths[(inside > 0) & (inside == self._claims)].sum())
        shared = int(lengths[(inside > 0) & (inside < self._claims)].sum())
        fair = sum(self._devices[device].share.fair_bytes for device in mine)
        return self._row(ByteShare(alone_bytes=alone, shared_bytes=shared, fair_bytes=fair), mine)

    @cached_property
    def nobodys(self) -> Nobodys:
        every = self._accounts.needed(manifest.id for manifest in self._accounts.manifests)
        leaving = int(self._accounts.lengths[every].sum()) - int(self._accounts.lengths[self._claims > 0].sum())
        return Nobodys(leaving_bytes=leaving, remains=self._accounts.remains(self._held))

    # -- inside

    def _united(self, devices: Iterable[str]) -> Numbers:
        values = np.zeros(len(self._claims), dtype=np.bool_)
        for device in devices:
            values[self._needed[device]] = True
        return np.flatnonzero(values)

    def _row(self, share: ByteShare, devices: Iterable[str]) -> BookRow:
        mine = [manifest for device in devices for manifest in self._of[device]]
        return BookRow(share=share, logical_bytes=sum(manifest.size_bytes for manifest in mine), backups=len(mine))
