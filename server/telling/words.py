"""What is said, in plain words: alerts, the morning digest, and messages to holders."""

from collections.abc import Sequence
from datetime import datetime
from zoneinfo import ZoneInfo

from server.fleet.models import Device
from server.oversight.cause import Cause
from server.oversight.today import Today

NAMED = 12
HOLDER_CAN_HELP = {
    "link.locked": "It was locked when its backup wanted to begin. Please leave it unlocked and on power this evening.",
    "link.away": "It could not be found on the office wireless. Please switch its wireless on while you are in the office.",
    "link.data_access_off": "Its data access is switched off. Please open its settings, look for data access, and switch it on.",
    "link.not_accepted": "It asks whether it may be backed up. Please look at its screen and say yes.",
    "schedule.condition": "Its backup waits for power or the office wireless. Please put it on power in the office tonight.",
    "unseen": "It was not seen on the office wireless. Please switch its wireless on while you are in the office.",
}
"""Last word of a cause's code → what only the holder can do."""


def alert(cause: Cause, *, office: str) -> tuple[str, str]:
    """(subject, body) when something begins to need a person."""
    lines = [f"{cause.says}."]
    lines += [f"- {row.device.name}, {row.device.holder.name}" for row in cause.devices[:NAMED]]
    if len(cause.devices) > NAMED:
        lines.append(f"- and {len(cause.devices) - NAMED} more")
    lines += [
        "",
        f"Next step: {cause.step_label}. You find it on the page Today of Old Attic.",
        "",
        "You are told this once; the morning digest repeats it.",
    ]
    return _subject(office, cause.says), "\n".join(lines)


def digest(today: Today, *, office: str, zone: ZoneInfo, now: datetime) -> tuple[str, str]:
    """(subject, body) of the morning."""
    inside = f"{today.inside} of {today.promised} devices are inside their promise"
    lines = [f"{inside}.", today.says, ""]
    if today.causes:
        lines.append("Needs a person:")
        lines += [f"- {cause.says}{_whose(cause)}" for cause in today.causes]
    if today.put_off:
        lines += ["", "Put off:"]
        lines += [
            f"- {cause.says} (until {today.known[cause.code].put_off_until}: {today.known[cause.code].put_off_why})"
            for cause in today.put_off
        ]
    if today.back_to_normal:
        lines += ["", "Came back to normal since yesterday:"]
        lines += [f"- {incident.says}" for incident in today.back_to_normal]
    lines += ["", f"Tonight {today.tonight} device{'' if today.tonight == 1 else 's'} {'is' if today.tonight == 1 else 'are'} due."]
    if today.everything_paused is not None:
        until = today.everything_paused.until
        lines.append(f"Everything is paused {f'until {until}' if until else 'until further notice'}.")
    return _subject(office, f"{inside}, {now.astimezone(zone):%a %d %b}"), "\n".join(lines)


def to_holder(device: Device, code: str, *, office: str) -> tuple[str, str] | None:
    """(subject, body) for the person who carries it; None where a person at the desk can do as much."""
    helps = HOLDER_CAN_HELP.get(code.split()[-1])
    if helps is None:
        return None
    lines = [
        f"Hello {device.holder.name},", "", f"your {device.name} has not been backed up as promised. {helps}", "",
        "Nothing is wrong with your device: a backup means that you lose nothing if it breaks. Whoever looks into one is written down.",
        "You get this message once for each such occasion.", "", office,
    ]  # fmt: skip
    return _subject(office, f"please help with the backup of your {device.name}"), "\n".join(lines)


def _whose(cause: Cause) -> str:
    names: Sequence[str] = [f"{row.device.name} ({row.device.holder.name})" for row in cause.devices[:4]]
    more = f" and {len(cause.devices) - 4} more" if len(cause.devices) > 4 else ""
    return f": {', '.join(names)}{more}" if names else ""


def _subject(office: str, says: str) -> str:
    """One line, short, without what a mail header could not hold."""
    return " ".join(f"{office}: {says}".split())[:180]
