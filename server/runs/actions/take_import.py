"""Bring in what was backed up before: look into it first, then take it as a backup of a device at its true date.

Looking changes nothing. What was brought in is on hold until somebody releases it, because no rule knows when its
like will come again.
"""

import shutil
import time
from collections.abc import Iterable
from contextlib import ExitStack
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from core.content.errors import DeviceFull
from core.content.items import clean_name
from core.content.kinds import KIND_CODES
from core.content.left_out import reason_of
from core.content.link import DeviceLink
from core.errors import AtticError, BadInput
from core.vault.capture import Capture, Captured, Progress, Request
from core.vault.writer import Writer
from server import ports
from server.api.problems import Conflict
from server.fleet.convert import put_away
from server.fleet.models import Device
from server.jobs import SCAN_IMPORT, SILENT, TAKE_IMPORT, defer_import, defer_import_scan
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.moments import written
from server.people.queries import office_zone
from server.ports import OldLink
from server.runs.actions.scan_device import kinds_in
from server.runs.arrivals import arrived
from server.runs.convert import told_kinds
from server.runs.models import Backup, Copy, Import, ImportState
from server.storage.actions.note_newest import note_newest
from server.storage.models import Store
from server.storage.queries import opened
from server.transition import held, move
from server.unforeseen import ending_of

MAX_UPLOAD_BYTES = 64 << 30
SHOWN_ASIDE = 200
BUSY = (ImportState.SCANNING, ImportState.WAITING, ImportState.IMPORTING)


def scan_path(path: str, *, by: User) -> Import:
    """Something that lies on the server. Raises BadInput."""
    place = ports.stores().place(path)
    if not place.exists():
        raise BadInput(f"There is nothing at {path}.", field="path", remedy="Correct the path, or mount the drive.")
    return _begin(Import(name=place.name or path, path=str(place)), by=by)


def scan_upload(name: str, pieces: Iterable[bytes], *, by: User) -> Import:
    """Something that the browser sends, kept in a folder of its own until it has been taken. Raises DeviceFull, BadInput."""
    shown = clean_name(name.replace("\\", "/").rpartition("/")[2])[:200]
    id = uuid4()
    folder = ports.results().incoming / str(id)
    folder.mkdir(parents=True, mode=0o700)
    target = folder / f"upload{Path(shown).suffix[:10]}"
    count = 0
    try:
        with target.open("xb") as file:
            for piece in pieces:
                count += len(piece)
                if count > MAX_UPLOAD_BYTES:
                    raise BadInput("The file is larger than 64 GiB.", field="file", remedy="Copy it to the server and give its path.")
                file.write(piece)
    except OSError as error:
        shutil.rmtree(folder, ignore_errors=True)
        raise DeviceFull(f"The server could not keep the file: {error.strerror}.", remedy="Free room on the server.") from None
    except AtticError:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return _begin(Import(id=id, name=shown, path=str(target), uploaded=True), by=by)


def _begin(import_: Import, *, by: User) -> Import:
    import_.by, import_.at = by, ports.clock().now()
    with transaction.atomic():
        import_.save(force_insert=True)
        defer_import_scan(import_.id)
    return import_


def scan_import(import_id: UUID) -> Import:
    """Find out what is inside. Ends as looked, or failed with its cause, whatever that is."""
    import_ = Import.objects.get(id=import_id)
    if import_.state != ImportState.SCANNING:
        return import_
    try:
        with ExitStack() as leaving:
            link = ports.devices().old_link(Path(import_.path), office_zone())
            leaving.callback(put_away, link)
            ended = _moved(import_id, ImportState.READY, found=_found(link))
    except Exception as error:  # whatever it is, the import ends with it
        ended = _failed(import_id, error)
    publish("imports", str(import_id))
    return ended


def _found(link: OldLink) -> dict[str, Any]:
    kinds, times = kinds_in(link, link.kinds())
    aside = [{"name": one.name, "why": one.why} for one in link.left_aside()]
    fields: dict[str, Any] = {"kinds": kinds, "left_aside": aside[:SHOWN_ASIDE], "left_aside_count": len(aside)}
    return fields | {"oldest_at": min(times).isoformat() if times else None, "newest_at": max(times).isoformat() if times else None}


@transaction.atomic
def ask_import(import_: Import, *, device: Device, store: Store, moment: datetime, by: User) -> Import:
    """Raises Conflict, BadInput."""
    row = held(Import, import_.id)
    if row.state != ImportState.READY:
        raise Conflict("This is not ready to be brought in.", remedy="Wait until it has been looked into, or look into it again.")
    if not row.found.get("kinds"):
        raise BadInput("There is nothing in it that could be brought in.", field="file", remedy="Choose another file or folder.")
    if moment > ports.clock().now() + timedelta(days=1):
        raise BadInput("Its date lies in the future.", field="moment", remedy="Give the day on which it was taken.")
    move(row, ImportState.WAITING, device=device, store=store, moment=moment, by=by)
    defer_import(row.id, device.id)
    return row


def take_import(import_id: UUID) -> Import:
    """Take it. Idempotent: one whose worker died is taken again and uses what was stored."""
    import_ = Import.objects.select_related("device__holder", "device__team", "store").get(id=import_id)
    if import_.state == ImportState.WAITING:
        _moved(import_id, ImportState.IMPORTING)
    elif import_.state != ImportState.IMPORTING:
        return import_
    try:
        with ExitStack() as leaving:
            link = ports.devices().old_link(Path(import_.path), office_zone())
            leaving.callback(put_away, link)
            ended = _recorded(import_, _captured(import_, link))
    except Exception as error:  # whatever it is, the import ends with it
        ended = _failed(import_id, error)
    if ended.state == ImportState.DONE:
        _clear(import_)
    publish("imports", str(import_id))
    publish("changed", "devices")
    return ended


def _subject(import_: Import) -> tuple[Device, datetime, Store]:
    """Of which device it is, of when, and where it goes. Raises NotReady."""
    if import_.device is None or import_.moment is None or import_.store is None:
        raise NotReady("It does not say yet of which device it is, where it goes, or of when it is.")
    return import_.device, import_.moment, import_.store


def _captured(import_: Import, link: DeviceLink) -> Captured:
    device, moment, store = _subject(import_)
    described = {"name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else ""}
    request = Request(
        device=str(device.id),
        device_told=described,
        kinds=tuple(KIND_CODES),
        note=f"brought in from {import_.name}",
        zone=office_zone().key,
    )
    progress = ImportProgress(import_.id)
    capture = Capture(
        link, Writer(opened(store)), request, clock=lambda: moment, on_progress=progress.tell, should_stop=progress.should_stop
    )
    return capture.run(None)


class NotReady(AtticError):
    """A part of what somebody has to say is missing."""

    code = "import.not_ready"
    remedy = "Look into it again, then say of which device it is, where it goes, and of when it is."


class ImportProgress:
    """Passes on how far it is, and hears whether somebody wants it to stop."""

    def __init__(self, id: UUID) -> None:
        self._id, self._asked, self._stop = id, 0.0, False

    def tell(self, progress: Progress) -> None:
        """Keeps it and tells whoever looks."""
        fields = {"stage": progress.stage, "read_bytes": progress.read_bytes, "to_read_bytes": progress.to_read_bytes}
        Import.objects.filter(id=self._id, state=ImportState.IMPORTING).update(progress=fields)
        publish("imports", str(self._id), fields)

    def should_stop(self) -> bool:
        """Asked at most every second."""
        if time.monotonic() - self._asked >= 1:
            self._asked = time.monotonic()
            self._stop = not Import.objects.filter(id=self._id, state=ImportState.IMPORTING, stop_asked=False).exists()
        return self._stop


@transaction.atomic
def _recorded(import_: Import, captured: Captured) -> Import:
    """Record the backup that lies in the store now, even where somebody has ended the import meanwhile."""
    row, manifest = held(Import, import_.id, "by"), captured.manifest
    device, _, store = _subject(import_)
    backup = Backup.objects.create(
        id=UUID(bytes=manifest.id), device=device, finished_at=manifest.finished_at, items=manifest.items,
        size_bytes=manifest.size_bytes, kinds=told_kinds(manifest),
        family=device.family, imported_from=row.name, note=row.name[:200],
        hold_reason="brought in by hand", hold_by=row.by,
    )  # fmt: skip
    Copy.objects.create(backup=backup, store=store)
    arrived(backup)
    note_newest(store.id, backup.id)
    if row.state != ImportState.IMPORTING:
        return row
    aside = list(row.found.get("left_aside", ()))
    aside += [{"name": one.name, "why": reason_of(one.code, one.detail)} for one in captured.skipped]
    counted = row.found | {
        "left_aside": aside[:SHOWN_ASIDE],
        "left_aside_count": row.found.get("left_aside_count", 0) + len(captured.skipped),
    }
    move(row, ImportState.DONE, backup=backup, found=counted, cause="", remedy="", reference="")
    write_journal(
        who=row.by,
        what="backup.brought_in",
        facts={"name": row.name, "device": backup.device.name, "moment": written(manifest.finished_at)},
        at=ports.clock().now(),
        device=backup.device_id,
        store=row.store_id,
    )
    return row


@transaction.atomic
def drop_import(import_: Import, *, by: User) -> None:
    """Forget it, with the uploaded file; a backup that came of it stays. One that is being worked on is stopped first."""
    row = held(Import, import_.id)
    if row.state in BUSY:
        row.stop_asked = True
        row.save(update_fields=["stop_asked"])
        if row.state == ImportState.IMPORTING:
            return  # it ends by itself within a second or two
        move(row, ImportState.FAILED, cause="It was stopped by hand.", remedy="Choose the file or folder again when it suits.")
        return
    _clear(row)
    row.delete()


def lost_imports(*, now: datetime) -> int:
    """Imports that no job speaks of any more are put into the queue again; how many."""
    rows = list(Import.objects.filter(state__in=BUSY, at__lt=now - SILENT))
    if not rows:
        return 0
    jobs = ProcrastinateJob.objects.filter(task_name__in=(SCAN_IMPORT.name, TAKE_IMPORT.name), status__in=("todo", "doing"))
    known = set(jobs.values_list("args__bringing_id", flat=True))
    lost = [row for row in rows if str(row.id) not in known]
    for row in lost:
        if row.state == ImportState.SCANNING or row.device_id is None:
            defer_import_scan(row.id)
        else:
            defer_import(row.id, row.device_id)
    return len(lost)


def _clear(import_: Import) -> None:
    if import_.uploaded:
        shutil.rmtree(Path(import_.path).parent, ignore_errors=True)


@transaction.atomic
def _moved(id: UUID, to: ImportState, **fields: Any) -> Import:
    row = held(Import, id)
    return row if row.stop_asked and row.state == ImportState.FAILED else move(row, to, **fields)


@transaction.atomic
def _failed(id: UUID, error: Exception) -> Import:
    """What nobody foresaw is in the log, under a reference. One that was stopped meanwhile stays as it is."""
    ending, row = ending_of(error, f"import {id}"), held(Import, id)
    if row.state in BUSY:
        move(row, ImportState.FAILED, cause=ending.cause, remedy=ending.remedy, reference=ending.reference)
    return row
