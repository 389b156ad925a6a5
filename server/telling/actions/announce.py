"""Decide what is told to whom, and write it down as messages. Each has a key of its own, so nothing is told twice."""

import json
from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from core.schedule.quiet import not_before
from server.oversight.actions.incidents import Refreshed
from server.oversight.cause import Cause
from server.oversight.models import Incident
from server.oversight.today import Today
from server.people.models import Office, User
from server.people.queries import office_settings, office_zone
from server.telling import words
from server.telling.models import Hook, Message, MessageState, Way

SIGN_OF_LIFE = timedelta(minutes=5)
LATEST_DIGEST = timedelta(hours=6)
"""A digest that could not be made by then is not made up for: it would speak of another day."""


@transaction.atomic
def announce(refreshed: Refreshed, causes: Iterable[Cause], *, now: datetime) -> int:
    """Alerts to people of what has just begun; to hooks also what came back and what ended; how many were written."""
    by_code = {cause.code: cause for cause in causes}
    name = office_settings().name
    rows: list[Message] = []
    people = list(User.objects.filter(wants_alerts=True, is_active=True).exclude(email=""))
    hooks = list(Hook.objects.filter(active=True))
    for incident in refreshed.opened:
        subject, body = words.alert(by_code[incident.code], office=name)
        for user in people:
            at = not_before(now, quiet_from=user.quiet_from, quiet_until=user.quiet_until, zone=office_zone())
            rows.append(_mail(f"opened {incident.id} {user.id}", user, subject, body, at, now, incident))
    for event, incidents in (
        ("matter.opened", refreshed.opened),
        ("matter.returned", refreshed.returned),
        ("matter.closed", refreshed.closed),
    ):
        for incident in incidents:
            devices = [str(row.device.id) for row in by_code[incident.code].devices] if incident.code in by_code else []
            rows += [
                _hook(f"{event} {incident.id} {now:%Y%m%d%H%M%S} {hook.id}", hook, event, _told(incident, devices), now, incident)
                for hook in hooks
            ]
    over = Message.objects.filter(incident__in=refreshed.closed, state=MessageState.WAITING, way=Way.MAIL, attempts=0)
    over.delete()  # it ended before anybody was told
    Message.objects.bulk_create(rows, ignore_conflicts=True)
    return len(rows)


def digest(today: Today, *, now: datetime) -> int:
    """The morning's mails whose time has come; how many were written."""
    zone = office_zone()
    local = now.astimezone(zone)
    subject, body = words.digest(today, office=office_settings().name, zone=zone, now=now)
    rows = []
    for user in User.objects.filter(wants_digest=True, is_active=True).exclude(email=""):
        due = datetime.combine(local.date(), user.digest_at, zone)
        if due <= local < due + LATEST_DIGEST:
            rows.append(_mail(f"digest {local.date()} {user.id}", user, subject, body, now, now, None))
    return len(Message.objects.bulk_create(rows, ignore_conflicts=True))


def digest_is_due(*, now: datetime) -> bool:
    """Whether anybody waits for this morning's digest. Spares the work of making it all day."""
    zone = office_zone()
    local = now.astimezone(zone)
    people = User.objects.filter(wants_digest=True, is_active=True).exclude(email="").values_list("id", "digest_at")
    due = {id: datetime.combine(local.date(), at, zone) for id, at in people}
    keys = {f"digest {local.date()} {id}" for id, at in due.items() if at <= local < at + LATEST_DIGEST}
    return bool(keys) and Message.objects.filter(key__in=keys).count() < len(keys)


def ask_holders(causes: Iterable[Cause], known: dict[str, Any], *, now: datetime) -> int:
    """Messages to those who alone can help, in the afternoon, before they leave; how many were written."""
    office_row = office_settings()
    if not office_row.asks_holders or not _afternoon(office_row, now):
        return 0
    rows = []
    for cause in causes:
        if cause.code not in known or known[cause.code].put_off:
            continue
        for row in cause.devices:
            holder, said = row.device.holder, words.to_holder(row.device, cause.code, office=office_row.name)
            if said is None or not holder.email:
                continue
            key = f"holder {known[cause.code].id} {row.device.id}"
            rows.append(
                Message(
                    key=key,
                    way=Way.MAIL,
                    holder=holder,
                    to=holder.email,
                    incident_id=known[cause.code].id,
                    subject=said[0],
                    body=said[1],
                    not_before=now,
                    made_at=now,
                )
            )
    return len(Message.objects.bulk_create(rows, ignore_conflicts=True))


def signs_of_life(*, now: datetime) -> int:
    """One every few minutes to each hook that waits for them: should they stop, an outside watcher knows."""
    step = int(now.timestamp() // SIGN_OF_LIFE.total_seconds())
    hooks = Hook.objects.filter(active=True, signs_of_life=True)
    rows = [
        _hook(f"alive {step} {hook.id}", hook, "alive", {"next_within_seconds": int(2 * SIGN_OF_LIFE.total_seconds())}, now, None)
        for hook in hooks
    ]
    return len(Message.objects.bulk_create(rows, ignore_conflicts=True))


def _afternoon(row: Office, now: datetime) -> bool:
    local = now.astimezone(office_zone())
    return row.asks_holders_at <= local.time() and local.hour < 20


def _mail(key: str, user: User, subject: str, body: str, at: datetime, now: datetime, incident: Incident | None) -> Message:
    return Message(
        key=key, way=Way.MAIL, user=user, to=user.email, incident=incident, subject=subject, body=body, not_before=at, made_at=now
    )


def _hook(key: str, hook: Hook, event: str, facts: dict[str, Any], now: datetime, incident: Incident | None) -> Message:
    body = json.dumps({"event": event, "at": now.isoformat(), **facts})
    return Message(
        key=key[:200], way=Way.HOOK, hook=hook, to=hook.address, incident=incident, subject=event, body=body, not_before=now, made_at=now
    )


def _told(incident: Incident, devices: list[str]) -> dict[str, Any]:
    return {
        "matter": str(incident.id),
        "code": incident.code,
        "says": incident.says,
        "devices": devices,
        "opened_at": incident.opened_at.isoformat(),
    }
