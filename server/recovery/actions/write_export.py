"""Write an export: into a sealed file that is fetched, or into a folder of the server; end with a report that was counted."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict
from functools import partial
from typing import IO, Any
from uuid import UUID

from django.db import transaction

from core.exchange.archive import Archive, ExportReport
from core.exchange.bag import Bag
from core.exchange.containers import Container
from core.exchange.filenames import safe_part
from core.exchange.locked import lock
from core.exchange.vcard import CardForm
from core.exchange.zipped import Zipped
from core.recovery.exporting import Chosen
from core.recovery.report import KindReport
from core.recovery.restore import Going, Kinds, noticed
from core.units import MIB, iec
from core.vault.errors import StoreFull
from core.vault.manifests import Stored
from core.vault.vault import Vault
from server import ports
from server.locks import lock_alone
from server.people.moments import written
from server.people.queries import office_zone
from server.recovery.models import ExportFolder, Layout, Restore, Target

LEFT_FREE_BYTES = 256 * MIB
"""Of the disk of the server, which other things need as well."""
PASSPHRASES = "passphrase of an archive"
"""What the sealed passphrase is for; bound into its seal."""

Tell = Callable[[str, int, int], None]


def write_export(restore: Restore, vault: Vault, kinds: Kinds, folders: Sequence[Stored], tell: Tell) -> dict[str, Any]:
    """Raises StoreError, BadInput, Stopped. What was begun and not finished is not there afterwards, but for a folder's."""
    total = sum(entry.item.size_bytes for _, stored in kinds for entry in stored)
    going = Going(tell=tell, total_bytes=total)
    fill = partial(_filled, restore, vault, kinds, folders, going)
    report = _in_folder(restore, total, fill) if restore.target == Target.FOLDER else _to_fetch(restore, total, fill, going)
    return {"kinds": [_counted(kind, len(stored), report) for kind, stored in kinds]}


def lacking_room(size_bytes: int, *, locked: bool) -> StoreFull | None:
    """Whether the server's disk has no room for an archive of so much: one that is locked is written twice."""
    needed = (2 if locked else 1) * (size_bytes + size_bytes // 50) + LEFT_FREE_BYTES
    free = ports.results().downloads.free_bytes()
    if needed <= free:
        return None
    says = f"The archive needs {iec(needed)} on the server's disk; {iec(free)} are free."
    return StoreFull(says, remedy="Choose less, make room there, or write into a folder elsewhere.")


def _filled(restore: Restore, vault: Vault, kinds: Kinds, folders: Sequence[Stored], going: Going, into: Container) -> ExportReport:
    if restore.layout == Layout.BAG:
        within = "" if restore.target == Target.FOLDER else _stem(restore)
        into = Bag(into, within=within, now=ports.clock().now(), about=_about(restore))
    archive = Archive(into, now=ports.clock().now(), cards=CardForm(restore.cards))
    for kind, stored in kinds:
        going.kind = kind
        archive.add_kind(kind, Chosen(vault, stored, going))
    archive.add_folders([stored.item for stored in folders])
    return archive.close()


def _to_fetch(restore: Restore, total: int, fill: Callable[[Container], ExportReport], going: Going) -> ExportReport:
    downloads, name = ports.results().downloads, str(restore.id)
    if (lacking := lacking_room(total, locked=restore.locked)) is not None:
        raise lacking
    first = f"{name}.inner" if restore.locked else name
    try:
        with downloads.new(first) as file:
            report = fill(Zipped(file))
            file.flush()
            size_bytes = file.seek(0, 2)
        if restore.locked:
            with downloads.new(name) as file:
                _lock(restore, file, noticed(downloads.read(first, start=0, stop=size_bytes), _after(going, size_bytes)))
                size_bytes = file.seek(0, 2)
    except BaseException:
        downloads.remove(name)
        raise
    finally:
        if restore.locked:
            downloads.remove(first)
    restore.file_name, restore.file_bytes, restore.file_start = f"{_stem(restore)}.zip", size_bytes, downloads.start
    return report


def _lock(restore: Restore, file: IO[bytes], pieces: Iterator[bytes]) -> None:
    passphrase = ports.keys().unseal(PASSPHRASES, bytes(restore.passphrase or b"")).decode()
    lock(file, f"{_stem(restore)}.zip", pieces, passphrase=passphrase, at=ports.clock().now())


def _after(going: Going, size_bytes: int) -> Going:
    going.total_bytes += size_bytes
    return going


def _in_folder(restore: Restore, total: int, fill: Callable[[Container], ExportReport]) -> ExportReport:
    row = ExportFolder.objects.get(restore=restore)
    folder = ports.results().export_folder(row.path)
    if row.identity:  # a worker died over it: begun anew
        folder.erase(row.identity)
    into, identity = folder.begin()
    try:
        _note_begun(restore.id, identity, total)
        return fill(into)
    finally:
        into.close()


@transaction.atomic
def _note_begun(restore_id: UUID, identity: str, total: int) -> None:
    lock_alone(f"export {restore_id}")
    ExportFolder.objects.filter(restore=restore_id).update(identity=identity, size_bytes=total)


def _stem(restore: Restore) -> str:
    moment = restore.backup.finished_at.astimezone(office_zone())
    return safe_part(f"{restore.backup.device.name} {moment:%Y-%m-%d %H%M}")


def _about(restore: Restore) -> list[tuple[str, str]]:
    """For `bag-info.txt`: reserved names of RFC 8493 §2.2.2."""
    device = restore.backup.device
    says = f"Content of the device {device.name} of {device.holder.name}, from the backup of {written(restore.backup.finished_at)}."
    tags = [("External-Description", says), ("External-Identifier", str(restore.backup_id)), ("Bag-Software-Agent", "Old Attic")]
    return [*tags, ("Contact-Name", restore.by.shown_name)] if restore.by else tags


def _counted(kind: str, chosen: int, report: ExportReport) -> dict[str, Any]:
    counts = KindReport(chosen=chosen, expected=chosen, written=report.written.get(kind, 0))
    counts.found = counts.written
    counts.damaged = [name for of, name in report.damaged if of == kind]
    counts.renamed = [(name, path) for of, name, path in report.renamed if of == kind]
    counts.refused = [(name, reason) for of, name, reason in report.refused if of == kind]
    return {"kind": kind} | asdict(counts) | {"whole": counts.whole}
