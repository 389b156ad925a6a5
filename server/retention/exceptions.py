"""Exceptions from the plans' rules, and the rule for devices that are retired or lost: reading them, and what a change of one would do."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from core.errors import BadInput
from server.fleet.models import Device
from server.people.models import Team
from server.plans.models import Plan, RuleVersion
from server.plans.rules import GONE_STATES, RETIRED, RuleBook, current_versions, period_from, rule_from, subject_of
from server.retention.consequences import Consequences, compared
from server.retention.judging import Context, Facts, judged_all
from server.storage.models import Store


@dataclass(frozen=True, slots=True, kw_only=True)
class Whose:
    """Of what an exception speaks. Nothing named: of devices that are retired or lost."""

    plan: Plan | None = None
    team: Team | None = None
    device: Device | None = None
    store: Store | None = None

    @property
    def subject(self) -> str:
        """The name under which its versions are kept."""
        return subject_of(**{name: row.id for name, row in self.rows().items()})

    def rows(self) -> dict[str, Any]:
        """The one that is given, under its column."""
        whose = {"plan": self.plan, "team": self.team, "device": self.device, "store": self.store}
        return {name: row for name, row in whose.items() if row is not None}

    @property
    def words(self) -> str:
        """`Shore Crew’s devices in North cloud`."""
        if not self.rows():
            return "retired and lost devices"
        who = (
            self.device.name
            if self.device
            else f"{self.team.name}’s devices"
            if self.team
            else self.plan.name
            if self.plan
            else "every device"
        )
        return f"{who} in {self.store.name}" if self.store else who


def whose(*, plan: UUID | None, team: int | None, device: UUID | None, store: UUID | None, retired: bool) -> Whose:
    """Raises BadInput."""
    if retired and (plan or team or device or store):
        raise BadInput("Of retired devices everywhere, or of something else.", field="retired", remedy="Choose one of them.")
    if sum(one is not None for one in (plan, team, device)) > 1:
        raise BadInput("Of a plan, a team or a device.", field="device", remedy="Choose one of them.")
    if not retired and not (plan or team or device or store):
        raise BadInput("An exception is for something.", field="store", remedy="Choose a store, a team, a plan or a device.")
    if plan and not store:
        raise BadInput(
            "What a plan keeps everywhere stands in the plan.", field="store", remedy="Choose one of its stores, or open the plan."
        )
    return Whose(
        plan=_row(Plan, plan, "plan"),
        team=_row(Team, team, "team"),
        device=_row(Device, device, "device"),
        store=_row(Store, store, "store"),
    )


def _row(model: Any, id: Any, field: str) -> Any:
    row = model.objects.filter(id=id).first() if id is not None else None
    if id is not None and row is None:
        raise BadInput(f"There is no such {field}.", field=field, remedy="Load the page again.")
    return row


def standing() -> list[RuleVersion]:
    """Exceptions that hold now, by subject; the plans' own rules are not among them."""
    rows = [row for row in current_versions("team", "device", "store", "plan").values() if row.told is not None]
    return sorted((row for row in rows if row.plan_id is None or row.store_id is not None), key=lambda row: row.subject)


def words_of(row: RuleVersion) -> str:
    """Whose rule a version is, in words."""
    return Whose(plan=row.plan, team=row.team, device=row.device, store=row.store).words


def checked(rule: Mapping[str, Any] | None) -> dict[str, Any] | None:
    """As a version keeps it. Raises BadInput."""
    if rule is None:
        return None
    kept = {name: value for name, value in rule.items() if value}
    rule_from(kept)
    if kept.get("ask_after"):
        period_from(kept["ask_after"]).checked("ask_after")
    return kept


def consequences_of(of: Whose, rule: dict[str, Any] | None, *, now: datetime) -> Consequences:
    """What this rule instead of the one that holds now would do; `told` None ends the exception."""
    context = Context.read(now)
    devices = list(concerned(of).select_related("holder", "team").order_by("name", "id"))
    would = replace(context, book=RuleBook.replaced(context.book, of.subject, rule))
    facts = Facts.read(devices, now)
    return compared(judged_all(devices, context, facts=facts), judged_all(devices, would, facts=facts), context)


def concerned(of: Whose) -> Any:
    """Devices that the rule may speak of and that have something in a store."""
    rows = Device.objects.filter(backups__copies__state__in=("present", "leaving"))
    if of.subject == RETIRED:
        rows = rows.filter(state__in=GONE_STATES)
    if of.plan is not None:
        rows = rows.filter(assignment__plan=of.plan)
    if of.team is not None:
        rows = rows.filter(team=of.team)
    if of.device is not None:
        rows = rows.filter(id=of.device.id)
    if of.store is not None:
        rows = rows.filter(backups__copies__store=of.store)
    return rows.distinct()
