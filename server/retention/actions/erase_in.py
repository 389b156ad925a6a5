"""Erase in one store what is due there: write backups anew or remove them, then look until no pack holds it any more.

Idempotent steps: interrupted anywhere, the next time goes on. What a hold keeps, what is in use and what nothing may leave for
now stays, and is said. When every store is done the records forget the names as well.
"""

from collections.abc import Set
from datetime import datetime, timedelta
from functools import partial
from uuid import UUID

from django.db import transaction
from django.db.models import Q, QuerySet

from core.errors import AtticError
from core.vault.erase import erase, holding
from core.vault.erase_whole import erase_whole, lying_about
from core.vault.vault import Vault
from server.api.problems import Conflict
from server.fleet.models import Device
from server.live import publish
from server.locks import lock_device, lock_devices
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.queries import office_zone
from server.retention.actions.ask_erasure import add_steps, words_of
from server.retention.actions.forget_erased import forget_erased, forget_items
from server.retention.actions.look_after import sweep_store
from server.retention.freezing import Frozen
from server.retention.models import Erasure, ErasureState, ErasureStep, StepState
from server.runs.convert import told_kinds
from server.runs.models import THERE, Backup, Copy, CopyState, Stray
from server.runs.protection import in_use
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Store
from server.storage.queries import opened_to_write
from server.transition import held, move, transition

AGAIN = timedelta(hours=1)
"""Until a step that could not go on is tried again."""
LOOKED_AGAIN = timedelta(hours=6)
"""Until it is looked for again what sweeps have left: that reads every list, and two grace periods pass before anything goes."""


def erase_in(store_id: UUID, *, now: datetime) -> int:
    """How many steps went on. Raises ClockInDoubt. One erasure that cannot go on holds up no other."""
    believe_clock()
    today = now.astimezone(office_zone()).date()
    steps = ErasureStep.objects.filter(store=store_id).exclude(state=StepState.GONE)
    due = Q(erasure__state=ErasureState.UNDER_WAY) | Q(erasure__state=ErasureState.ASKED, erasure__begins_on__lte=today)
    waits = Q(next_try_at=None) | Q(next_try_at__lte=now)
    went_on = 0
    for id in list(steps.filter(due, waits).order_by("id").values_list("id", flat=True)):
        _begin(ErasureStep.objects.values_list("erasure_id", flat=True).get(id=id), now)
        step = ErasureStep.objects.select_related("erasure", "store").get(id=id)
        try:
            went_on += _go_on(step, now)
        except AtticError as error:
            _wait(step, now, error.message, error.remedy)
        except Exception as error:  # whatever it is, the store's page says it
            note_trouble(step.store_id, error)
            _wait(step, now, "It could not be done there.", "Look at the page of the store.")
    publish("changed", "erasures")
    return went_on


def end_empty(*, now: datetime) -> int:
    """Erasures that are due and of which no store has anything: how many were ended."""
    today = now.astimezone(office_zone()).date()
    rows = Erasure.objects.filter(state=ErasureState.ASKED, begins_on__lte=today, steps__isnull=True)
    ids = list(rows.values_list("id", flat=True))
    for id in ids:
        _begin(id, now)
        _end(id, now)
    return len(ids)


@transaction.atomic
def _begin(id: UUID, now: datetime) -> None:
    """From here on it cannot be called off, and no run takes the items again."""
    row = held(Erasure, id)
    if row.state != ErasureState.ASKED:
        return
    devices = list(row.devices.all())
    lock_devices(device.id for device in devices)
    move(row, ErasureState.UNDER_WAY)
    if not row.whole:
        device = Device.objects.select_for_update().get(id=devices[0].id)
        device.erased = sorted({*device.erased, *(one["mark"] for one in row.items)})
        device.save(update_fields=["erased"])
    add_steps(row)
    write_journal(who=None, what="erasure.began", facts={"what": words_of(row)}, at=now)


def _go_on(step: ErasureStep, now: datetime) -> bool:
    row, store = step.erasure, step.store
    devices = list(row.devices.all())
    if step.state == StepState.SWEEPING:
        return _looked(step, devices, now)
    vault = opened_to_write(store)
    backups, held_back, needed = _whole(row, devices, store, vault, now) if row.whole else _items(row, devices[0], store, vault, now)
    names = dict(Device.objects.filter(id__in=[one for one in needed if _is_id(one)]).values_list("id", "name"))
    fields = {
        "backups": step.backups + backups, "held": held_back, "next_try_at": now + (AGAIN if held_back else LOOKED_AGAIN), "remedy": "",
        "needed_by": sorted({names.get(UUID(one), one) if _is_id(one) else one for one in needed}), "trouble": "",
    }  # fmt: skip
    if held_back:
        ErasureStep.objects.filter(id=step.id).update(**fields)
        return bool(backups)
    transition(ErasureStep, step.id, StepState.SWEEPING, **fields, erased_at=now)
    sweep_store(store, now=now)
    return True


def _is_id(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True


def _items(row: Erasure, device: Device, store: Store, vault: Vault, now: datetime) -> tuple[int, int, dict[str, int]]:
    claim = partial(_claim, store, [device])
    report = erase(vault, device=str(device.id), items=_marks(row), request=row.id.bytes, now=now, claim=claim)
    vault.refresh()
    for new, old in report.stand_ins.items():
        _stand_in(vault, store, device, UUID(bytes=old), UUID(bytes=new), now)
    forget_items(device, row.items)
    return len(report.anew), len(report.untouched), report.needed_by


class InUse(Conflict):
    """Somebody was faster."""

    code = "erasure.in_use"
    remedy = "It goes on once that is over."


@transaction.atomic
def _claim(store: Store, devices: list[Device], backups: Set[bytes]) -> set[bytes]:
    """Those that nothing protects, decided under the locks of their devices: from here on nothing can. Raises InUse."""
    lock_devices(device.id for device in devices)
    ids = {UUID(bytes=id) for id in backups}
    if any(Frozen.read().holds(store.id, device.team_id) for device in devices):
        raise InUse("Nothing may leave there for now.", remedy="It goes on once that is lifted.")
    if ids & in_use(*(device.id for device in devices)):
        raise InUse("A restore or a copy reads from one of these backups.")
    held_ids = set(Backup.objects.filter(id__in=ids).exclude(hold_reason="").values_list("id", flat=True))
    Backup.objects.filter(id__in=ids - held_ids).update(being_erased=True)
    return {id.bytes for id in ids - held_ids}


@transaction.atomic
def _stand_in(vault: Vault, store: Store, device: Device, old_id: UUID, new_id: UUID, now: datetime) -> None:
    """The list follows the store: the backup that was written anew takes the place of the one before. A second time nothing happens."""
    lock_device(device.id)
    old, manifest = Backup.objects.select_for_update().filter(id=old_id).first(), vault.manifest(new_id.bytes)
    fields = {"device": device, "finished_at": manifest.finished_at, "family": device.family, "items": manifest.items,
            "size_bytes": manifest.size_bytes, "kinds": told_kinds(manifest), "stands_for": old_id}  # fmt: skip
    if old is not None:
        fields |= {name: getattr(old, name) for name in _KEPT}
    new, made = Backup.objects.get_or_create(id=new_id, defaults=fields)
    if made and old is not None and old.run_id is not None:
        run, old.run = old.run_id, None
        old.save(update_fields=["run"])
        Backup.objects.filter(id=new.id).update(run=run)
    Stray.objects.filter(store=store, backup_id__in=(old_id, new_id)).delete()
    there = Copy.objects.filter(backup=new, store=store).first()
    if there is None:
        Copy.objects.create(backup=new, store=store)
    elif there.state not in THERE:
        Copy.objects.filter(id=there.id).update(state=CopyState.PRESENT, intact=True, removed_at=None, cause="", remedy="")
    _forgotten(Copy.objects.filter(backup_id=old_id, store=store), now)
    Copy.objects.filter(backup_id=old_id, state__in=(CopyState.OWED, CopyState.FAILED)).delete()


_KEPT = ("family", "os_version", "update_pending", "encrypted", "in_doubt", "suspect", "lacking", "occasion", "note", "imported_from",
         "looked_at", "looked_by")  # fmt: skip


def _forgotten(rows: QuerySet[Copy], now: datetime) -> None:
    """Copies that the store has forgotten already."""
    for id in list(rows.exclude(state=CopyState.REMOVED).values_list("id", flat=True)):
        copy = held(Copy, id)
        if copy.state in (CopyState.OWED, CopyState.FAILED, CopyState.COPYING):
            copy.delete()
            continue
        move(copy, CopyState.REMOVED, removed_at=now, removed_why="erased on request", cause="", remedy="")


def _whole(row: Erasure, devices: list[Device], store: Store, vault: Vault, now: datetime) -> tuple[int, int, dict[str, int]]:
    mine = {str(device.id) for device in devices}
    there = {manifest.id for manifest in vault.manifests() if manifest.device in mine}
    going = _claim(store, devices, there)
    needed = erase_whole(vault, going, now=now)
    kept = [UUID(bytes=id) for id in there - going]
    with transaction.atomic():
        lock_devices(device.id for device in devices)
        _forgotten(Copy.objects.filter(store=store, backup__device__in=devices).exclude(backup__in=kept), now)
        Stray.objects.filter(store=store, backup_id__in=[UUID(bytes=id) for id in going]).delete()
    return len(going), len(kept), {device: count for device, count in needed.items() if device not in mine}


def _marks(row: Erasure) -> list[tuple[str, str]]:
    return [(one["kind"], one["mark"]) for one in row.items]


def _looked(step: ErasureStep, devices: list[Device], now: datetime) -> bool:
    """Whether it is gone from there. What has come back meanwhile is erased again."""
    row, vault = step.erasure, opened_to_write(step.store)
    mine = {str(device.id) for device in devices}
    if row.whole:
        left = any(manifest.device in mine for manifest in vault.manifests())
    else:
        left = bool(holding(vault, device=str(devices[0].id), items=_marks(row)))
    if left:
        transition(ErasureStep, step.id, StepState.WAITING, next_try_at=None)
        return False
    if lying_about(vault):
        sweep_store(step.store, now=now)
        ErasureStep.objects.filter(id=step.id).update(next_try_at=now + LOOKED_AGAIN, trouble="", remedy="")
        return False
    transition(ErasureStep, step.id, StepState.GONE, gone_at=now, trouble="", remedy="", next_try_at=None)
    _end(row.id, now)
    return True


@transaction.atomic
def _end(id: UUID, now: datetime) -> None:
    """Once it is gone everywhere the records forget the names, too."""
    row = held(Erasure, id)
    add_steps(row)
    if row.state != ErasureState.UNDER_WAY or row.steps.exclude(state=StepState.GONE).exists():
        return
    lock_devices(device.id for device in row.devices.all())
    says = words_of(row)
    forget_erased(row)
    move(row, ErasureState.DONE, done_at=now)
    write_journal(who=None, what="erasure.done", facts={"says": says}, at=now)


def _wait(step: ErasureStep, now: datetime, trouble: str, remedy: str) -> None:
    ErasureStep.objects.filter(id=step.id).update(trouble=trouble[:600], remedy=remedy[:600], next_try_at=now + AGAIN)


def look_again(backup: Backup) -> None:
    """A backup of a device has come into a store by another way than a run: what was erased may have come with it."""
    rows = Erasure.objects.filter(
        devices=backup.device_id,
        state__in=(ErasureState.ASKED, ErasureState.UNDER_WAY, ErasureState.DONE),
        taken_again_at=None,
        asked_at__gt=backup.finished_at,
    )
    stores = set(backup.copies.filter(state__in=THERE).values_list("store_id", flat=True))
    for row in rows.select_for_update(of=("self",)):
        for store in stores:
            ErasureStep.objects.get_or_create(erasure=row, store_id=store)
        reopened = row.steps.filter(store__in=stores, state=StepState.GONE).update(state=StepState.WAITING, gone_at=None, next_try_at=None)
        if row.state == ErasureState.DONE and (reopened or row.steps.exclude(state=StepState.GONE).exists()):
            move(row, ErasureState.UNDER_WAY, done_at=None)
