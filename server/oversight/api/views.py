"""Today, the ribbon, the devices list, and whether everything is up."""

from datetime import timedelta
from typing import Any
from uuid import UUID

from django.http import HttpRequest, JsonResponse
from drf_spectacular.utils import extend_schema, extend_schema_field, inline_serializer
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.families import FAMILIES
from core.schedule.promise import Standing
from server.api.paging import Pages
from server.fleet.queries import device as device_by_id
from server.outside import outside
from server.oversight.health import troubles
from server.oversight.ribbon import coming_night, past_nights, planned_on
from server.oversight.standing import Standings, standing_of, standings
from server.oversight.today import today
from server.people.queries import office_zone
from server.runs.models import RunState


class DeviceRowSerializer(serializers.Serializer):
    """One device with its standing."""

    id = serializers.UUIDField(source="device.id")
    name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    team = serializers.SerializerMethodField()
    family = serializers.CharField(source="device.family")
    family_label = serializers.SerializerMethodField()
    link = serializers.CharField(source="device.link")
    make = serializers.CharField(source="device.make")
    model = serializers.CharField(source="device.model")
    os_version = serializers.CharField(source="device.os_version")
    device_state = serializers.CharField(source="device.state")
    away_until = serializers.DateField(source="device.away_until", allow_null=True)
    folder = serializers.CharField(source="device.folder")
    standing = serializers.ChoiceField(source="state.standing", choices=[(found.value, found.value) for found in Standing])
    newest_at = serializers.DateTimeField(source="device.newest_at", allow_null=True)
    newest_id = serializers.UUIDField(source="device.newest_id", allow_null=True)
    newest_bytes = serializers.IntegerField(source="device.newest_bytes", allow_null=True)
    deadline = serializers.DateTimeField(source="state.deadline", allow_null=True)
    promise_seconds = serializers.SerializerMethodField()
    plan_id = serializers.SerializerMethodField()
    plan_name = serializers.SerializerMethodField()
    next_run = serializers.DateTimeField(allow_null=True)
    held_bytes = serializers.IntegerField()
    active_run = serializers.UUIDField(source="device.active_run", allow_null=True)
    active_cause = serializers.CharField(source="device.active_cause", allow_null=True)
    last_run = serializers.UUIDField(source="device.last_run", allow_null=True)
    last_state = serializers.ChoiceField(source="device.last_state", choices=RunState.choices, allow_null=True)
    last_cause = serializers.CharField(source="device.last_cause", allow_null=True)
    last_seen_at = serializers.DateTimeField(source="device.last_seen_at", allow_null=True)

    def get_team(self, row: Standings) -> str:
        return row.device.team.name if row.device.team else ""

    def get_family_label(self, row: Standings) -> str:
        return FAMILIES[row.device.family].label

    def get_promise_seconds(self, row: Standings) -> int | None:
        return row.plan.promise_seconds if row.plan else None

    def get_plan_id(self, row: Standings) -> UUID | None:
        return row.plan.id if row.plan else None

    def get_plan_name(self, row: Standings) -> str:
        return row.plan.name if row.plan else ""


class DevicesFilter(serializers.Serializer):
    standing = serializers.ChoiceField(choices=[found.value for found in Standing], required=False)
    words = serializers.CharField(required=False, max_length=200, default="")
    team = serializers.CharField(required=False, max_length=80)


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


class DevicesView(APIView):
    """Every device with its standing, worst first; cut on the server."""

    @extend_schema(
        operation_id="devices",
        parameters=[DevicesFilter, inline_serializer("PageQuery", {"page": serializers.IntegerField(required=False)})],
        responses=inline_serializer(
            "DevicesPage",
            {
                "count": serializers.IntegerField(),
                "counts": serializers.DictField(child=serializers.IntegerField()),
                "results": DeviceRowSerializer(many=True),
            },
        ),
    )
    def get(self, request: Request) -> Response:
        given = DevicesFilter(data=request.query_params)
        given.is_valid(raise_exception=True)
        wanted = given.validated_data
        rows = standings(now=outside().now())
        counts: dict[str, int] = {}
        for row in rows:
            counts[row.state.standing] = counts.get(row.state.standing, 0) + 1
        found = [row for row in rows if _matches(row, wanted)]
        pages = Pages()
        pages.page_size = pages.max_page_size
        page = pages.paginate_queryset(found, request, view=self)  # type: ignore[arg-type]
        return Response({"count": len(found), "counts": counts, "results": DeviceRowSerializer(page, many=True).data})


def _matches(row: Standings, wanted: dict[str, str]) -> bool:
    device = row.device
    team = device.team.name if device.team else ""
    if wanted.get("standing", row.state.standing) != row.state.standing or wanted.get("team", team) != team:
        return False
    hay = f"{device.name} {device.holder.name} {team} {device.model}".casefold()
    return all(word in hay for word in wanted["words"].casefold().split())


class DeviceView(APIView):
    @extend_schema(operation_id="device", responses=DeviceRowSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(DeviceRowSerializer(standing_of(device_by_id(id), now=outside().now())).data)


def healthz(request: HttpRequest) -> JsonResponse:
    """200 when everything is up, 503 with the reasons before. Open: it tells no content."""
    found = troubles()
    return JsonResponse({"ok": not found, "troubles": found}, status=503 if found else 200)
