"""Writing chosen items back to a device, and proving afterwards that they are there."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from core.content.errors import DeviceFull
from core.content.link import DeviceLink
from core.recovery.conflicts import Planned, Step, WhenThere, planned, written_bytes
from core.vault.errors import Damaged, Stopped
from core.vault.manifests import Stored
from core.vault.vault import Vault


@dataclass(slots=True, kw_only=True)
class KindReport:
    """Counts of one kind."""

    chosen: int = 0
    written: int = 0
    added: int = 0
    replaced: int = 0
    same: int = 0
    left: int = 0
    """The device's own version stayed, as asked."""
    damaged: list[str] = field(default_factory=list)
    """Names of the items that the store could not give back."""
    expected: int = 0
    """Items that should be on the device after the restore."""
    found: int = 0
    """Those of them that it lists afterwards, in the size they should have."""


Report = dict[str, KindReport]


def restore(
    vault: Vault,
    link: DeviceLink,
    kinds: Sequence[tuple[str, list[Stored]]],
    *,
    when_there: WhenThere,
    same_device: bool,
    on_progress: Callable[[str, int, int], None] = lambda kind, done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Report:
    """Write, then count. Raises LinkError, Stopped; what was written until then stays on the device."""
    plans = {kind: planned(chosen, link.inventory(kind), when_there, same_device=same_device) for kind, chosen in kinds}
    total = sum(written_bytes(plan) for plan in plans.values())
    _check_room(link, total)
    done, report = 0, Report()
    for kind, plan in plans.items():
        report[kind] = counts = KindReport(chosen=len(plan))
        expected: dict[str, int] = {}
        for entry in plan:
            if should_stop():
                raise Stopped("The restore was stopped by hand.")
            on_progress(kind, done, total)
            id = _carry_out(vault, link, kind, entry, counts)
            if entry.step in (Step.WRITE, Step.ADD, Step.REPLACE):
                done += entry.stored.item.size_bytes
            if id is not None:
                expected[id] = entry.stored.item.size_bytes
        listed = link.inventory(kind)
        there = {item.id: item.size_bytes for item in listed}
        names = set() if same_device else {item.name for item in listed}
        counts.expected = len(expected) + counts.same
        same_ids = [entry.stored.item for entry in plan if entry.step is Step.SAME]
        counts.found = sum(there.get(id) == size for id, size in expected.items())
        counts.found += sum(item.id in there or item.name in names for item in same_ids)
    on_progress("", total, total)
    return report


def _carry_out(vault: Vault, link: DeviceLink, kind: str, entry: Planned, counts: KindReport) -> str | None:
    """The id under which the item should now be on the device; None when nothing was written."""
    item = entry.stored.item
    if entry.step is Step.SAME:
        counts.same += 1
        return None
    if entry.step is Step.LEAVE:
        counts.left += 1
        return None
    try:
        pieces = _proven(vault, entry.stored)
    except Damaged:
        counts.damaged.append(item.name)
        return None
    if entry.step is Step.ADD:
        counts.added += 1
        return link.create(kind, item.name, pieces, size_bytes=item.size_bytes)
    link.replace(kind, item.id, item.name, pieces, size_bytes=item.size_bytes)
    if entry.step is Step.REPLACE:
        counts.replaced += 1
    else:
        counts.written += 1
    return item.id


def _proven(vault: Vault, stored: Stored) -> Iterator[bytes]:
    """The item's pieces, once all of them are known to be readable: no half item reaches a device."""
    for _ in vault.read(stored):
        pass
    return vault.read(stored)


def _check_room(link: DeviceLink, needed_bytes: int) -> None:
    state = link.state()
    if state.storage_total_bytes is None or state.storage_used_bytes is None:
        return
    if needed_bytes > state.storage_total_bytes - state.storage_used_bytes:
        raise DeviceFull("The device has no room for this.")
