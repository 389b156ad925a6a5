"""Plans: the list, the editor, and the answer that stands beside it while it is edited."""

from dataclasses import asdict
from datetime import timedelta
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.content.scope import Reach
from core.retention.rule import Unit
from core.schedule.pattern import Pattern, PatternShape, pattern_of
from core.schedule.pattern import rule_of as rule_of_pattern
from core.schedule.recurrence import ClockChange
from core.units import DAYS
from server import ports
from server.api.fields import BytesField, DayField
from server.people.signed_in import signed_in
from server.plans.actions.save_plan import Draft, DraftTarget, checked, remove_plan, save_plan
from server.plans.convert import next_run, sentence_of, taken_kinds
from server.plans.models import UNITS, Pause, Plan, PlanTarget
from server.plans.present import Present
from server.plans.preview import preview
from server.plans.queries import begins_again, device_ids_of, plans, team_ids_of
from server.plans.queries import plan as plan_by_id
from server.plans.soundness import fault_of, or_else


class ExclusionSerializer(serializers.Serializer):
    """A folder, an album or an app that is left out."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    under = serializers.CharField(max_length=300)


class PatternSerializer(serializers.Serializer):
    """When it runs, as a sentence says it; fields of other shapes are passed over."""

    shape = serializers.ChoiceField(choices=[(shape.value, shape.value) for shape in PatternShape])
    days = serializers.IntegerField(default=2, min_value=0, max_value=1000)
    weekdays = serializers.ListField(child=serializers.IntegerField(min_value=0, max_value=6), max_length=7, default=list)
    nth = serializers.IntegerField(default=1, min_value=-1, max_value=4)
    hours = serializers.IntegerField(default=4, min_value=0, max_value=24)
    from_hour = serializers.IntegerField(default=8, min_value=0, max_value=23)
    to_hour = serializers.IntegerField(default=18, min_value=0, max_value=23)
    rule = serializers.CharField(default="", allow_blank=True, max_length=300)


class PauseSerializer(serializers.Serializer):
    """A pause that lasts."""

    id = serializers.UUIDField()
    of = serializers.SerializerMethodField(help_text="everything, plan or device")
    until = DayField(allow_null=True)
    reason = serializers.CharField()
    by = serializers.CharField(source="by.shown_name", default="")
    at = serializers.DateTimeField()

    @extend_schema_field(serializers.ChoiceField(choices=["everything", "plan", "device"]))
    def get_of(self, pause: Pause) -> str:
        return "plan" if pause.plan_id else "device" if pause.device_id else "everything"


class TargetSerializer(serializers.Serializer):
    """A store of a plan."""

    store = serializers.UUIDField(allow_null=True)
    delay_minutes = serializers.IntegerField(default=0, min_value=0)
    copies_from = serializers.TimeField(default=None, allow_null=True)
    copies_until = serializers.TimeField(default=None, allow_null=True)
    limit_bytes_per_second = BytesField(default=None, allow_null=True)
    not_metered = serializers.BooleanField(default=False)
    falls_over = serializers.BooleanField(default=False)


class ShownTargetSerializer(serializers.ModelSerializer):
    """A part of `PlanSerializer`."""

    store = serializers.UUIDField(source="store_id")
    store_name = serializers.CharField(source="store.name")

    class Meta:
        model = PlanTarget
        fields: tuple[str, ...] = (
            "store", "store_name", "delay_minutes", "copies_from", "copies_until", "limit_bytes_per_second", "not_metered", "falls_over",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields


class DraftSerializer(serializers.Serializer):
    """What `preview_plan` is sent."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    kinds = serializers.ListField(child=serializers.CharField(max_length=20), max_length=40)
    pattern = PatternSerializer()
    starts_at = serializers.TimeField()
    window_closes = serializers.TimeField()
    store = serializers.UUIDField(allow_null=True, default=None, help_text="Short for a single target.")
    targets = TargetSerializer(many=True, default=list, help_text="In their order; runs go to the first.")
    promise_seconds = serializers.IntegerField(min_value=0, max_value=10 * 366 * 86_400)
    keep_last = serializers.IntegerField(min_value=0, max_value=1000)
    keep_daily = serializers.IntegerField(min_value=0, max_value=1000)
    keep_weekly = serializers.IntegerField(min_value=0, max_value=1000)
    keep_monthly = serializers.IntegerField(min_value=0, max_value=1000)
    keep_hourly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    keep_yearly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    keep_within = serializers.IntegerField(
        min_value=1, max_value=20_000, default=None, allow_null=True, help_text="Everything of so many units of the calendar."
    )
    keep_within_unit = serializers.ChoiceField(choices=UNITS, default=Unit.DAYS.value)
    keep_minimum_age_seconds = serializers.IntegerField(
        min_value=0, max_value=3660 * DAYS, default=None, allow_null=True, help_text="Null for the larger of 7 days and the promise."
    )
    keep_greatest_age = serializers.IntegerField(min_value=1, max_value=20_000, default=None, allow_null=True)
    keep_greatest_age_unit = serializers.ChoiceField(choices=UNITS, default=Unit.DAYS.value)
    starts_on = DayField(allow_null=True, default=None)
    ends_on = DayField(allow_null=True, default=None)
    exceptions = serializers.ListField(child=DayField(), max_length=400, default=list)
    skips_closed_days = serializers.BooleanField(default=False)
    catch_up = serializers.BooleanField(default=False)
    needs_power = serializers.BooleanField(default=False)
    needs_office_wireless = serializers.BooleanField(default=False)
    needs_battery_percent = serializers.IntegerField(min_value=0, max_value=100, default=0)
    not_in_use_minutes = serializers.IntegerField(min_value=0, max_value=600, default=0)
    leaves_out_closed_days = serializers.BooleanField(default=False)
    leaves_out_away_days = serializers.BooleanField(default=False)
    reach = serializers.ChoiceField(choices=[(reach.value, reach.value) for reach in Reach], default=Reach.ONLY.value)
    first_kinds = serializers.ListField(child=serializers.CharField(max_length=20), max_length=40, default=list)
    larger_than_bytes = serializers.IntegerField(allow_null=True, default=None, max_value=1 << 44)
    exclusions = ExclusionSerializer(many=True, default=())
    own_cloud_seconds = serializers.IntegerField(allow_null=True, default=None, max_value=1 << 40)

    def draft(self) -> Draft:
        """What was typed, as the actions want it."""
        fields = {name: value for name, value in self.validated_data.items() if name not in ("devices", "pattern")}
        pattern = dict(self.validated_data["pattern"])
        rule = rule_of_pattern(Pattern(**pattern | {"shape": PatternShape(pattern["shape"]), "weekdays": tuple(pattern["weekdays"])}))
        targets = tuple(DraftTarget(**target) for target in fields["targets"])
        lists: dict[str, Any] = {
            "targets": targets,
            "exclusions": tuple(dict(entry) for entry in fields["exclusions"]),
            "exceptions": tuple(fields["exceptions"]),
            "first_kinds": tuple(fields["first_kinds"]),
        }
        if fields.get("teams") is not None:
            lists["teams"] = tuple(fields["teams"])
        return Draft(**fields | lists, rule=rule)


class SavePlanSerializer(DraftSerializer):
    """What `add_plan` is sent."""

    devices = serializers.ListField(child=serializers.UUIDField(), max_length=5000)
    teams = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=1 << 62),
        max_length=500,
        default=None,
        allow_null=True,
        help_text="Whose devices follow it as long as they have no plan; left out, that stays as it is.",
    )
    revision = serializers.IntegerField(
        default=None, allow_null=True, min_value=0, help_text="Of the plan that was read: refused when it was changed since."
    )
    seen = serializers.CharField(
        max_length=64, allow_blank=True, default="", help_text="Digest of the consequences that were shown; empty when nothing leaves."
    )
    word = serializers.CharField(max_length=40, allow_blank=True, default="", help_text="Typed, where the consequences ask for it.")


class PlanSerializer(serializers.ModelSerializer):
    """What `plans` answers."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField(source="store.name")
    targets = ShownTargetSerializer(many=True)
    device_count = serializers.IntegerField()
    next_run = serializers.SerializerMethodField()
    exclusions = ExclusionSerializer(many=True)
    reach = serializers.ChoiceField(choices=[(reach.value, reach.value) for reach in Reach])
    taken = serializers.SerializerMethodField(help_text="Codes of the kinds that it takes.")
    pattern = serializers.SerializerMethodField()
    sentence = serializers.SerializerMethodField(help_text="When it runs, in words.")
    fault = serializers.SerializerMethodField(help_text="Why it cannot be computed; empty when it can.")
    pause = serializers.SerializerMethodField()
    has_feed = serializers.SerializerMethodField()

    class Meta:
        model = Plan
        fields: tuple[str, ...] = (
            "id", "name", "reach", "kinds", "taken", "first_kinds", "larger_than_bytes", "exclusions", "pattern", "sentence", "starts_at",
            "window_closes", "starts_on", "ends_on", "exceptions", "skips_closed_days", "catch_up", "needs_power", "needs_office_wireless",
            "needs_battery_percent", "not_in_use_minutes", "leaves_out_closed_days", "leaves_out_away_days",
            "store_id", "store_name", "targets", "promise_seconds", "own_cloud_seconds",
            "keep_last",
            "keep_daily", "keep_weekly", "keep_monthly", "keep_hourly", "keep_yearly", "keep_within", "keep_within_unit",
            "keep_minimum_age_seconds", "keep_greatest_age", "keep_greatest_age_unit",
            "pause", "has_feed", "device_count", "next_run", "fault",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_taken(self, plan: Plan) -> Any:
        return list(or_else(plan, lambda: taken_kinds(plan), ()))

    @extend_schema_field(serializers.DateTimeField(allow_null=True))
    def get_next_run(self, plan: Plan) -> Any:
        present = self._now()
        pause = present.held.of(plan.id)
        again = present.now if pause is None else begins_again(pause, present.zone)
        if again is None:
            return None
        after = again if pause is None else max(again - timedelta(microseconds=1), present.now)
        return or_else(plan, lambda: next_run(plan, present.zone, after, present.closed), None)

    def get_fault(self, plan: Plan) -> str:
        present = self._now()
        return fault_of(plan, zone=present.zone, closed=present.closed, now=present.now)

    @extend_schema_field(PatternSerializer)
    def get_pattern(self, plan: Plan) -> Any:
        return asdict(or_else(plan, lambda: pattern_of(plan.rule), Pattern(shape=PatternShape.RULE, rule=plan.rule)))

    def get_sentence(self, plan: Plan) -> str:
        return or_else(plan, lambda: sentence_of(plan), "It cannot be computed")

    @extend_schema_field(PauseSerializer(allow_null=True))
    def get_pause(self, plan: Plan) -> Any:
        pause = self._now().held.of(plan.id)
        return PauseSerializer(pause).data if pause else None

    def get_has_feed(self, plan: Plan) -> bool:
        return bool(plan.feed_digest)

    def _now(self) -> "Present":
        """Asked once a page."""
        if "present" not in self.root.__dict__:
            self.root.__dict__["present"] = Present.read()
        return self.root.__dict__["present"]  # type: ignore[no-any-return]


class PlanDetailSerializer(PlanSerializer):
    """What `add_plan` answers."""

    devices = serializers.SerializerMethodField()
    teams = serializers.SerializerMethodField(help_text="Whose devices follow it as long as they have no plan.")

    class Meta(PlanSerializer.Meta):
        fields: tuple[str, ...] = (*PlanSerializer.Meta.fields, "devices", "teams", "revision")
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(serializers.ListField(child=serializers.UUIDField()))
    def get_devices(self, plan: Plan) -> Any:
        return device_ids_of(plan)

    @extend_schema_field(serializers.ListField(child=serializers.IntegerField()))
    def get_teams(self, plan: Plan) -> Any:
        return team_ids_of(plan)


class NextRunSerializer(serializers.Serializer):
    """A part of `PreviewSerializer`."""

    at = serializers.DateTimeField()
    closes = serializers.DateTimeField()
    clocks = serializers.ChoiceField(choices=[(change.value, change.value) for change in ClockChange], allow_blank=True)


class PreviewSerializer(serializers.Serializer):
    """What a draft means: shown beside the editor."""

    sentence = serializers.CharField()
    rule = serializers.CharField()
    next_runs = NextRunSerializer(many=True)
    skipped_days = serializers.ListField(child=DayField(), help_text="Of the coming year: closed days and exceptions.")
    runs_a_week = serializers.IntegerField()
    kept_days = serializers.ListField(child=DayField(), help_text="Once the plan has run for a year.")
    shortfall = serializers.CharField(allow_blank=True, help_text="Why the promise cannot be kept; empty when it can.")


class KindSerializer(serializers.Serializer):
    """What `kinds` answers."""

    code = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    secret = serializers.BooleanField(help_text="Only travels in encrypted backups.")
    crosses = serializers.BooleanField(help_text="The other family can take it.")
    leaves_as = serializers.CharField(help_text="The open format of its export.")
    often_in_step = serializers.BooleanField(help_text="Commonly synchronised by an outside account.")
    regained = serializers.BooleanField(help_text="Can be had again from where it came.")


class KindsView(APIView):
    """Answers `kinds`."""

    @extend_schema(operation_id="kinds", responses=KindSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(KindSerializer(KINDS.values(), many=True).data)


class PlansView(APIView):
    """Answers `plans`, `add_plan`."""

    @extend_schema(operation_id="plans", responses=PlanSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(PlanSerializer(plans()[:200], many=True).data)

    @extend_schema(operation_id="add_plan", request=SavePlanSerializer, responses={201: PlanDetailSerializer})
    def post(self, request: Request) -> Response:
        body = SavePlanSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        saved = save_plan(body.draft(), devices=body.validated_data["devices"], by=signed_in(request))
        return Response(PlanDetailSerializer(plan_by_id(saved.id)).data, status=201)


class PlanView(APIView):
    """Answers `plan`, `change_plan`, `remove_plan`."""

    @extend_schema(operation_id="plan", responses=PlanDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(PlanDetailSerializer(plan_by_id(id)).data)

    @extend_schema(operation_id="change_plan", request=SavePlanSerializer, responses=PlanDetailSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = SavePlanSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        saved = save_plan(body.draft(), devices=body.validated_data["devices"], by=signed_in(request), plan=plan_by_id(id))
        return Response(PlanDetailSerializer(plan_by_id(saved.id)).data)

    @extend_schema(operation_id="remove_plan", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        remove_plan(plan_by_id(id), by=signed_in(request))
        return Response(status=204)


class PreviewPlanView(APIView):
    """Answers `preview_plan`."""

    @extend_schema(operation_id="preview_plan", request=DraftSerializer, responses=PreviewSerializer)
    def post(self, request: Request) -> Response:
        body = DraftSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        draft = body.draft()
        plan = checked(draft, Plan(added_at=ports.clock().now()))
        return Response(PreviewSerializer(preview(plan, now=ports.clock().now())).data)
