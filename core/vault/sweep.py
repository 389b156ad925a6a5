"""Getting space back, in two phases (§9): mark packs that are mostly unneeded, remove them after a grace period.

Safe beside running backups without a lock: a writer looks for marks before it commits and once more after it,
and moves what it needs out of marked packs; a marked pack goes only after the grace period, and only when by
then no backup needs anything that lies nowhere else. What a pack holds that is needed is copied into new packs
first. A second sweep at the same time does no harm, it only does the work twice.
"""

import json
from collections.abc import Callable, Iterable, Set
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from itertools import pairwise

import numpy as np

from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.bundles import Bundles, bundle_anew, bundles_of
from core.vault.chunks import Mark
from core.vault.dry import DryBlobs
from core.vault.erased import forget_erased, told_erased, where_erased
from core.vault.errors import Damaged, Stopped, StoreHolds
from core.vault.fetching import fetch
from core.vault.ledger import put_together
from core.vault.manifests import Manifest
from core.vault.needs import Needs, needs_of
from core.vault.packs import ENTRY, Entries, encode_index, footer_bytes, ids_of
from core.vault.revisions import encoded
from core.vault.sweeper import Sweeper, claim_sweeping
from core.vault.vault import Vault
from core.vault.writer import Writer

_MOST_LOOKS = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class SweepReport:
    freed_bytes: int
    """What the store's packs have shrunk by; for a plan, what they will shrink by once it is carried through."""
    marked_bytes: int
    """Packs that go after the grace period."""
    kept_bytes: int
    """Everything in the store afterwards."""
    held: tuple[bytes, ...] = ()
    """Packs that were to go and that the place did not let go of; the next sweep tries again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """What every backup needs, and the index that knows it."""

    manifests: list[Manifest]
    needs: Needs
    bundles: Bundles
    erased: set[bytes]
    """Chunks that were erased on request."""


def _unreadable_marks(vault: Vault) -> list[str]:
    return [name for name in vault.unreadable if name.startswith(names.MARKS)]


@dataclass(slots=True, kw_only=True)
class SweepPlan:
    """What a sweep would do now."""

    doomed: list[bytes] = field(default_factory=list)
    """Packs that go, unmarked ones and marked ones."""
    moving: list[bytes] = field(default_factory=list)
    """Chunks in them that are needed, in the order in which they lie."""
    doomed_bytes: int = 0
    moved: list[int] = field(default_factory=list)
    """How many chunks each of the new packs will hold."""
    moved_bytes: int = 0
    """What the new packs will occupy."""
    erased: bool = False
    """Whether anything that was erased is noted."""

    @property
    def freed_bytes(self) -> int:
        return self.doomed_bytes - self.moved_bytes


def plan_sweep(vault: Vault) -> SweepReport:
    """A dry run: exactly what a sweep frees once it is carried through, and what stays. Raises Damaged."""
    dry = Vault(DryBlobs(vault.blobs), vault.keys, store=vault.store, random=vault.random, limits=vault.limits)
    marks = dry.marks().values()
    already = sum(mark.moved_bytes for mark in marks)
    bundles, added = _bundled(dry, lambda: False)
    plan = _plan(dry, set(dry.ids(names.PACKS)), bundles)
    marked = sum(size for pack, size in dry.ids(names.PACKS).items() if pack in plan.doomed)
    if plan.doomed:
        _carry_through(dry, plan)
    put_together(dry)
    kept = dry.stored_bytes() + (plan.moved_bytes if plan.doomed else 0)
    return SweepReport(freed_bytes=plan.freed_bytes - already - added, marked_bytes=marked, kept_bytes=kept)


def _carry_through(dry: Vault, plan: SweepPlan) -> None:
    """On a store that only seems to be: everything that both phases would leave, but for the packs that would be written."""
    coming = [(bytes(16), np.zeros(count, dtype=ENTRY)) for count in plan.moved]
    entries, doomed = dry.index.all_entries(), set(plan.doomed)
    gone = np.repeat([pack in doomed for pack in dry.index.pack_ids], np.diff(dry.index.starts))
    _replace_index(dry, set(plan.doomed), coming)
    for pack in plan.doomed:
        dry.blobs.delete(pack_name(pack))
    for name in dry.marks():
        dry.blobs.delete(name)
    _forget_damage(dry, set(plan.doomed))
    stays = where_erased(entries, told_erased(dry)) & ~gone
    forget_erased(dry, {*ids_of(entries[stays]), *plan.moving})
    _put_revisions_together(dry)


def sweep(
    vault: Vault,
    *,
    now: datetime,
    by: Sweeper | None = None,
    grace_seconds: float | None = None,
    should_stop: Callable[[], bool] = lambda: False,
) -> SweepReport:
    """Both phases. Raises, having removed nothing, Damaged when it cannot be told what some backup needs, SweptByAnother (§9.9)."""
    claim_sweeping(vault, by, now=now)
    grace = vault.limits.grace_seconds if grace_seconds is None else grace_seconds
    erased = _mark(vault, now=now, should_stop=should_stop)
    freed, held = _remove_due(vault, now=now, grace=timedelta(seconds=grace), should_stop=should_stop)
    if erased:
        _forget_erased(vault)
    put_together(vault)
    sizes = vault.ids(names.PACKS)
    marked = {pack for mark in vault.marks().values() for pack in mark.packs}
    waiting = sum(sizes.get(pack, 0) for pack in marked)
    return SweepReport(freed_bytes=freed, marked_bytes=waiting, kept_bytes=vault.stored_bytes(), held=held)


def all_manifests(vault: Vault) -> list[Manifest]:
    """Every backup. Raises Damaged when one cannot be read: nobody can tell then what it needs."""
    vault.unreadable.clear()  # what could not be read some time ago may have been mended since
    manifests = vault.manifests()
    unreadable = [name for name in vault.unreadable if name.startswith((names.MANIFESTS, names.REVISIONS))]
    if unreadable:
        raise Damaged(
            f"Object {unreadable[0]} cannot be read, so nobody can tell what its backups need. Nothing was removed.",
            remedy="Repair the store or remove that backup, then sweep again.",
        )
    return manifests


def look(vault: Vault) -> Look:
    """What all backups need. Raises Damaged when that cannot be told."""
    for _ in range(_MOST_LOOKS):
        # manifests first: what they need was there before them
        manifests = all_manifests(vault)
        vault.refresh()
        needs = needs_of(vault, manifests)
        if not needs.damaged:
            break  # else another sweep may have moved it meanwhile
    if needs.damaged:
        chunk = next(iter(needs.damaged))
        touched = next(backup for backup in needs.kinds if chunk in needs.trees(backup))
        raise Damaged(
            f"A part of backup {touched.hex()} cannot be read, so nobody can tell what it needs. Nothing was removed.",
            remedy="Repair or remove that backup, then sweep again.",
        )
    vault.index.settle()
    return Look(manifests=manifests, needs=needs, bundles=bundles_of(vault, manifests, needs), erased=told_erased(vault))


def _plan(vault: Vault, among: Set[bytes], seen: Look) -> SweepPlan:
    """Which of these packs go; the same for the same store. One that was marked while its backup was being made stays."""
    needs = seen.needs
    index, sizes = vault.index, vault.ids(names.PACKS)
    live, entries, limits = needs.live(len(index.lengths)), index.all_entries(), vault.limits
    worth = seen.bundles.kept(index.lengths, live)
    # marked ones are put together already, and only wait
    small = {pack for pack in index.pack_ids if pack not in index.marked and sizes.get(pack, 0) < limits.pack_bytes // 4}
    if len(small) <= limits.most_small_packs:
        small = set()
    erased = where_erased(entries, seen.erased)
    plan, lengths = SweepPlan(erased=bool(seen.erased)), list[int]()
    for pack, (first, last) in zip(index.pack_ids, pairwise(index.starts.tolist()), strict=True):
        if pack not in among:
            continue
        needed = np.flatnonzero(live[first:last]) + first
        held, kept = int(index.lengths[first:last].sum(dtype=np.int64)), int(worth[first:last].sum())
        wasteful = (held - kept) * 100 > held * limits.waste_percent
        unwanted = erased[first:last].any() and not live[first:last][erased[first:last]].all()
        if wasteful or unwanted or first == last or pack in small or pack in index.damage:
            plan.doomed.append(pack)
            plan.moving += ids_of(entries[needed])
            lengths += index.lengths[needed].tolist()
    if not needs.incomplete:
        # what cannot be read at all, and nothing is missing without it
        plan.doomed += [pack for pack in sorted(among) if pack not in index and pack_name(pack) in vault.unreadable]
    plan.doomed_bytes = sum(sizes.get(pack, 0) for pack in plan.doomed)
    plan.moved = _packed(lengths, limits.pack_bytes)
    plan.moved_bytes = sum(lengths) + sum(map(footer_bytes, plan.moved))
    return plan


def _packed(lengths: list[int], pack_bytes: int) -> list[int]:
    """How many chunks each pack holds that a writer makes of chunks of these sealed lengths."""
    counts, held, count = list[int](), 0, 0
    for length in lengths:
        held, count = held + length, count + 1
        if held >= pack_bytes:
            counts.append(count)
            held = count = 0
    return [*counts, count] if count else counts


def _bundled(vault: Vault, should_stop: Callable[[], bool]) -> tuple[Look, int]:
    """Bundles of packs that would go, and of which more than the threshold is dead, are bundled anew: what is needed then, and
    what the new ones occupy."""
    seen = look(vault)
    wasteful = seen.bundles.wasteful(vault.limits.waste_percent)
    doomed = set(_plan(vault, _unmarked(vault), seen).doomed) if wasteful else set()
    going = [number for number in wasteful if vault.index.pack_at(number) in doomed]
    if not going:
        return seen, 0
    ids = set(ids_of(vault.index.all_entries()[sorted(going)]))
    added = bundle_anew(vault, seen.manifests, seen.needs, ids, should_stop=should_stop)
    return look(vault), added


def _unmarked(vault: Vault) -> Set[bytes]:
    return vault.ids(names.PACKS).keys() - vault.index.marked


def _made_ready(vault: Vault, should_stop: Callable[[], bool]) -> tuple[SweepPlan, int]:
    """What goes, when all that is needed of it lies elsewhere; and what that occupies. Raises Damaged."""

    def once() -> tuple[SweepPlan, int]:
        bundles, added = _bundled(vault, should_stop)
        plan = _plan(vault, _unmarked(vault), bundles)
        return plan, added + _move(vault, plan.moving, should_stop)

    for _ in range(_MOST_LOOKS - 1):
        try:
            return once()
        except Damaged:
            continue  # another sweep may have moved it meanwhile; the last try says what is wrong
    return once()


def _put_revisions_together(vault: Vault) -> None:
    """One object of those that count, instead of all that were."""
    ids, revisions, ledger = set(vault.backup_ids()), vault.revisions.now(), vault.ledger()
    staying = {backup: one for backup, one in revisions.items() if backup in ids and one.stay == ledger.stay(backup)}
    old = vault.revisions.objects()
    if len(old) <= 1 and len(staying) == len(revisions):
        return
    if staying:
        vault.write_object(names.REVISIONS, encoded(staying))
    for name in old:
        vault.blobs.delete(name)


def _mark(vault: Vault, *, now: datetime, should_stop: Callable[[], bool]) -> bool:
    """Phase one: copy what is needed out of wasteful packs, then mark them. Whether anything that was erased is noted."""
    vault.refresh()
    if unreadable := _unreadable_marks(vault):
        for name in unreadable:
            del vault.unreadable[name]
        vault.marks()  # looked at once more: what cannot be read now, in seal or in sense, stays so
        for name in _unreadable_marks(vault):
            vault.blobs.delete(name)  # it only told what some sweep meant to do; this one decides anew
    plan, moved = _made_ready(vault, should_stop)
    if plan.doomed:
        _write_mark(vault, Mark(at=now, packs=tuple(sorted(plan.doomed)), moved_bytes=moved))
    return plan.erased


def _write_mark(vault: Vault, mark: Mark) -> str:
    fields: dict[str, object] = {"at": mark.at.isoformat(), "packs": b"".join(mark.packs).hex(), "moved_bytes": mark.moved_bytes}
    if mark.seen_at is not None:
        fields["seen_at"] = mark.seen_at.isoformat()
    return vault.write_object(names.MARKS, json.dumps(fields).encode())


def _due(vault: Vault, *, now: datetime, grace: timedelta) -> dict[str, Mark]:
    """Marks that may be carried out. Those that are seen again a grace period after they were made are written down so."""
    due: dict[str, Mark] = {}
    for name, mark in vault.marks().items():
        if not grace:
            due[name] = mark  # somebody says that nobody writes here now
        elif mark.at > now or (mark.seen_at is not None and mark.seen_at > now):
            _write_mark(vault, replace(mark, at=now, seen_at=None))  # a clock was wrong: it waits as if it were new
            vault.blobs.delete(name)
        elif mark.seen_at is not None and mark.seen_at - mark.at >= grace:
            if now - mark.seen_at >= grace:
                due[name] = mark
        elif now - mark.at >= grace:
            sighted = replace(mark, seen_at=now)
            again = _write_mark(vault, sighted)
            made, seen = vault.blobs.dated(name), vault.blobs.dated(again)
            vault.blobs.delete(name)
            if made is not None and seen is not None and seen - made >= grace:
                due[again] = sighted
    return due


def due_bytes(vault: Vault, *, now: datetime) -> int:
    """What the next sweep gives back at once: packs whose grace period is over, without what has to move out of them first. Changes
    nothing. Raises Damaged, StoreError."""
    dry = Vault(DryBlobs(vault.blobs), vault.keys, store=vault.store, random=vault.random, limits=vault.limits)
    due = _due(dry, now=now, grace=timedelta(seconds=vault.limits.grace_seconds))
    if not due:
        return 0
    sizes = dry.ids(names.PACKS)
    return _plan(dry, {pack for mark in due.values() for pack in mark.packs if pack in sizes}, look(dry)).freed_bytes


def _remove_due(vault: Vault, *, now: datetime, grace: timedelta, should_stop: Callable[[], bool]) -> tuple[int, tuple[bytes, ...]]:
    """Phase two: (bytes freed, packs that the place holds on to). Looks at all marks and all backups anew: what is needed by now is
    moved out first."""
    due = _due(vault, now=now, grace=grace)
    if not due:
        return 0, ()
    sizes = vault.ids(names.PACKS)
    seen = look(vault)
    plan = _plan(vault, {pack for mark in due.values() for pack in mark.packs if pack in sizes}, seen)
    moved = _move(vault, plan.moving, should_stop) + sum(mark.moved_bytes for mark in due.values())
    going = set(plan.doomed)
    _replace_index(vault, going)
    held: list[bytes] = []
    for pack in sorted(going):
        try:
            vault.blobs.delete(pack_name(pack))
        except StoreHolds:
            held.append(pack)  # it lies there still, and is looked at again by the next sweep
    for name in due:
        vault.blobs.delete(name)
    _forget_damage(vault, going)
    _put_revisions_together(vault)
    vault.refresh()
    return sum(sizes[pack] for pack in going.difference(held)) - moved, tuple(held)


def _move(vault: Vault, chunks: list[bytes], should_stop: Callable[[], bool]) -> int:
    """Copy chunks, as they are sealed, into new packs: what those occupy. Raises Damaged when one is not whole."""
    if not chunks:
        return 0
    writer = Writer(vault, fresh=False)
    try:
        for chunk, sealed in fetch(vault, chunks, raw=True):
            if should_stop():
                raise Stopped("The sweep was stopped.")
            if isinstance(sealed, Damaged):
                raise Damaged(sealed.message, remedy="Run a full check of the store, then sweep again. Nothing was removed.")
            writer.move_chunk(chunk, sealed)
        writer.flush()
    finally:
        writer.close()
    return writer.packed_bytes


def _replace_index(vault: Vault, going: set[bytes], coming: Iterable[tuple[bytes, Entries]] = ()) -> None:
    """One index object of what stays instead of all that were."""
    old = vault.index_objects()
    vault.index.settle()
    staying = [(pack, entries) for pack, entries in vault.index.packs() if pack not in going and pack not in vault.index.damage]
    staying += coming
    written = vault.write_object(names.INDEXES, encode_index(staying), compress=False) if staying else ""
    for name in old:
        if name != written:
            vault.blobs.delete(name)


def _forget_erased(vault: Vault) -> None:
    """Notes of what was erased go once no pack holds it."""
    vault.refresh()
    entries = vault.index.all_entries()
    forget_erased(vault, set(ids_of(entries[where_erased(entries, told_erased(vault))])))


def _forget_damage(vault: Vault, gone: set[bytes]) -> None:
    """Notes of damage all of whose packs are gone go, too."""
    present = vault.ids(names.PACKS).keys() - gone
    for name, record in vault.told(names.DAMAGE).items():
        packs = record.get("packs", {}) if isinstance(record, dict) else {}
        if not any(bytes.fromhex(pack) in present for pack in packs):
            vault.blobs.delete(name)
