"""init, check, repair, remove, sweep, copy, usage."""

import argparse
import secrets
from dataclasses import replace
from pathlib import Path

from commandline import stores
from commandline.answers import DAMAGE, DONE, answer, remark
from commandline.listing import backup_id
from commandline.progress import Meter
from commandline.secrets import new_passphrase
from commandline.stores import blobs_of, now
from commandline.vaults import opened, opened_other
from core.errors import BadInput
from core.units import iec
from core.vault.accounting import Accounts
from core.vault.chain import Notes, gone, memory, remembered
from core.vault.check import CheckReport, check, note_damage
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.errors import StoreReadOnly
from core.vault.mending import mend_notes
from core.vault.opening import create_vault
from core.vault.repair import damaged_backups, repair
from core.vault.sweep import plan_sweep, sweep
from core.vault.sweeper import Sweeper, hand_over

_MOST_SHOWN = 20


def init(options: argparse.Namespace) -> int:
    """Prepare a store."""
    like = None
    if options.same_key_as:
        file, descriptor = options.other_passphrase_file, options.other_passphrase_fd
        like = opened_other(options.same_key_as, None, file, descriptor, options, ask=f"Passphrase of {options.same_key_as}")
    blobs = blobs_of(options.store, options.endpoint, make=True)
    passphrase = new_passphrase(options.passphrase_file, options.passphrase_fd, ask="New passphrase")
    limits, policy = VaultLimits(), stores.POLICY
    _, code = create_vault(
        blobs, passphrase=passphrase, now=now(), random=secrets.token_bytes, limits=limits, policy=policy, same_key_as=like
    )
    lines = [
        f"{options.store} is ready.",
        f"Recovery code: {code}",
        "Print it and lock it away: it opens the store when the passphrase is forgotten. It is not shown again.",
    ]
    answer({"store": options.store, "recovery_code": code}, lines, as_json=options.json)
    return DONE


def check_store(options: argparse.Namespace) -> int:
    """Prove that what is stored is intact."""
    vault = opened(options)
    percent = 100.0 if options.full else options.sample or 0.0
    if not 0 <= percent <= 100:
        raise BadInput("A sample is between 0 and 100 per cent.", field="sample", remedy="Give --sample 10, for example.")
    kept = _remembered(options.remember, vault.store) if options.remember else None
    meter = Meter("Checking")
    try:
        report = check(vault, percent=percent, remembered=kept, on_progress=meter)
    finally:
        meter.close()
    try:
        note_damage(vault, report)
    except StoreReadOnly:
        remark("The store may not be written: what was found could not be noted in it.")
    if options.remember:
        if kept and gone(vault, kept):
            remark(f"{options.remember} stays as it is. If you put an older state back yourself, delete it and check again.")
        else:
            _remember(options.remember, memory(vault))
    answer(_document(report), _lines(report, percent), as_json=options.json)
    return DONE if report.ok else DAMAGE


def _remembered(file: Path, store: bytes) -> Notes | None:
    """What an earlier check wrote down; None where there was none. Raises BadInput."""
    try:
        return remembered(file.read_text(), store=store)
    except FileNotFoundError:
        return None
    except (OSError, UnicodeDecodeError):
        raise BadInput(f"The file {file} cannot be read.", field="remember", remedy="Correct its path or its rights.") from None


def _remember(file: Path, content: str) -> None:
    """There whole or as it was. Raises BadInput."""
    unfinished = file.with_name(f".{file.name}.unfinished")
    try:
        unfinished.write_text(content)
        unfinished.replace(file)
    except OSError as error:
        says = f"The file {file} cannot be written: {error.strerror}."
        raise BadInput(says, field="remember", remedy="Name a file in a folder that may be written.") from None


def _document(report: CheckReport) -> dict[str, object]:
    damaged = [
        {"object": entry.object, "backups": sorted(entry.backups), "items": sorted({name for _, name in entry.items})}
        for entry in report.damaged
    ]
    return {"ok": report.ok, "objects": report.objects, "damaged": damaged}


def _lines(report: CheckReport, percent: float) -> list[str]:
    how = "everything was read" if percent >= 100 else f"{percent:g} % of the packs were read" if percent else "the structure was followed"
    if report.ok:
        return [f"{report.objects} objects are intact; {how}."]
    lines = [f"{len(report.damaged)} of {report.objects} objects are damaged or missing; {how}."]
    for entry in report.damaged:
        lines.append(f"{entry.object}: {entry.reason}")
        if entry.backups:
            devices = ", ".join(sorted(entry.devices)) or "unknown devices"
            lines.append(f"  touches {len(entry.backups)} backups of {devices}")
        names = sorted(f"{kind}: {name}" for kind, name in entry.items)
        lines += [f"  {name}" for name in names[:_MOST_SHOWN]]
        if len(names) > _MOST_SHOWN:
            lines.append(f"  … and {len(names) - _MOST_SHOWN} more; --json names them all")
    return [*lines, "Everything else restores. `repair` fetches what another store has; the next backup stores again what the device has."]


def repair_store(options: argparse.Namespace) -> int:
    """Mend from another store, and what can be mended without one."""
    vault = opened(options)
    lines: list[str] = []
    if options.source is None:
        notes, left = mend_notes(vault), damaged_backups(vault)
        document: dict[str, object] = {"mended_chunks": 0, "mended_manifests": 0}
    else:
        other = opened_other(
            options.source,
            options.from_endpoint,
            options.from_passphrase_file,
            options.from_passphrase_fd,
            options,
            ask=f"Passphrase of {options.source}",
        )
        report = repair(vault, other)
        notes, left = report.notes, report.left
        document = {"mended_chunks": report.mended_chunks, "mended_manifests": report.mended_manifests}
        lines.append(f"{report.mended_chunks} chunks and {report.mended_manifests} manifests were fetched from {options.source}.")
    document |= {
        "notes_fetched": notes.fetched,
        "notes_anew": notes.anew,
        "known_elsewhere_only": [id.hex() for id in notes.elsewhere],
        "left": [id.hex() for id in left],
    }
    lines += [f"{name} was fetched." for name in notes.fetched] + [
        f"{name}: the ledger was written anew without it." for name in notes.anew
    ]
    if notes.lost:
        lines.append("It can no longer be told which backups and key slots were removed before: what somebody puts back may count again.")
    lines += [f"not known here: {id.hex()}: `copy` brings it, if it was not removed on purpose" for id in notes.elsewhere]
    lines += [f"still incomplete: {id.hex()}" for id in left]
    answer(document, lines or ["There was nothing to mend."], as_json=options.json)
    return DAMAGE if left else DONE


def remove(options: argparse.Namespace) -> int:
    """Forget backups at once."""
    vault = opened(options)
    ids = [backup_id(vault, begin) for begin in options.backup]
    for id in ids:
        vault.remove(id)
    document = {"removed": [id.hex() for id in ids]}
    lines = [f"{id.hex()} is removed." for id in ids]
    answer(document, [*lines, "Their space comes back with `sweep`."], as_json=options.json)
    return DONE


def sweep_store(options: argparse.Namespace) -> int:
    """Get space back."""
    vault = opened(options)
    if options.grace is not None and options.grace < 0:
        raise BadInput("A grace period is not negative.", field="grace", remedy="Give --grace 0 or more.")
    if options.waste is not None:
        if not 0 <= options.waste <= 100:
            raise BadInput("Waste is between 0 and 100 per cent.", field="waste", remedy="Give --waste 20, for example.")
        vault.limits = replace(vault.limits, waste_percent=options.waste)
    if options.take_over and not options.dry_run:
        hand_over(vault, Sweeper(who=b"", name=""), now=now())
    report = plan_sweep(vault) if options.dry_run else sweep(vault, now=now(), grace_seconds=options.grace)
    would = "would be freed" if options.dry_run else "were freed"
    lines = [f"{iec(report.freed_bytes)} {would}; {iec(report.kept_bytes)} {'would stay' if options.dry_run else 'stay'}."]
    answer({"freed_bytes": report.freed_bytes, "kept_bytes": report.kept_bytes}, lines, as_json=options.json)
    if report.marked_bytes and not options.dry_run:
        hours = (vault.limits.grace_seconds if options.grace is None else options.grace) / 3600
        remark(f"{iec(report.marked_bytes)} are marked; a sweep after the grace period of {hours:g} hours removes them.")
    return DONE


def copy_store(options: argparse.Namespace) -> int:
    """Copy backups to another store."""
    source = opened(options)
    target = opened_other(
        options.to, options.to_endpoint, options.to_passphrase_file, options.to_passphrase_fd, options, ask=f"Passphrase of {options.to}"
    )
    chosen = [backup_id(source, begin) for begin in options.backup] if options.backup else None
    meter = Meter("Copying")
    try:
        report = copy(source, target, backups=chosen, on_progress=meter)
    finally:
        meter.close()
    lines = [f"{len(report.copied)} backups were copied; {iec(report.sent_bytes)} were sent."]
    answer({"copied": len(report.copied), "bytes": report.sent_bytes}, lines, as_json=options.json)
    for id, reason in report.damaged.items():
        remark(f"not copied: {id.hex()}: {reason}")
    return DAMAGE if report.damaged else DONE


def usage(options: argparse.Namespace) -> int:
    """What backups cost."""
    vault = opened(options)
    accounts = Accounts(vault)
    ids = [backup_id(vault, begin) for begin in options.backup] or [manifest.id for manifest in accounts.manifests]
    used = accounts.usage(ids)
    stored = used.stored_bytes if options.backup else vault.stored_bytes()
    document = {"stored_bytes": stored, "alone_bytes": used.alone_bytes, "shared_bytes": used.shared_bytes}
    what = "These backups need" if options.backup else "The store holds"
    lines = [
        f"{what} {iec(stored)}.",
        f"{iec(used.alone_bytes)} only they need: that is what removing them frees.",
        f"{iec(used.shared_bytes)} other backups need, too.",
    ]
    answer(document, lines, as_json=options.json)
    return DONE
