"""Exceptions from the plans' rules."""

from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.retention.rule import COUNTS
from core.units import DAYS
from server import ports
from server.people.signed_in import signed_in
from server.plans.models import UNITS, RuleVersion
from server.retention.actions.set_exception import set_exception
from server.retention.api.consequences import ConsequencesSerializer, told_consequences
from server.retention.exceptions import checked, consequences_of, standing, whose, words_of

PERIODS = ("within", "greatest_age", "ask_after")


class PeriodSerializer(serializers.Serializer):
    """A part of `KeepingRuleSerializer`."""

    count = serializers.IntegerField(min_value=1, max_value=20_000)
    unit = serializers.ChoiceField(choices=UNITS)


class KeepingRuleSerializer(serializers.Serializer):
    """Zero and null leave something out."""

    last = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    hourly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    daily = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    weekly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    monthly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    yearly = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    within = PeriodSerializer(default=None, allow_null=True, help_text="Everything of it.")
    minimum_age_seconds = serializers.IntegerField(min_value=0, max_value=3660 * DAYS, default=7 * DAYS)
    greatest_age = PeriodSerializer(default=None, allow_null=True)
    ask_after = PeriodSerializer(
        default=None, allow_null=True, help_text="Of retired and lost devices: so long after that somebody is asked whether they may go."
    )


class WhoseSerializer(serializers.Serializer):
    """What `exception_consequences` is sent."""

    plan = serializers.UUIDField(default=None, allow_null=True)
    team = serializers.IntegerField(default=None, allow_null=True)
    device = serializers.UUIDField(default=None, allow_null=True)
    store = serializers.UUIDField(default=None, allow_null=True)
    retired = serializers.BooleanField(default=False)
    rule = KeepingRuleSerializer(allow_null=True, help_text="Null ends the exception.")

    def of(self) -> Any:
        """Whose rule it is. Raises BadInput."""
        return whose(**{name: self.validated_data[name] for name in ("plan", "team", "device", "store", "retired")})

    def told(self) -> dict[str, Any] | None:
        """The rule that was typed; None to end the exception."""
        rule = self.validated_data["rule"]
        if rule is None:
            return None
        periods = {name: [rule[name]["count"], rule[name]["unit"]] if rule[name] else None for name in PERIODS}
        return dict(rule) | periods


class SaveExceptionSerializer(WhoseSerializer):
    """What `set_exception` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True, default="")
    seen = serializers.CharField(max_length=64, allow_blank=True, default="", help_text="Digest of the consequences that were shown.")
    word = serializers.CharField(max_length=40, allow_blank=True, default="")


class ExceptionSerializer(serializers.ModelSerializer):
    """What `exceptions` answers."""

    says = serializers.SerializerMethodField(help_text="Of what it speaks, in words.")
    rule = serializers.SerializerMethodField()
    by = serializers.CharField(source="by.shown_name", default="")

    def get_says(self, row: RuleVersion) -> str:
        return words_of(row)

    @extend_schema_field(KeepingRuleSerializer)
    def get_rule(self, row: RuleVersion) -> Any:
        rule = row.told or {}
        periods = {name: {"count": rule[name][0], "unit": rule[name][1]} if rule.get(name) else None for name in PERIODS}
        counts = {name: rule.get(name, 0) for name in COUNTS}
        return {**counts, **periods, "minimum_age_seconds": rule.get("minimum_age_seconds", 0)}

    class Meta:
        model = RuleVersion
        fields: tuple[str, ...] = (
            "id",
            "says",
            "number",
            "plan_id",
            "team_id",
            "device_id",
            "store_id",
            "retired",
            "rule",
            "why",
            "by",
            "at",
        )
        read_only_fields: tuple[str, ...] = fields


class ExceptionsView(APIView):
    """Answers `exceptions`, `set_exception`."""

    @extend_schema(operation_id="exceptions", responses=ExceptionSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(ExceptionSerializer(standing(), many=True).data)

    @extend_schema(operation_id="set_exception", request=SaveExceptionSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        body = SaveExceptionSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        agreed = {name: body.validated_data[name] for name in ("why", "seen", "word")}
        set_exception(body.of(), body.told(), by=signed_in(request), **agreed)
        return Response(status=204)


class ExceptionConsequencesView(APIView):
    """Answers `exception_consequences`."""

    @extend_schema(operation_id="exception_consequences", request=WhoseSerializer, responses=ConsequencesSerializer)
    def post(self, request: Request) -> Response:
        body = WhoseSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        consequences = consequences_of(body.of(), checked(body.told()), now=ports.clock().now())
        return Response(ConsequencesSerializer(told_consequences(consequences)).data)
