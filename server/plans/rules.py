"""Which rule speaks of a device in a store, and which version of it: the plan's, or the most particular exception from it."""

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db.models import Max

from core.retention.rule import COUNTS, Period, Rule, Unit
from server.fleet.models import Device, DeviceState
from server.plans.convert import rule_of
from server.plans.models import Plan, RuleVersion
from server.plans.soundness import or_else


@dataclass(frozen=True, slots=True, kw_only=True)
class AppliedRule:
    """A rule, and where it comes from."""

    rule: Rule
    says: str
    """`the rule of Field nightly`, `the exception for North bucket`."""
    version: int

    @property
    def named(self) -> str:
        """For journal and rows: the rule and its version."""
        return f"{self.says}, version {self.version}"[:120]


def told_of(rule: Rule) -> dict[str, Any]:
    """As a version keeps it."""
    fields: dict[str, Any] = {name: getattr(rule, name) for name in COUNTS if getattr(rule, name)}
    if rule.minimum_age:
        fields["minimum_age_seconds"] = int(rule.minimum_age.total_seconds())
    for name in ("within", "greatest_age"):
        if (period := getattr(rule, name)) is not None:
            fields[name] = [period.count, period.unit.value]
    return fields


def period_from(pair: list[Any]) -> Period:
    """Of `[count, unit]`, as rows keep it."""
    return Period(pair[0], Unit(pair[1]))


def rule_from(fields: dict[str, Any]) -> Rule:
    """Raises BadInput for one that cannot be."""
    periods: dict[str, Any] = {name: period_from(fields[name]) for name in ("within", "greatest_age") if fields.get(name)}
    counts: dict[str, Any] = {name: fields[name] for name in COUNTS if name in fields}
    return Rule(minimum_age=timedelta(seconds=fields.get("minimum_age_seconds", 0)), **counts, **periods)


RETIRED = "retired"
"""The subject of the rule for devices that are retired, lost, or whose holder has left."""
GONE_STATES = (DeviceState.RETIRED, DeviceState.LOST, DeviceState.LEFT)
"""Of such a device nothing new is expected, so that it is not late."""


def subject_of(*, plan: UUID | None = None, team: int | None = None, device: UUID | None = None, store: UUID | None = None) -> str:
    """`plan <id>`, `device <id> store <id>`; that of devices that are gone when nothing is named."""
    named = (("device", device), ("team", team), ("plan", plan), ("store", store))
    return " ".join(f"{word} {id}" for word, id in named if id is not None) or RETIRED


def current_versions(*related: str) -> dict[str, RuleVersion]:
    """Subject → its newest version, whether it says something or has ended. `related`: what is read with each. Two queries."""
    newest = {one["subject"]: one["newest"] for one in RuleVersion.objects.order_by().values("subject").annotate(newest=Max("number"))}
    rows = RuleVersion.objects.select_related(*related or (None,)).filter(number__in=set(newest.values()))
    return {row.subject: row for row in rows if newest.get(row.subject) == row.number}


@dataclass(frozen=True, slots=True)
class RuleBook:
    """All rules that hold now. Read once for however many devices are judged."""

    versions: dict[str, RuleVersion]
    instead: dict[UUID, Rule] = field(default_factory=dict)
    """Plan → what is judged instead of what it says itself."""

    @classmethod
    def read(cls) -> "RuleBook":
        """Every rule that counts now. Two queries."""
        return cls(current_versions())

    def of(self, device: Device, store: UUID, plan: Plan | None, stores: Collection[UUID] | None = None) -> AppliedRule | None:
        """Most particular first: device, team, store, plan; each of the first two in this store before everywhere.

        A device that is retired or lost, or whose holder has left, has a rule of its own, where there is one.

        `stores`: those of a plan that is being edited.
        """
        gone = device.state in GONE_STATES
        for says, subject in (
            ("the exception for this device in this store", subject_of(device=device.id, store=store)),
            ("the exception for this device", subject_of(device=device.id)),
            ("the rule for retired, lost and leavers’ devices", RETIRED if gone else ""),
            ("its team's exception in this store", subject_of(team=device.team_id, store=store) if device.team_id else ""),
            ("its team's exception", subject_of(team=device.team_id) if device.team_id else ""),
            ("the plan's exception for this store", subject_of(plan=plan.id, store=store) if plan else ""),
            ("the exception for this store", subject_of(store=store)),
        ):
            row = self.versions.get(subject) if subject else None
            if row is not None and row.told is not None:
                return AppliedRule(rule=rule_from(row.told), says=says, version=row.number)
        if plan is None or store not in ({target.store_id for target in plan.targets.all()} if stores is None else stores):
            return None
        own = self.versions.get(subject_of(plan=plan.id))
        rule = self.instead.get(plan.id) or or_else(plan, lambda: rule_of(plan), None)
        if rule is None:  # a plan that cannot be computed lets nothing go
            return None
        return AppliedRule(rule=rule, says=f"the rule of {plan.name}", version=own.number if own is not None else 1)

    def replaced(self, subject: str, fields: dict[str, Any] | None) -> "RuleBook":
        """As it would be with another version of one rule."""
        number = self.versions[subject].number if subject in self.versions else 0
        return RuleBook({**self.versions, subject: RuleVersion(subject=subject, number=number + 1, told=fields)}, self.instead)

    def with_version(self, row: RuleVersion) -> "RuleBook":
        """As it would be if this version held now."""
        if row.told is not None and row.plan_id is not None and row.subject == subject_of(plan=row.plan_id):
            return RuleBook(self.versions, {**self.instead, row.plan_id: rule_from(row.told)})
        return self.replaced(row.subject, row.told)

    def asks_after(self) -> Period | None:
        """How long after it was retired or lost somebody is asked whether a device's last backups may go; None for never."""
        row = self.versions.get(RETIRED)
        return period_from(row.told["ask_after"]) if row is not None and row.told and row.told.get("ask_after") else None
