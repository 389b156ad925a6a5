"""Making room in the account of a device's own cloud backup: what its holder can do, and the letter that says so."""

from dataclasses import dataclass
from datetime import datetime

from core.quota.lasting import Lasting
from core.quota.own_account import AccountStep, beginning, letter, steps, wanted_bytes
from server.fleet.convert import account_of, own_cloud_of
from server.fleet.models import Device
from server.fleet.own_accounts import lasting_of
from server.people.queries import office_settings
from server.plans.rules import GONE_STATES
from server.runs.queries import newest_intact


@dataclass(frozen=True, slots=True, kw_only=True)
class AccountRoom:
    """As the device says."""

    lasts: Lasting | None
    wanted_bytes: int | None
    """Until there is enough room again; None where it tells no limit."""
    steps: list[AccountStep]
    proposed: list[AccountStep]
    """The shortest beginning that may suffice."""
    suffices: bool
    to: str
    """Where its holder gets mail; empty where nobody noted it."""
    subject: str
    body: str


def room_of(device: Device, *, now: datetime) -> AccountRoom | None:
    """None for a device that tells of no such backup, or whose backup is off."""
    own = own_cloud_of((device.own_cloud or {}).get("told"))
    if own is None:
        return None
    others = Device.objects.filter(holder=device.holder).exclude(state__in=GONE_STATES)
    in_use = {f"{one.make} {one.model}" for one in others} | {one.name for one in others}
    kept = [one for one in map(account_of, device.accounts) if one.keeps]
    newest = newest_intact(device)
    account_steps = steps(
        own, in_use=in_use, in_step={one.kind: one.service for one in kept if one.service != own.service},
        ours={one["kind"] for one in newest.kinds if one["items"]} if newest else set(),
    )  # fmt: skip
    wanted, lasts = wanted_bytes(own), lasting_of(device, now=now)
    chosen = beginning(account_steps, wanted or 0)
    suffices = sum(one.bytes for one in chosen) >= (wanted or 0)
    name = office_settings().name
    subject, body = letter(own, lasts, chosen, device=device.name, holder=device.holder.name, office=name, suffices=suffices)
    return AccountRoom(
        lasts=lasts,
        wanted_bytes=wanted,
        steps=account_steps,
        proposed=chosen,
        suffices=suffices,
        to=device.holder.email,
        subject=subject,
        body=body,
    )
