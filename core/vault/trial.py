"""Trying a place before it becomes a store: each thing that a vault asks of it, done once and told at once.

What is written is removed again. A step that fails is told with what to do; the steps that need it are left out. Only
`Needed` steps decide whether the place can be used: what it says of its clock, room and versions is for people to know.
Time and randomness come from outside; speed is measured on a few megabytes and is a first impression, no promise.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum

from core.errors import AtticError
from core.units import MIB, iec, spoken
from core.vault import blobs as names
from core.vault.blobs import BlobStore, Keeps
from core.vault.errors import BlobExists, BlobMissing, StoreReadOnly

SPEED_BYTES = 4 * MIB
CLOCK_TOLERANCE = timedelta(minutes=5)
"""Signed requests are commonly refused beyond a quarter of an hour; from memory."""


class TrialStep(StrEnum):
    REACH = "reach"
    CONTENT = "content"
    WRITE = "write"
    EXCLUSIVE = "exclusive"
    READ = "read"
    LIST = "list"
    REMOVE = "remove"
    SPEED = "speed"
    CLOCK = "clock"
    ROOM = "room"
    VERSIONS = "versions"


NEEDED = (TrialStep.REACH, TrialStep.WRITE, TrialStep.EXCLUSIVE, TrialStep.READ, TrialStep.LIST, TrialStep.REMOVE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Result:
    """What came of one step."""

    step: TrialStep
    well: bool
    says: str
    remedy: str = ""
    needed: bool = False
    """Whether nothing can be kept there as long as this is not well."""
    lacks_right: bool = False
    """Whether the place refused it to whoever asked: a right that can be asked for."""


def trial(
    reach: Callable[[], BlobStore], *, now: Callable[[], datetime], seconds: Callable[[], float], random: Callable[[int], bytes]
) -> Iterator[Result]:
    """One result after the other, each as soon as it is there. `seconds` only ever grows. Raises nothing that belongs to the place."""
    try:
        blobs = reach()
        lying = [name for name, _ in blobs.list("")]
    except AtticError as error:
        yield _bad(TrialStep.REACH, error)
        return
    yield _well(TrialStep.REACH, "The place answers, and lets us list what lies there.")
    yield _content(lying)
    name, content = names.SEEN + random(16).hex(), random(1024)
    ok = True
    for step, act in (
        (TrialStep.WRITE, lambda: _write(blobs, name, content)),
        (TrialStep.EXCLUSIVE, lambda: _exclusive(blobs, name, content)),
        (TrialStep.READ, lambda: _read(blobs, name, content)),
        (TrialStep.LIST, lambda: _listed(blobs, name)),
    ):
        if ok:
            result = _tried(step, act)
            ok = result.well
            yield result
    yield _tried(TrialStep.REMOVE, lambda: _remove(blobs, name))
    if ok:
        yield replace(
            _tried(TrialStep.SPEED, lambda: _speed(blobs, names.pack_name(random(16)), random(SPEED_BYTES), seconds)), needed=False
        )
    yield replace(_tried(TrialStep.CLOCK, lambda: _clock(blobs, now)), needed=False)
    yield replace(_tried(TrialStep.ROOM, lambda: _room(blobs)), needed=False)
    yield replace(_tried(TrialStep.VERSIONS, lambda: _versions(blobs)), needed=False)


def _well(step: TrialStep, says: str) -> Result:
    return Result(step=step, well=True, says=says, needed=step in NEEDED)


def _bad(step: TrialStep, error: AtticError) -> Result:
    refused = isinstance(error, StoreReadOnly)
    return Result(step=step, well=False, says=error.message, remedy=error.remedy, needed=step in NEEDED, lacks_right=refused)


def _tried(step: TrialStep, act: Callable[[], Result]) -> Result:
    try:
        return act()
    except AtticError as error:
        return _bad(step, error)


def _failed(step: TrialStep, says: str, remedy: str) -> Result:
    return Result(step=step, well=False, says=says, remedy=remedy, needed=step in NEEDED)


def _content(lying: list[str]) -> Result:
    if not lying:
        return _well(TrialStep.CONTENT, "It is empty.")
    if names.HEADER in lying:
        backups = sum(name.startswith(names.MANIFESTS) for name in lying)
        words = f"It holds a store already, with {backups} {'backup' if backups == 1 else 'backups'}."
        return _failed(TrialStep.CONTENT, words, "Attach it with its passphrase or recovery code, or choose another place.")
    strangers = sum(not names.is_ours(name) for name in lying)
    return _failed(
        TrialStep.CONTENT, f"{strangers or len(lying)} other objects lie there.", "Choose an empty place: a folder or prefix of its own."
    )


def _write(blobs: BlobStore, name: str, content: bytes) -> Result:
    blobs.create(name, content)
    return _well(TrialStep.WRITE, "An object was written.")


def _exclusive(blobs: BlobStore, name: str, content: bytes) -> Result:
    try:
        blobs.create(name, content)
    except BlobExists:
        return _well(TrialStep.EXCLUSIVE, "A name that is taken is refused, so that two writers cannot undo one another.")
    return _failed(
        TrialStep.EXCLUSIVE,
        "It wrote over an object that was there.",
        "A store needs a place that refuses this. Ask the provider for conditional writes.",
    )


def _read(blobs: BlobStore, name: str, content: bytes) -> Result:
    if blobs.read(name) != content or blobs.read(name, offset=100, length=50) != content[100:150]:
        return _failed(TrialStep.READ, "What was read is not what was written.", "Do not use this place.")
    return _well(TrialStep.READ, "What was written was read back, whole and in part.")


def _listed(blobs: BlobStore, name: str) -> Result:
    if name not in {name_there for name_there, _ in blobs.list(names.SEEN)}:
        return _failed(TrialStep.LIST, "An object that was written is not listed.", "Do not use this place: it lists too late.")
    return _well(TrialStep.LIST, "What was written is listed at once.")


def _remove(blobs: BlobStore, name: str) -> Result:
    blobs.delete(name)
    try:
        blobs.read(name)
    except BlobMissing:
        return _well(TrialStep.REMOVE, "It was removed again.")
    still = _failed(TrialStep.REMOVE, "An object that was removed is still there.", "Give the key the right to remove objects.")
    return replace(still, lacks_right=True)


def _speed(blobs: BlobStore, name: str, content: bytes, seconds: Callable[[], float]) -> Result:
    began = seconds()
    blobs.create(name, content)
    between = seconds()
    blobs.read(name)
    ended = seconds()
    blobs.delete(name)
    up, down = (round(len(content) / max(took, 1e-6)) for took in (between - began, ended - between))
    return _well(TrialStep.SPEED, f"Writing {iec(up)}/s, reading {iec(down)}/s, on {iec(len(content))}.")


def _clock(blobs: BlobStore, now: Callable[[], datetime]) -> Result:
    there = blobs.clock()
    if there is None:
        return _well(TrialStep.CLOCK, "It has no clock of its own.")
    off = abs(there - now())
    if off > CLOCK_TOLERANCE:
        remedy = "Set this computer's clock: services refuse requests whose time is far from theirs."
        return _failed(TrialStep.CLOCK, f"Its clock is {spoken(off)} away from this computer's.", remedy)
    return _well(TrialStep.CLOCK, "Its clock and this computer's agree.")


def _room(blobs: BlobStore) -> Result:
    free = blobs.free_bytes()
    return _well(TrialStep.ROOM, "It does not say how much room it has." if free is None else f"{iec(free)} are free.")


def _versions(blobs: BlobStore) -> Result:
    kept = blobs.keeps()
    return _well(TrialStep.VERSIONS, KEEPS_WORDS[kept])


KEEPS_WORDS = {
    Keeps.NOTHING: "What is removed is gone.",
    Keeps.VERSIONS: "It keeps earlier versions: removing takes every version, or the space would not come back.",
    Keeps.LOCKED: "It can lock objects: what is locked is not removed before its day, and counts as stored until then.",
    Keeps.UNKNOWN: "Whether it keeps versions may not be asked with this key.",
}
