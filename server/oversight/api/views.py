"""Today, the ribbon, and whether everything is up."""

from datetime import timedelta
from typing import Any
from uuid import UUID

from django.http import HttpRequest, JsonResponse
from drf_spectacular.utils import extend_schema, extend_schema_field, inline_serializer
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.outside import outside
from server.oversight.health import troubles
from server.oversight.ribbon import coming_night, past_nights, planned_on
from server.oversight.today import today
from server.people.queries import office_zone


class CauseSerializer(serializers.Serializer):
    code = serializers.CharField()
    mark = serializers.CharField()
    says = serializers.CharField()
    step = serializers.CharField()
    step_label = serializers.CharField()
    store_id = serializers.SerializerMethodField()
    devices = serializers.SerializerMethodField()

    def get_store_id(self, cause: Any) -> UUID | None:
        return cause.store.id if cause.store else None

    @extend_schema_field(
        inline_serializer(
            "CauseDevice",
            {
                "id": serializers.UUIDField(),
                "name": serializers.CharField(),
                "holder": serializers.CharField(),
                "team": serializers.CharField(),
            },
            many=True,
        )
    )
    def get_devices(self, cause: Any) -> list[dict[str, str]]:
        rows = [row.device for row in cause.devices[:50]]
        return [
            {"id": str(found.id), "name": found.name, "holder": found.holder.name, "team": found.team.name if found.team else ""}
            for found in rows
        ]


class TodaySerializer(serializers.Serializer):
    promised = serializers.IntegerField()
    inside = serializers.IntegerField()
    says = serializers.CharField()
    causes = CauseSerializer(many=True)
    standing_counts = serializers.DictField(child=serializers.IntegerField())
    tonight = serializers.IntegerField()


class NightSerializer(serializers.Serializer):
    night = serializers.DateField()
    came = serializers.IntegerField()
    came_late = serializers.IntegerField()
    missing = serializers.IntegerField()
    under_way = serializers.IntegerField()


class RibbonSerializer(serializers.Serializer):
    nights = NightSerializer(many=True)
    tonight = serializers.DateField()
    tonight_planned = serializers.IntegerField()
    tomorrow_planned = serializers.IntegerField()
    devices = serializers.IntegerField()


class TodayView(APIView):
    @extend_schema(operation_id="today", responses=TodaySerializer)
    def get(self, request: Request) -> Response:
        return Response(TodaySerializer(today(now=outside().now())).data)


class RibbonView(APIView):
    @extend_schema(operation_id="ribbon", responses=RibbonSerializer)
    def get(self, request: Request) -> Response:
        now = outside().now()
        tonight = coming_night(now, office_zone())
        nights = past_nights(now=now)
        planned, tomorrow = planned_on(tonight), planned_on(tonight + timedelta(days=1))
        highest = max([planned, tomorrow, *(n.came + n.came_late + n.missing + n.under_way for n in nights)])
        told = {"nights": nights, "tonight": tonight, "tonight_planned": planned, "tomorrow_planned": tomorrow, "devices": highest}
        return Response(RibbonSerializer(told).data)


def healthz(request: HttpRequest) -> JsonResponse:
    """200 when everything is up, 503 with the reasons before. Open: it tells no content."""
    found = troubles()
    return JsonResponse({"ok": not found, "troubles": found}, status=503 if found else 200)
