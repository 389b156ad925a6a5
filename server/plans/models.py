"""Plans: what goes in, when, where to, how fresh it must be, and what is kept."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models

from core.content.scope import Reach
from core.retention.rule import Unit
from server.fleet.models import Device
from server.storage.models import Store

UNITS = [(unit.value, unit.value) for unit in Unit]


class Plan(models.Model):
    """What is backed up when, to where, and how long it is kept."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80, unique=True)
    reach = models.CharField(max_length=10, choices=[(reach.value, reach.value) for reach in Reach], default=Reach.ONLY)
    kinds = ArrayField(models.CharField(max_length=20), help_text="What `reach` speaks of: all but these, or only these.", blank=True)
    first_kinds = ArrayField(
        models.CharField(max_length=20),
        default=list,
        blank=True,
        help_text="What is saved first, in this order: it is kept where no room is left for all.",
    )
    larger_than_bytes = models.BigIntegerField(null=True, help_text="Single items above this are left out; empty takes all.")
    exclusions = models.JSONField(default=list, help_text="[{kind, under}]: folders, albums, apps that are left out.")
    rule = models.CharField(
        max_length=300, default="FREQ=DAILY", help_text="RRULE value (RFC 5545) on the wall clock of the office's zone."
    )
    starts_at = models.TimeField(help_text="In the office's zone.")
    window_closes = models.TimeField(help_text="Runs start until then; may lie on the next day.")
    starts_on = models.DateField(null=True, help_text="First day; the rule is counted from it. Empty: the day it was added.")
    ends_on = models.DateField(null=True, help_text="Last day; empty without an end.")
    exceptions = ArrayField(models.DateField(), default=list, blank=True, help_text="Days on which nothing runs.")
    skips_closed_days = models.BooleanField(default=False, help_text="Whether nothing runs on days on which the office is closed.")
    catch_up = models.BooleanField(default=False, help_text="Whether a run that found no device in its window starts as soon as it can.")
    needs_power = models.BooleanField(default=False)
    needs_office_wireless = models.BooleanField(default=False)
    needs_battery_percent = models.PositiveSmallIntegerField(default=0)
    not_in_use_minutes = models.PositiveSmallIntegerField(default=0)
    leaves_out_closed_days = models.BooleanField(default=False, help_text="Closed days do not count towards the promise's age.")
    leaves_out_away_days = models.BooleanField(default=False, help_text="Days on which the device is known to be away do not count.")
    feed_digest = models.CharField(
        max_length=64, blank=True, db_index=True, help_text="SHA-256 of its feed's secret; empty without a feed."
    )
    promise_seconds = models.PositiveIntegerField(help_text="Largest allowed age of the newest good backup.")
    own_cloud_seconds = models.PositiveIntegerField(
        null=True, help_text="How old the last success of a device's own cloud backup may be, as it says; empty: that is not watched."
    )
    keep_last = models.PositiveSmallIntegerField()
    keep_daily = models.PositiveSmallIntegerField()
    keep_weekly = models.PositiveSmallIntegerField()
    keep_monthly = models.PositiveSmallIntegerField()
    keep_hourly = models.PositiveSmallIntegerField(default=0)
    keep_yearly = models.PositiveSmallIntegerField(default=0)
    keep_within = models.PositiveIntegerField(null=True, help_text="Everything of so many units of the calendar; empty leaves it out.")
    keep_within_unit = models.CharField(max_length=6, choices=UNITS, default=Unit.DAYS.value)
    keep_minimum_age_seconds = models.PositiveIntegerField(
        null=True, help_text="Nothing younger leaves; empty for the larger of 7 days and the promise."
    )
    keep_greatest_age = models.PositiveIntegerField(null=True, help_text="Counts keep nothing older; empty without an end.")
    keep_greatest_age_unit = models.CharField(max_length=6, choices=UNITS, default=Unit.DAYS.value)
    added_at = models.DateTimeField()
    revision = models.PositiveIntegerField(default=0, help_text="How often it was changed: whoever saves says which one was read.")
    changed_at = models.DateTimeField(null=True)
    changed_by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["name"]

    @property
    def first_target(self) -> "PlanTarget":
        """Where its runs go. Lists ask for the targets of all their plans at once: `plans.queries.WITH_TARGETS`."""
        return self.targets.all()[0]

    @property
    def store(self) -> Store:
        """The first of its targets: where its runs write."""
        return self.first_target.store

    @property
    def store_id(self) -> uuid.UUID:
        """The same, without a query."""
        return self.first_target.store_id


class PlanTarget(models.Model):
    """One of the stores that are to hold what a plan's rule keeps. Runs go to the first; the others get copies."""

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="targets")
    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="targets")
    order = models.PositiveSmallIntegerField(help_text="0 is where runs go.")
    delay_minutes = models.PositiveIntegerField(default=0, help_text="A copy is owed so long after its backup.")
    copies_from = models.TimeField(null=True, help_text="Copies go there only from this time of the office's day; empty at any time.")
    copies_until = models.TimeField(null=True)
    limit_bytes_per_second = models.BigIntegerField(null=True, help_text="For each copy; empty without a limit.")
    not_metered = models.BooleanField(default=False, help_text="Whether nothing goes there while the office's line is metered.")
    falls_over = models.BooleanField(default=False, help_text="Whether a run goes here when the stores before it cannot take it.")

    class Meta:
        ordering = ["order"]
        constraints = [
            models.UniqueConstraint(fields=["plan", "store"], name="target_once"),
            models.UniqueConstraint(fields=["plan", "order"], name="target_order", deferrable=models.Deferrable.DEFERRED),
        ]


class RuleVersion(models.Model):
    """What a rule said from then on, until the next version of the same subject. Append-only."""

    subject = models.CharField(
        max_length=120, help_text="Whose rule: `plan <id>`, or an exception from it such as `device <id> store <id>`."
    )
    number = models.PositiveIntegerField()
    plan = models.ForeignKey(Plan, null=True, on_delete=models.CASCADE, related_name="rule_versions")
    team = models.ForeignKey("people.Team", null=True, on_delete=models.CASCADE, related_name="+")
    device = models.ForeignKey(Device, null=True, on_delete=models.CASCADE, related_name="+")
    store = models.ForeignKey(Store, null=True, on_delete=models.CASCADE, related_name="+")
    retired = models.BooleanField(default=False, help_text="Of devices that are retired or lost.")
    told = models.JSONField(null=True, help_text="{last, daily, within: [count, unit], …}; null when the exception ended.")
    why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["subject", "-number"]
        constraints = [models.UniqueConstraint(fields=["subject", "number"], name="rule_version_once")]
        indexes = [models.Index(fields=["plan", "-number"])]


class Assignment(models.Model):
    """Which plan a device follows; at most one."""

    device = models.OneToOneField(Device, on_delete=models.CASCADE, related_name="assignment")
    plan = models.ForeignKey(Plan, on_delete=models.PROTECT, related_name="assignments")
    since = models.DateTimeField(help_text="Occurrences before this are not owed.")


class TeamPlan(models.Model):
    """The plan that a device of a team follows as long as it has none of its own choice: whoever joins is covered."""

    team = models.OneToOneField("people.Team", on_delete=models.CASCADE, related_name="default_plan")
    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="team_plans")


class KindChoice(models.Model):
    """That a kind is left out of a device's backups on purpose, or taken although its plan does not."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="kind_choices")
    kind = models.CharField(max_length=20)
    taken = models.BooleanField()
    service = models.CharField(max_length=100, blank=True, help_text="The account that synchronises it, where that was the reason.")
    alike = models.BooleanField(default=False, help_text="For every device of which that account synchronises the kind, too.")
    why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey("people.User", null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["ended_at", "kind"])]


class Pause(models.Model):
    """Nothing starts by itself: of a plan, of a device, or of everything when both are empty."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    plan = models.ForeignKey(Plan, null=True, on_delete=models.CASCADE, related_name="pauses")
    device = models.ForeignKey(Device, null=True, on_delete=models.CASCADE, related_name="pauses")
    until = models.DateField(null=True, help_text="First day on which it goes on, in the office's zone; empty until somebody ends it.")
    reason = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey("people.User", null=True, on_delete=models.PROTECT)
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, help_text="When it ended, by hand or by its date; empty while it lasts.")

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["ended_at"], name="pauses_ended")]
