"""Remember what a rule says from now on. Called within the transaction that changes it."""

from datetime import datetime
from typing import Any

from django.db.models import Max

from server.fleet.models import Device
from server.people.models import Team, User
from server.plans.models import Plan, RuleVersion
from server.plans.rules import RETIRED, subject_of
from server.storage.models import Store


def note_version(
    fields: dict[str, Any] | None,
    *,
    by: User | None,
    now: datetime,
    plan: Plan | None = None,
    team: Team | None = None,
    device: Device | None = None,
    store: Store | None = None,
    why: str = "",
) -> RuleVersion | None:
    """A new version of this subject's rule; None when it says what it said. `told` None ends an exception."""
    whose = {"plan": plan, "team": team, "device": device, "store": store}
    ids: dict[str, Any] = {name: row.id for name, row in whose.items() if row is not None}
    subject = subject_of(**ids)
    versions = RuleVersion.objects.filter(subject=subject)
    newest = versions.order_by("-number").first()
    if newest is not None and newest.told == fields:
        return None
    number = (versions.aggregate(newest=Max("number"))["newest"] or 0) + 1
    return RuleVersion.objects.create(
        subject=subject,
        retired=subject == RETIRED,
        number=number,
        plan=plan,
        team=team,
        device=device,
        store=store,
        told=fields,
        why=why[:200],
        by=by,
        at=now,
    )
