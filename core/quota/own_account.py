"""Making room in the account of a device's own cloud backup: steps that its holder takes, and a letter that says so in plain words.

All bytes are as the device tells them. Parts by kind and parts by device are two views of the same account and may overlap: each step
gives up to its bytes, and only the device can tell what it gave. That a kind which is switched off stays there for some weeks before it
is erased is common practice, no published source.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from core.content.kinds import KINDS
from core.content.own_cloud import OwnCloud
from core.quota.ladder import Rung, rung_of
from core.quota.lasting import Lasting
from core.units import iec

ENOUGH_PERCENT = 80
"""Room is made until the account is filled by no more."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AccountStep:
    rung: Rung
    title: str
    loses: str
    bytes: int
    """At most, as the device says."""


def wanted_bytes(own: OwnCloud) -> int | None:
    """What has to go until there is enough room again; None where the account tells no limit."""
    if own.used_bytes is None or not own.allowed_bytes:
        return None
    return max(0, own.used_bytes - own.allowed_bytes * ENOUGH_PERCENT // 100)


def steps(own: OwnCloud, *, in_use: Collection[str], in_step: Mapping[str, str], ours: Collection[str]) -> list[AccountStep]:
    """In the order in which they are taken. `in_use`: what the holder's devices are called that are in use; `in_step`: kind → another
    service that keeps it in step; `ours`: kinds that this office's backups hold."""
    mine = {name.casefold() for name in in_use}
    steps = [
        AccountStep(
            rung=Rung.GONE_DEVICES, title=f"Remove the old backup of {part.name} there", bytes=part.size_bytes,
            loses="what only that backup holds; look whether the device is really gone",
        )
        for part in own.devices
        if part.name.casefold() not in mine
    ]  # fmt: skip
    for part in own.kinds:
        rung = _rung(part.name, in_step)
        if rung is None:
            continue
        label = KINDS[part.name].label
        loses = f"{in_step[part.name]} keeps them in step, which is no backup" if rung is Rung.IN_STEP else _LOSES[rung]
        held = "; this office’s backups hold them" if part.name in ours else "; no backup of this office holds them"
        steps.append(AccountStep(rung=rung, title=f"Leave {label.lower()} out of it", bytes=part.size_bytes, loses=loses + held))
    return sorted((one for one in steps if one.bytes > 0), key=lambda one: (one.rung, -one.bytes, one.title))


_LOSES = {
    Rung.PICTURES: "they are no longer there",
    Rung.HAD_AGAIN: "apps can be loaded again, what they hold for themselves perhaps not",
    Rung.ATTACHMENTS: "letters stay there, what was attached does not",
}


def _rung(kind: str, in_step: Mapping[str, str]) -> Rung | None:
    """As in a store; there what apps hold can be left out as well, being a copy beside that of this office."""
    if kind not in KINDS:
        return None
    rung = rung_of(kind, in_step=kind in in_step)
    return Rung.HAD_AGAIN if rung is None and kind == "app_data" else rung


def beginning(steps: Sequence[AccountStep], wanted: int) -> list[AccountStep]:
    """The shortest beginning of the ladder that may suffice; all of it where nothing does."""
    taken: list[AccountStep] = []
    left = wanted
    for step in steps:
        if left <= 0:
            break
        taken.append(step)
        left -= step.bytes
    return taken


def letter(
    own: OwnCloud, lasts: Lasting | None, chosen: Sequence[AccountStep], *, device: str, holder: str, office: str, suffices: bool
) -> tuple[str, str]:
    """(subject, body) for the person whose account it is. Nothing in it needs a word of this trade."""
    service = own.service or "cloud account"
    lines = [
        f"Hello {holder},",
        "",
        f"{_state(own, lasts, service, device)} A full account stops everything that goes through it, without a word.",
    ]
    if chosen:
        lines += ["", "What helps, in this order; stop as soon as there is room:"]
        lines += [f"{n}. {step.title} (up to {iec(step.bytes)})." for n, step in enumerate(chosen, 1)]
        lines += ["", "What you switch off usually stays there for about 30 days before it is erased, so room comes with a delay."]
    if not suffices:
        lines += ["", "That alone may not be enough. Please tell us, and we see whether more room can be bought."]
    lines += ["", "The office’s own backups go on as before.", "", office]
    return f"{office}: your {service} is {_short(own, lasts)}", "\n".join(lines)


def _state(own: OwnCloud, lasts: Lasting | None, service: str, device: str) -> str:
    used, allowed = own.used_bytes, own.allowed_bytes
    how = f" ({iec(used)} of {iec(allowed)})" if used is not None and allowed else ""
    where = f"Your {service}, into which your {device} puts a copy of itself,"
    if used is not None and allowed and used >= allowed:
        return f"{where} is full{how}."
    if lasts is not None and lasts.days is not None:
        return f"{where} will be full in about {'a day' if lasts.days == 1 else f'{lasts.days} days'}{how}."
    return f"{where} is nearly full{how}."


def _short(own: OwnCloud, lasts: Lasting | None) -> str:
    if own.used_bytes is not None and own.allowed_bytes and own.used_bytes >= own.allowed_bytes:
        return "full"
    return f"full in {lasts.days} days" if lasts is not None and lasts.days is not None and lasts.days > 1 else "nearly full"
