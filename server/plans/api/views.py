"""Plans: the list, the editor, and the answer that stands beside it while it is edited."""

from datetime import timedelta
from itertools import pairwise
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.content.scope import Reach
from core.retention.rule import Moment, verdicts
from server.outside import outside
from server.people.queries import office_zone
from server.plans.actions.save_plan import Draft, checked, remove_plan, save_plan
from server.plans.convert import next_run, recurrence_of, rule_of, taken_kinds
from server.plans.models import Plan
from server.plans.queries import devices_of, plans
from server.plans.queries import plan as plan_by_id

PREVIEWED_RUNS = 5


class ExclusionSerializer(serializers.Serializer):
    """A folder, an album or an app that is left out."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    under = serializers.CharField(max_length=300)


class DraftSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=80, allow_blank=True)
    kinds = serializers.ListField(child=serializers.CharField(max_length=20), max_length=40)
    days = serializers.ListField(child=serializers.IntegerField(min_value=0, max_value=6), max_length=7)
    starts_at = serializers.TimeField()
    window_closes = serializers.TimeField()
    store = serializers.UUIDField(allow_null=True)
    promise_seconds = serializers.IntegerField(min_value=0, max_value=10 * 366 * 86_400)
    keep_last = serializers.IntegerField(min_value=0, max_value=1000)
    keep_daily = serializers.IntegerField(min_value=0, max_value=1000)
    keep_weekly = serializers.IntegerField(min_value=0, max_value=1000)
    keep_monthly = serializers.IntegerField(min_value=0, max_value=1000)
    paused = serializers.BooleanField(default=False)
    reach = serializers.ChoiceField(choices=[(reach.value, reach.value) for reach in Reach], default=Reach.ONLY.value)
    larger_than_bytes = serializers.IntegerField(allow_null=True, default=None, max_value=1 << 44)
    exclusions = ExclusionSerializer(many=True, default=())

    def draft(self) -> Draft:
        told = {name: value for name, value in self.validated_data.items() if name != "devices"}
        return Draft(**told | {"exclusions": tuple(dict(entry) for entry in told["exclusions"])})


class SavePlanSerializer(DraftSerializer):
    devices = serializers.ListField(child=serializers.UUIDField(), max_length=5000)


class PlanSerializer(serializers.ModelSerializer):
    store_id = serializers.UUIDField()
    store_name = serializers.CharField(source="store.name")
    device_count = serializers.IntegerField()
    next_run = serializers.SerializerMethodField()
    exclusions = ExclusionSerializer(many=True)
    reach = serializers.ChoiceField(choices=[(reach.value, reach.value) for reach in Reach])
    taken = serializers.SerializerMethodField(help_text="Codes of the kinds that it takes.")

    class Meta:
        model = Plan
        fields = (
            "id", "name", "reach", "kinds", "taken", "larger_than_bytes", "exclusions", "days", "starts_at",
            "window_closes", "store_id", "store_name", "promise_seconds", "keep_last",
            "keep_daily", "keep_weekly", "keep_monthly", "paused", "device_count", "next_run",
        )  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_taken(self, plan: Plan) -> Any:
        return list(taken_kinds(plan))

    @extend_schema_field(serializers.DateTimeField(allow_null=True))
    def get_next_run(self, plan: Plan) -> Any:
        return next_run(plan, office_zone(), outside().now())


class PlanDetailSerializer(PlanSerializer):
    devices = serializers.SerializerMethodField()

    class Meta(PlanSerializer.Meta):
        fields = (*PlanSerializer.Meta.fields, "devices")
        read_only_fields = fields

    @extend_schema_field(serializers.ListField(child=serializers.UUIDField()))
    def get_devices(self, plan: Plan) -> Any:
        return list(devices_of(plan).values_list("id", flat=True))


class PreviewSerializer(serializers.Serializer):
    """What a draft means: shown beside the editor."""

    next_runs = serializers.ListField(child=serializers.DateTimeField())
    runs_a_week = serializers.IntegerField()
    kept_days = serializers.ListField(child=serializers.DateField(), help_text="Once the plan has run for a year.")
    shortfall = serializers.CharField(allow_blank=True, help_text="Why the promise cannot be kept; empty when it can.")


class KindSerializer(serializers.Serializer):
    code = serializers.CharField()
    label = serializers.CharField()
    secret = serializers.BooleanField(help_text="Only travels in encrypted backups.")
    crosses = serializers.BooleanField(help_text="The other family can take it.")
    leaves_as = serializers.CharField(help_text="The open format of its export.")
    often_in_step = serializers.BooleanField(help_text="Commonly kept in step by an outside account.")
    regained = serializers.BooleanField(help_text="Can be had again from where it came.")


class KindsView(APIView):
    @extend_schema(operation_id="kinds", responses=KindSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(KindSerializer(KINDS.values(), many=True).data)


class PlansView(APIView):
    @extend_schema(operation_id="plans", responses=PlanSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(PlanSerializer(plans()[:200], many=True).data)

    @extend_schema(operation_id="add_plan", request=SavePlanSerializer, responses={201: PlanDetailSerializer})
    def post(self, request: Request) -> Response:
        given = SavePlanSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        saved = save_plan(given.draft(), devices=given.validated_data["devices"], by=request.user)
        return Response(PlanDetailSerializer(plan_by_id(saved.id)).data, status=201)


class PlanView(APIView):
    @extend_schema(operation_id="plan", responses=PlanDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(PlanDetailSerializer(plan_by_id(id)).data)

    @extend_schema(operation_id="change_plan", request=SavePlanSerializer, responses=PlanDetailSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        given = SavePlanSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        saved = save_plan(given.draft(), devices=given.validated_data["devices"], by=request.user, plan=plan_by_id(id))
        return Response(PlanDetailSerializer(plan_by_id(saved.id)).data)

    @extend_schema(operation_id="remove_plan", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        remove_plan(plan_by_id(id), by=request.user)
        return Response(status=204)


class PreviewPlanView(APIView):
    @extend_schema(operation_id="preview_plan", request=DraftSerializer, responses=PreviewSerializer)
    def post(self, request: Request) -> Response:
        given = DraftSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        draft = given.draft()
        plan = checked(draft, Plan(added_at=outside().now()))
        return Response(PreviewSerializer(_preview(plan)).data)


def _preview(plan: Plan) -> dict[str, Any]:
    now, zone = outside().now(), office_zone()
    recurrence = recurrence_of(plan, zone)
    year = [Moment(id=str(n), at=at) for n, at in enumerate(recurrence.between(now - timedelta(days=366), now))]
    kept = [verdict.moment.at.astimezone(zone).date() for verdict in verdicts(year, rule_of(plan), zone=zone, now=now) if verdict.kept]
    upcoming = recurrence.following(now, 15)
    longest = max((after - before for before, after in pairwise(upcoming)), default=timedelta())
    short = longest > timedelta(seconds=plan.promise_seconds)
    says = f"Its runs are up to {longest.days} days and {longest.seconds // 3600} hours apart, longer than promised." if short else ""
    week = len(list(recurrence.between(now, now + timedelta(days=7))))
    return {"next_runs": upcoming[:PREVIEWED_RUNS], "runs_a_week": week, "kept_days": sorted(kept), "shortfall": says}
