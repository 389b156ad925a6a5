"""How long records are kept."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.read_before import ReadBefore
from server.people.actions.set_ages import set_ages
from server.people.ages import MOST_DAYS, ages, checked, days_by_code, old_rows
from server.people.signed_in import signed_in


class AgeSerializer(serializers.Serializer):
    """What `ages` answers."""

    code = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    says = serializers.CharField()
    days = serializers.IntegerField()
    usual = serializers.IntegerField()
    least = serializers.IntegerField()
    going = serializers.IntegerField(help_text="Records that are older now, and go the next night.")


class SetAgesSerializer(ReadBefore):
    """What `set_ages` is sent."""

    ages = serializers.DictField(child=serializers.IntegerField(max_value=MOST_DAYS))


def told_ages(instead: dict[str, int]) -> list[dict[str, Any]]:
    """Every sort, with its days and what is usual."""
    now, said = ports.clock().now(), {**days_by_code(), **instead}
    rows = []
    for age in ages():
        days = said[age.code]
        fields = {"code": age.code, "label": age.label, "says": age.says, "days": days, "usual": age.days, "least": age.least}
        rows.append({**fields, "going": old_rows(age, days, now=now).count()})
    return rows


class AgesView(APIView):
    """Answers `ages`, `set_ages`."""

    @extend_schema(operation_id="ages", responses=AgeSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(AgeSerializer(told_ages({}), many=True).data)

    @extend_schema(operation_id="set_ages", request=SetAgesSerializer, responses=AgeSerializer(many=True))
    def put(self, request: Request) -> Response:
        body = SetAgesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed("ages", days_by_code)
        set_ages(body.validated_data["ages"], by=signed_in(request), now=ports.clock().now())
        return Response(AgeSerializer(told_ages({}), many=True).data)


class AgesPreviewView(APIView):
    """What would go with other times."""

    @extend_schema(operation_id="preview_ages", request=SetAgesSerializer, responses=AgeSerializer(many=True))
    def post(self, request: Request) -> Response:
        body = SetAgesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(AgeSerializer(told_ages(checked(body.validated_data["ages"])), many=True).data)
