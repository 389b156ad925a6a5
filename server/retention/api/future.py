"""What there will be to go back to, and what there is by week."""

from typing import Any
from uuid import UUID

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.exchange.tables import csv_line
from core.retention.calendar import iso_week
from server import ports
from server.api.fields import DayField
from server.fleet.queries import device as device_by_id
from server.retention.future import MOST_WEEKS, endings, future, restore_points


class FutureQuery(serializers.Serializer):
    """What `device_future` can be asked for."""

    store = serializers.UUIDField(required=False, default=None, allow_null=True)


class FutureDaySerializer(serializers.Serializer):
    """What `device_future` answers."""

    day = DayField()
    kept = serializers.ListField(child=serializers.DateTimeField(), help_text="Of what lies there now, newest first.")
    planned = serializers.ListField(child=serializers.DateTimeField(), help_text="Of what is to come.")


class FutureView(APIView):
    """Answers `device_future`."""

    @extend_schema(operation_id="device_future", parameters=[FutureQuery], responses=FutureDaySerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        asked = FutureQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        days = future(device_by_id(id), asked.validated_data["store"], now=ports.clock().now())
        return Response(FutureDaySerializer(days, many=True).data)


class EndingSerializer(serializers.Serializer):
    """What `device_endings` answers."""

    day = DayField()
    moments = serializers.ListField(child=serializers.DateTimeField(), help_text="That begin to leave on it, newest first.")
    left = serializers.IntegerField(help_text="Moments that can be restored at its end.")


class EndingsView(APIView):
    """Answers `device_endings`."""

    @extend_schema(operation_id="device_endings", parameters=[FutureQuery], responses=EndingSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        asked = FutureQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        ends = endings(device_by_id(id), asked.validated_data["store"], now=ports.clock().now())
        return Response(EndingSerializer(ends, many=True).data)


class PointsQuery(serializers.Serializer):
    """What `restore_points` can be asked for."""

    weeks = serializers.IntegerField(required=False, default=26, min_value=1, max_value=MOST_WEEKS)
    team = serializers.IntegerField(required=False, default=None, allow_null=True)


class PointsRowSerializer(serializers.Serializer):
    """A part of `PointsSerializer`."""

    device_id = serializers.UUIDField(source="device.id")
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    team = serializers.CharField(source="device.team.name", default="")
    counts = serializers.ListField(child=serializers.IntegerField(), help_text="One a week, as `weeks`.")
    older = serializers.IntegerField(help_text="From before the first week.")


class PointsSerializer(serializers.Serializer):
    """What `restore_points` answers."""

    weeks = serializers.ListField(child=DayField(), help_text="Mondays, oldest first.")
    devices = PointsRowSerializer(many=True)


class RestorePointsView(APIView):
    """Answers `restore_points`."""

    @extend_schema(operation_id="restore_points", parameters=[PointsQuery], responses=PointsSerializer)
    def get(self, request: Request) -> Response:
        return Response(PointsSerializer(_asked(request)).data)


class RestorePointsTableView(APIView):
    """Answers `restore_points_table`."""

    @extend_schema(operation_id="restore_points_table", parameters=[PointsQuery], responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request) -> HttpResponse:
        fields = _asked(request)
        lines = [csv_line(["device", "holder", "team", "older", *(iso_week(week) for week in fields["weeks"])])]
        for row in fields["devices"]:
            device = row["device"]
            team = device.team.name if device.team else ""
            lines.append(csv_line([device.name, device.holder.name, team, str(row["older"]), *map(str, row["counts"])]))
        headers = {"Content-Disposition": 'attachment; filename="restore-points.csv"'}
        return HttpResponse("".join(lines), content_type="text/csv; charset=utf-8", headers=headers)


def _asked(request: Request) -> dict[str, Any]:
    asked = PointsQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    weeks, rows = restore_points(now=ports.clock().now(), **asked.validated_data)
    return {"weeks": weeks, "devices": rows}
