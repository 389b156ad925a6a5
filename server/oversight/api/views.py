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

from core.schedule.nights import coming_night
from server import ports
from server.api.fields import DayField
from server.api.permissions import May
from server.oversight.actions.run_cause import run_cause
from server.oversight.health import doubts, silences, troubles
from server.oversight.incidents import KnownIncident, needing
from server.oversight.ribbon import past_nights, planned_on
from server.oversight.today import today
from server.people.queries import office_zone
from server.people.signed_in import signed_in
from server.plans.api.views import PauseSerializer

NAMED = 12
"""Devices of a cause that Today names; the others are one step away."""


class CauseSerializer(serializers.Serializer):
    """A part of `TodaySerializer`."""

    code = serializers.CharField()
    mark = serializers.CharField()
    says = serializers.CharField()
    step = serializers.CharField()
    step_label = serializers.CharField()
    store_id = serializers.SerializerMethodField()
    incident_id = serializers.SerializerMethodField(help_text="What is remembered of it; empty for a few seconds after it began.")
    opened_at = serializers.SerializerMethodField()
    put_off_until = serializers.SerializerMethodField()
    put_off_why = serializers.SerializerMethodField()
    count = serializers.SerializerMethodField(help_text="All of its devices.")
    devices = serializers.SerializerMethodField(help_text="The first few of them.")

    def get_count(self, cause: Any) -> int:
        return len(cause.devices)

    @extend_schema_field(serializers.UUIDField(allow_null=True))
    def get_incident_id(self, cause: Any) -> Any:
        known = self._known(cause)
        return known.id if known else None

    @extend_schema_field(serializers.DateTimeField(allow_null=True))
    def get_opened_at(self, cause: Any) -> Any:
        known = self._known(cause)
        return known.opened_at if known else None

    @extend_schema_field(DayField(allow_null=True))
    def get_put_off_until(self, cause: Any) -> Any:
        known = self._known(cause)
        return known.put_off_until if known else None

    def get_put_off_why(self, cause: Any) -> str:
        known = self._known(cause)
        return known.put_off_why if known else ""

    def _known(self, cause: Any) -> KnownIncident | None:
        known: dict[str, KnownIncident] = self.context.get("known", {})
        return known.get(cause.code)

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
        rows = [row.device for row in cause.devices[:NAMED]]
        return [{"id": str(one.id), "name": one.name, "holder": one.holder.name, "team": one.team.name if one.team else ""} for one in rows]


class BackToNormalSerializer(serializers.Serializer):
    """A part of `TodaySerializer`."""

    id = serializers.UUIDField()
    says = serializers.CharField()
    closed_at = serializers.DateTimeField()


class TodaySerializer(serializers.Serializer):
    """What `today` answers."""

    promised = serializers.IntegerField()
    inside = serializers.IntegerField()
    says = serializers.CharField()
    causes = CauseSerializer(many=True)
    put_off = CauseSerializer(many=True)
    back_to_normal = BackToNormalSerializer(many=True)
    turns_at = serializers.DateTimeField(allow_null=True, help_text="When the next device changes its standing if nothing happens.")
    everything_paused = PauseSerializer(allow_null=True)
    silent_since = serializers.DateTimeField(allow_null=True, help_text="Since when the scheduler has given no sign.")
    standing_counts = serializers.DictField(child=serializers.IntegerField())
    tonight = serializers.IntegerField()


class NightSerializer(serializers.Serializer):
    """A part of `RibbonSerializer`."""

    night = DayField()
    came = serializers.IntegerField()
    came_late = serializers.IntegerField()
    missing = serializers.IntegerField()
    under_way = serializers.IntegerField()


class RibbonSerializer(serializers.Serializer):
    """What `ribbon` answers."""

    nights = NightSerializer(many=True)
    tonight = DayField()
    tomorrow = DayField()
    tonight_planned = serializers.IntegerField()
    tomorrow_planned = serializers.IntegerField()
    devices = serializers.IntegerField()
    needing = serializers.IntegerField(help_text="How many things need a person, as far as is remembered.")


class RunCauseSerializer(serializers.Serializer):
    """What `run_cause` is sent."""

    code = serializers.CharField(max_length=120)


class AskedSerializer(serializers.Serializer):
    """What `run_cause` answers."""

    asked = serializers.IntegerField()
    refused = inline_serializer("NotAsked", {"says": serializers.CharField(), "devices": serializers.IntegerField()}, many=True)


class TodayView(APIView):
    """Answers `today`."""

    @extend_schema(operation_id="today", responses=TodaySerializer)
    def get(self, request: Request) -> Response:
        morning = today(now=ports.clock().now())
        return Response(TodaySerializer(morning, context={"known": morning.known}).data)


class RunCauseView(APIView):
    """Asks a run of every device of a cause."""

    writes = May.RUN

    @extend_schema(operation_id="run_cause", request=RunCauseSerializer, responses=AskedSerializer)
    def post(self, request: Request) -> Response:
        body = RunCauseSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        asked = run_cause(body.validated_data["code"], by=signed_in(request), now=ports.clock().now())
        refused = [{"says": says, "devices": devices} for says, devices in asked.refused]
        return Response(AskedSerializer({"asked": asked.asked, "refused": refused}).data)


class RibbonView(APIView):
    """Answers `ribbon`."""

    @extend_schema(operation_id="ribbon", responses=RibbonSerializer)
    def get(self, request: Request) -> Response:
        now = ports.clock().now()
        tonight = coming_night(now, office_zone())
        nights = past_nights(now=now)
        planned, tomorrow = planned_on(tonight, now=now), planned_on(tonight + timedelta(days=1), now=now)
        highest = max([planned, tomorrow, *(n.came + n.came_late + n.missing + n.under_way for n in nights)])
        fields = {
            "nights": nights, "tonight": tonight, "tomorrow": tonight + timedelta(days=1), "tonight_planned": planned,
            "tomorrow_planned": tomorrow, "devices": highest, "needing": needing(now=now),
        }  # fmt: skip
        return Response(RibbonSerializer(fields).data)


def healthz(request: HttpRequest) -> JsonResponse:
    """200 when everything is up and the scheduler works, 503 with the reasons before. Open: it tells no content."""
    troubling = [*troubles(), *silences(now=ports.clock().now()), *doubts()]
    return JsonResponse({"ok": not troubling, "troubles": troubling}, status=503 if troubling else 200)


def readyz(request: HttpRequest) -> JsonResponse:
    """200 when this process can answer; whether backups are made is another question."""
    troubling = troubles(workers=False)
    return JsonResponse({"ok": not troubling, "troubles": troubling}, status=503 if troubling else 200)
