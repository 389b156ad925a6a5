"""Bring in what was backed up before: look into it first, then take it as a backup of a device at its true date.

Looking changes nothing. What was brought in is on hold until somebody releases it, because no rule knows when its
like will come again.
"""

import shutil
from collections.abc import Iterable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction

from core.content.errors import DeviceFull
from core.content.items import clean_name
from core.content.kinds import KIND_CODES
from core.content.link import DeviceLink
from core.errors import AtticError, BadInput
from core.vault.capture import Capture, Captured, Progress, Request
from core.vault.writer import Writer
from server.api.problems import Conflict
from server.fleet.models import Device
from server.outside import OldLink, outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.runs.actions.look_at import kinds_in
from server.runs.convert import told_kinds
from server.runs.live import tell
from server.runs.models import Backup, Bringing, BringingState, Copy
from server.storage.models import Store
from server.storage.queries import opened

MAX_UPLOAD_BYTES = 64 << 30
SHOWN_ASIDE = 200
BUSY = (BringingState.LOOKING, BringingState.WAITING, BringingState.BRINGING)


def look_at_path(path: str, *, by: User) -> Bringing:
    """Something that lies on the server. Raises BadInput."""
    found = Path(path)
    if not found.is_absolute() or ".." in found.parts or "\x00" in path:
        raise BadInput(f"{path!r} is no absolute path.", field="path", remedy="Give the whole path, beginning with /.")
    if not found.exists():
        raise BadInput(f"There is nothing at {path}.", field="path", remedy="Correct the path, or mount the drive.")
    return _begin(Bringing(name=found.name or path, path=path), by=by)


def look_at_upload(name: str, pieces: Iterable[bytes], *, by: User) -> Bringing:
    """Something that the browser sends, kept in a folder of its own until it has been taken. Raises DeviceFull, BadInput."""
    shown = clean_name(name.replace("\\", "/").rpartition("/")[2])[:200]
    id = uuid4()
    folder = outside().incoming / str(id)
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
    return _begin(Bringing(id=id, name=shown, path=str(target), uploaded=True), by=by)


def _begin(bringing: Bringing, *, by: User) -> Bringing:
    from server.runs.tasks import look_into_old

    bringing.by, bringing.at = by, outside().now()
    with transaction.atomic():
        bringing.save(force_insert=True)
        look_into_old.defer(bringing_id=str(bringing.id))
    return bringing


def look_into(bringing_id: UUID) -> Bringing:
    """Find out what is inside. Ends as looked, or failed with its cause."""
    bringing = Bringing.objects.get(id=bringing_id)
    if bringing.state != BringingState.LOOKING:
        return bringing
    link = outside().old_link(Path(bringing.path), office_zone())
    try:
        bringing.found = _found(link)
        bringing.state = BringingState.LOOKED
    except AtticError as error:
        _failed(bringing, error)
    finally:
        link.close()
    bringing.save()
    tell("bringing", str(bringing.id))
    return bringing


def _found(link: OldLink) -> dict[str, Any]:
    kinds, times = kinds_in(link, link.kinds())
    aside = [{"name": one.name, "why": one.why} for one in link.left_aside()]
    told: dict[str, Any] = {"kinds": kinds, "left_aside": aside[:SHOWN_ASIDE], "left_aside_count": len(aside)}
    return told | {"oldest_at": min(times).isoformat() if times else None, "newest_at": max(times).isoformat() if times else None}


def ask_bring_in(bringing: Bringing, *, device: Device, store: Store, moment: datetime, by: User) -> Bringing:
    """Raises Conflict, BadInput."""
    from server.runs.tasks import bring_in_old

    if bringing.state != BringingState.LOOKED:
        raise Conflict("This is not ready to be brought in.", remedy="Wait until it has been looked into, or look into it again.")
    if not bringing.found.get("kinds"):
        raise BadInput("There is nothing in it that could be brought in.", field="file", remedy="Choose another file or folder.")
    if moment > outside().now() + timedelta(days=1):
        raise BadInput("Its date lies in the future.", field="moment", remedy="Give the day on which it was taken.")
    bringing.device, bringing.store, bringing.moment, bringing.by = device, store, moment, by
    bringing.state = BringingState.WAITING
    with transaction.atomic():
        bringing.save()
        bring_in_old.configure(lock=f"device {device.id}").defer(bringing_id=str(bringing.id))
    return bringing


def bring_in(bringing_id: UUID) -> Bringing:
    """Take it. Idempotent: one whose worker died is taken again and uses what was stored."""
    bringing = Bringing.objects.select_related("device__holder", "device__team", "store").get(id=bringing_id)
    if bringing.state not in (BringingState.WAITING, BringingState.BRINGING):
        return bringing
    bringing.state = BringingState.BRINGING
    bringing.save(update_fields=["state"])
    link = outside().old_link(Path(bringing.path), office_zone())
    try:
        _record(bringing, _captured(bringing, link))
    except AtticError as error:
        _failed(bringing, error)
        bringing.save()
    finally:
        link.close()
    if bringing.state == BringingState.DONE:
        _clear(bringing)
    tell("bringing", str(bringing.id))
    tell("changed", "devices")
    return bringing


def _captured(bringing: Bringing, link: DeviceLink) -> Captured:
    device, moment = bringing.device, bringing.moment
    assert device is not None and moment is not None and bringing.store is not None
    told = {"name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else ""}
    request = Request(
        device=str(device.id),
        device_told=told,
        kinds=tuple(KIND_CODES),
        note=f"brought in from {bringing.name}",
        zone=office_zone().key,
    )
    capture = Capture(
        link, Writer(opened(bringing.store)), request, clock=lambda: moment, on_progress=lambda progress: _told(bringing, progress)
    )
    return capture.run(None)


def _told(bringing: Bringing, progress: Progress) -> None:
    bringing.progress = {"stage": progress.stage, "read_bytes": progress.read_bytes, "to_read_bytes": progress.to_read_bytes}
    Bringing.objects.filter(id=bringing.id).update(progress=bringing.progress)
    tell("bringing", str(bringing.id), bringing.progress)


@transaction.atomic
def _record(bringing: Bringing, captured: Captured) -> None:
    device, manifest = bringing.device, captured.manifest
    assert device is not None and bringing.store is not None
    bringing.backup = Backup.objects.create(
        id=UUID(bytes=manifest.id), device=device, finished_at=manifest.finished_at, items=manifest.items,
        size_bytes=manifest.size_bytes, kinds=told_kinds(manifest),
        family=device.family, brought_in_from=bringing.name, note=bringing.name[:200],
        hold_reason="brought in by hand", hold_by=bringing.by,
    )  # fmt: skip
    Copy.objects.create(backup=bringing.backup, store=bringing.store)
    bringing.state, bringing.cause, bringing.remedy = BringingState.DONE, "", ""
    aside = list(bringing.found.get("left_aside", ()))
    aside += [{"name": one.name, "why": one.reason} for one in captured.skipped]
    bringing.found |= {
        "left_aside": aside[:SHOWN_ASIDE],
        "left_aside_count": bringing.found.get("left_aside_count", 0) + len(captured.skipped),
    }
    bringing.save()
    says = f"{bringing.name} was brought in as a backup of {device.name} of {manifest.finished_at:%Y-%m-%d %H:%M} UTC."
    write_journal(who=bringing.by, what="backup.brought_in", says=says, at=outside().now(), device=device.id, store=bringing.store_id)


def drop_bringing(bringing: Bringing, *, by: User) -> None:
    """Forget it, with the uploaded file; a backup that came of it stays. Raises Conflict while somebody works on it."""
    if bringing.state in BUSY:
        raise Conflict("Somebody is working on it right now.", remedy="Wait until it has ended.")
    _clear(bringing)
    bringing.delete()


def _clear(bringing: Bringing) -> None:
    if bringing.uploaded:
        shutil.rmtree(Path(bringing.path).parent, ignore_errors=True)


def _failed(bringing: Bringing, error: AtticError) -> None:
    bringing.state, bringing.cause, bringing.remedy = BringingState.FAILED, error.message[:600], error.remedy[:600]
