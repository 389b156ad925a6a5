"""backup and restore."""

import argparse
import time
from collections.abc import Iterator
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.links.tree import TreeLink
from commandline.answers import DAMAGE, DONE, answer, remark
from commandline.listing import newest_of
from commandline.looking import chosen, ready
from commandline.progress import Meter
from commandline.stores import now, unlocked
from commandline.vaults import opened
from core.content.kinds import KIND_CODES
from core.content.kinds import kind as kind_of
from core.content.left_out import matters, reason_of
from core.content.paths import path_of, shown_path
from core.errors import BadInput
from core.recovery.extract import extract
from core.units import iec
from core.vault.capture import Capture, Captured, Progress, Request
from core.vault.manifests import Stored
from core.vault.writer import Writer

_MOST_SHOWN = 20


def backup(options: argparse.Namespace) -> int:
    """Take a backup of a folder."""
    if not options.device.strip() or len(options.device) > 200:
        raise BadInput("The device has no usable name.", field="device", remedy="Give --device a name of up to 200 characters.")
    began = time.monotonic()
    vault = opened(options)
    inner = unlocked(vault, options.device, options)
    folder = Path(options.folder)
    link = TreeLink(folder, leave_out=[] if options.store.startswith("s3://") else [Path(options.store)])
    writer = Writer(vault, inner=inner)
    previous = newest_of(vault, options.device)
    request = Request(
        device=previous.device if previous else options.device,
        device_told={"name": options.device},
        kinds=tuple(KIND_CODES),
        note=options.note,
        zone="UTC",
    )
    meter = Meter("Backing up")

    def tell(progress: Progress) -> None:
        meter(progress.read_bytes, progress.to_read_bytes)

    try:
        captured = Capture(link, writer, request, clock=now, on_progress=tell).run(previous)
    finally:
        meter.close()
    return _told_backup(options, captured, seconds=time.monotonic() - began)


def _told_backup(options: argparse.Namespace, captured: Captured, *, seconds: float) -> int:
    manifest = captured.manifest
    skipped = [{"path": entry.name, "code": entry.code, "reason": reason_of(entry.code, entry.detail)} for entry in captured.skipped]
    document = {
        "backup": manifest.id.hex(),
        "items": manifest.items,
        "bytes": manifest.size_bytes,
        "read_bytes": captured.read_bytes,
        "stored_bytes": captured.stored_bytes,
        "skipped": skipped,
        "seconds": round(seconds, 3),
    }
    lines = [
        f"Backup {manifest.id.hex()} is complete: {manifest.items} items, {iec(manifest.size_bytes)}.",
        f"{iec(captured.read_bytes)} were read and {iec(captured.stored_bytes)} stored in {seconds:.1f} seconds.",
    ]
    answer(document, lines, as_json=options.json)
    for entry in skipped[:_MOST_SHOWN]:
        remark(f"left out: {entry['path']}: {entry['reason']}")
    if len(skipped) > _MOST_SHOWN:
        remark(f"… and {len(skipped) - _MOST_SHOWN} more; --json names them all")
    return DAMAGE if any(matters(entry.code) for entry in captured.skipped) else DONE


def restore(options: argparse.Namespace) -> int:
    """Write a backup, or parts of it, into an empty folder."""
    vault = opened(options)
    manifest = ready(vault, options.backup, options)
    for code in options.kind or ():
        kind_of(code)
    paths = [path.strip("/") for path in options.path or ()]
    gone: dict[str, int] = {}
    whole = not paths and not options.kind
    above: set[str] = set()
    """Folders of what was chosen."""

    def files() -> Iterator[tuple[str, Stored]]:
        for _, path, stored in chosen(vault, manifest, paths, options.kind or [], gone):
            if not whole:
                above.update(path[:at] for at, letter in enumerate(path) if letter == "/")
            yield path, stored

    def folders() -> Iterator[tuple[str, Stored]]:
        for stored in vault.items(manifest, manifest.folders.kind, lost=lambda count: None) if manifest.folders else ():
            if whole or path_of(stored.item) in above:
                yield path_of(stored.item), stored

    total_bytes = manifest.size_bytes
    if not whole:
        sizes = [stored.item.size_bytes for _, stored in files()]
        if not sizes and not gone:
            raise BadInput("Nothing in this backup fits.", field="path", remedy="Look with `show` what is in it.")
        total_bytes = sum(sizes)
    destination = FolderDestination(Path(options.dest))
    try:
        destination.prepare()
    except FileExistsError as error:
        raise BadInput(str(error), field="dest", remedy="Choose an empty folder, or one that does not exist yet.") from None
    meter = Meter("Restoring")
    try:
        extracted = extract(vault, files(), folders(), destination, total_bytes=total_bytes, on_progress=meter)
    finally:
        meter.close()
    damaged = [{"kind": lost.kind, "path": shown_path(lost.path), "reason": lost.reason} for lost in extracted.lost]
    for kind, count in gone.items():
        damaged.append({"kind": kind, "path": "", "reason": f"{count} items cannot even be named: their list is damaged."})
    answer(
        {"items": extracted.items, "bytes": extracted.size_bytes, "damaged": damaged},
        [f"{extracted.items} items, {iec(extracted.size_bytes)}, were restored to {options.dest}."],
        as_json=options.json,
    )
    for entry in damaged[:_MOST_SHOWN]:
        remark(f"not restored: {entry['path']}: {entry['reason']}")
    if len(damaged) > _MOST_SHOWN:
        remark(f"… and {len(damaged) - _MOST_SHOWN} more; --json names them all")
    return DAMAGE if damaged else DONE
