"""Look which drives are plugged in: known by what lies on them, wherever they are mounted.

A drive that is back gets first what is to leave it, then what it is owed. One that went without a word is looked through when it is back.
Of a twin, a clone and a stranger each is named, and nothing is written to any of them. What goes on is never decided by a path.
"""

import logging
from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction

from core.content.paths import shown_path
from core.vault.address import DriveAddress
from server import ports
from server.jobs import defer_check, defer_compare, defer_copies, defer_removals
from server.live import publish
from server.people.actions.journal import write_journal
from server.ports import DriveSeen
from server.runs.actions.part_drive import go_on_parting
from server.runs.models import Copy, CopyState
from server.storage.convert import columns_of
from server.storage.models import OUT_OF_USE, Drive, DriveState, Store, StrangeDrive
from server.transition import held, move

log = logging.getLogger("attic.runs")
SETTLES_FOR = timedelta(minutes=10)
"""At the longest do copies wait for what is to leave a drive that is back."""
SEEN_EVERY = timedelta(minutes=5)


def look_for_drives(*, now: datetime) -> int:
    """How many came, went, or are there twice now or no longer. Raises StoreError when nobody can look."""
    drives = list(Drive.objects.select_related("store").exclude(store__mode__in=OUT_OF_USE))
    if not drives and not StrangeDrive.objects.exists():  # an office without drives has nothing to look for
        return 0
    seen: dict[str, list[DriveSeen]] = {}
    for one in ports.stores().drives([drive.store.where for drive in drives]):
        seen.setdefault(one.store, []).append(one)
    changed = 0
    for drive in drives:
        try:
            changed += _looked_at(drive.store_id, seen.pop(drive.store.vault_id, []), now)
        except Exception:  # one drive that cannot be told takes no other with it
            log.exception("it could not be told where the drive %s is", drive.store.name)
    _strangers(seen, now)
    for drive in Drive.objects.filter(state=DriveState.PARTING).select_related("store"):
        go_on_parting(drive.store)
    if changed:
        publish("changed", "stores")
    return changed


def _looked_at(id: UUID, places: Sequence[DriveSeen], now: datetime) -> bool:
    with transaction.atomic():
        drive = held(Drive, id, "store")
        doubled = _twins(drive, places, now)
        if not places:
            return _gone(drive, now) or doubled
        if drive.store.where not in [one.path for one in places]:
            _moved(drive.store, places[0].path, now)
        if drive.state != DriveState.OUT:
            if drive.seen_at is None or now - drive.seen_at > SEEN_EVERY:
                Drive.objects.filter(store=id).update(seen_at=now)
            return doubled
        return _back(drive, now)


def _twins(drive: Drive, places: Sequence[DriveSeen], now: datetime) -> bool:
    """Whether that is another thing than before."""
    others = sorted(one.path for one in places if one.path != drive.store.where)
    twins = others if len(places) > 1 else []
    if twins == drive.twins:
        return False
    drive.twins = twins
    drive.save(update_fields=["twins"])
    if twins:
        says = f"{drive.store.name} is there twice: at {drive.store.where} and at {', '.join(twins)}. Nothing is written to either."
        facts = {"store": drive.store.name, "where": drive.store.where, "twins": twins}
        write_journal(who=None, what="drive.twice", facts=facts, at=now, store=drive.store_id)
        trouble = {"trouble": says[:300], "trouble_code": "store.twice", "trouble_remedy": "Take one of them out: it is a clone."}
        Store.objects.filter(id=drive.store_id).update(**trouble)
    else:
        Store.objects.filter(id=drive.store_id, trouble_code="store.twice").update(trouble="", trouble_code="", trouble_remedy="")
        defer_compare(drive.store_id)
    return True


def _gone(drive: Drive, now: datetime) -> bool:
    if drive.state == DriveState.OUT:
        return False
    was_told = drive.state == DriveState.PARTED
    pulled_out = drive.pulled_out or not was_told
    move(drive, DriveState.OUT, out_since=now, pulled_out=pulled_out, asked_at=None, asked_by=None, hindered_by="", settling_until=None)
    Store.objects.filter(id=drive.store_id).update(trouble="", trouble_code="", trouble_remedy="")
    write_journal(who=None, what="drive.out", facts={"store": drive.store.name, "told": was_told}, at=now, store=drive.store_id)
    return True


def _moved(store: Store, path: str, now: datetime) -> None:
    """It is mounted elsewhere now."""
    Store.objects.filter(id=store.id).update(**columns_of(DriveAddress(path=path)))
    write_journal(who=None, what="drive.moved", facts={"store": store.name, "path": path, "where": store.where}, at=now, store=store.id)
    store.where = path


def _back(drive: Drive, now: datetime) -> bool:
    id = drive.store_id
    leaving = Copy.objects.filter(store=id, state=CopyState.REMOVING).exists()
    pulled_out = drive.pulled_out
    move(drive, DriveState.HERE, seen_at=now, out_since=None, pulled_out=False, settling_until=now + SETTLES_FOR if leaving else None)
    Store.objects.filter(id=id).update(trouble="", trouble_code="", trouble_remedy="")
    Copy.objects.filter(store=id, state=CopyState.OWED, due_at__gt=now).update(due_at=now, cause="", remedy="")
    defer_compare(id)
    if pulled_out:
        defer_check(id, percent=0, by=None)
    if leaving:
        defer_removals(id)
    else:
        defer_copies(id)
    write_journal(who=None, what="drive.back", facts={"store": drive.store.name}, at=now, store=id)
    return True


def _strangers(seen: dict[str, list[DriveSeen]], now: datetime) -> None:
    """Vaults of nobody here; those that are stores of another medium are none."""
    known = set(Store.objects.filter(vault_id__in=seen).values_list("vault_id", flat=True))
    there = [
        StrangeDrive(vault_id=id[:32], path=shown_path(places[0].path)[:1000], seen_at=now)
        for id, places in seen.items()
        if id not in known
    ]
    gone = StrangeDrive.objects.exclude(vault_id__in=[one.vault_id for one in there])
    if gone.delete()[0] or StrangeDrive.objects.count() != len(there):
        publish("changed", "stores")
    StrangeDrive.objects.bulk_create(there, update_conflicts=True, unique_fields=["vault_id"], update_fields=["path", "seen_at"])
