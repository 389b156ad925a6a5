"""Incidents and anomalies: what needed a person, put off, settled."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from server import ports
from server.api.fields import DayField
from server.api.permissions import May
from server.oversight.actions.anomalies import settle
from server.oversight.actions.incidents import put_off, take_up
from server.oversight.models import Anomaly, Incident
from server.oversight.queries import anomalies, anomaly, incidents
from server.oversight.queries import incident as incident_by_id
from server.people.signed_in import signed_in

SHOWN_DAYS = 92


class IncidentSerializer(serializers.ModelSerializer):
    """One line of the list of what needed a person."""

    devices = serializers.SerializerMethodField(help_text="Names of those that it touches or touched.")
    put_off_by = serializers.CharField(source="put_off_by.shown_name", default="")
    says = serializers.CharField(read_only=True)

    class Meta:
        model = Incident
        fields: tuple[str, ...] = (
            "id",
            "code",
            "mark",
            "says",
            "opened_at",
            "closed_at",
            "put_off_until",
            "put_off_why",
            "put_off_by",
            "devices",
        )
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_devices(self, incident: Incident) -> Any:
        held = {entry.device_id: f"{entry.device.name}, {entry.device.holder.name}" for entry in incident.devices.all()}
        return list(held.values())[:30]


class EventSerializer(serializers.Serializer):
    """A part of `IncidentDetailSerializer`."""

    at = serializers.DateTimeField()
    who = serializers.CharField(source="who.shown_name", default="")
    says = serializers.CharField()


class IncidentDetailSerializer(IncidentSerializer):
    """What `incident` answers."""

    events = EventSerializer(many=True)

    class Meta(IncidentSerializer.Meta):
        fields: tuple[str, ...] = (*IncidentSerializer.Meta.fields, "events")
        read_only_fields: tuple[str, ...] = fields


class PutOffSerializer(serializers.Serializer):
    """What `put_off` is sent."""

    until = DayField()
    why = serializers.CharField(max_length=200, allow_blank=True)


class OddSerializer(serializers.ModelSerializer):
    """What `settle_anomaly` answers."""

    device_id = serializers.UUIDField()
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    run_id = serializers.UUIDField(source="backup.run_id", allow_null=True)
    kind_label = serializers.SerializerMethodField()
    numbers = serializers.DictField(child=serializers.FloatField())
    settled_by = serializers.CharField(source="settled_by.shown_name", default="")

    class Meta:
        model = Anomaly
        fields: tuple[str, ...] = (
            "id", "device_id", "device_name", "holder", "backup_id", "backup_at", "run_id", "before", "code", "kind", "kind_label", "says",
            "numbers", "found_at", "settled_at", "settled_by", "settled_why",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields

    def get_kind_label(self, row: Anomaly) -> str:
        return KINDS[row.kind].label if row.kind in KINDS else ""


class WhySerializer(serializers.Serializer):
    """What `settle_anomaly` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True, default="")


class OpenFilter(serializers.Serializer):
    """What `incidents` can be asked for."""

    open = serializers.BooleanField(required=False, allow_null=True, default=None)
    device = serializers.UUIDField(required=False)


class IncidentsView(generics.ListAPIView):
    """Answers `incidents`."""

    serializer_class = IncidentSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        query = OpenFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return incidents(**query.validated_data)

    @extend_schema(operation_id="incidents", parameters=[OpenFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class IncidentView(APIView):
    """Answers `incident`."""

    @extend_schema(operation_id="incident", responses=IncidentDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(IncidentDetailSerializer(incident_by_id(id)).data)


class PutOffView(APIView):
    """Answers `put_off`, `take_up`."""

    writes = May.SETTLE

    @extend_schema(operation_id="put_off", request=PutOffSerializer, responses=IncidentDetailSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = PutOffSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        put_off(incident_by_id(id), **body.validated_data, by=signed_in(request), now=ports.clock().now())
        return Response(IncidentDetailSerializer(incident_by_id(id)).data)

    @extend_schema(operation_id="take_up", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        take_up(incident_by_id(id), by=signed_in(request), now=ports.clock().now())
        return Response(status=204)


class AnomaliesView(generics.ListAPIView):
    """Answers `anomalies`."""

    serializer_class = OddSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        query = OpenFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return anomalies(**query.validated_data)

    @extend_schema(operation_id="anomalies", parameters=[OpenFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class SettleView(APIView):
    """Answers `settle_anomaly`."""

    writes = May.SETTLE

    @extend_schema(operation_id="settle_anomaly", request=WhySerializer, responses=OddSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = WhySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        row = anomaly(id)
        settle(row, why=body.validated_data["why"], by=signed_in(request), now=ports.clock().now())
        return Response(OddSerializer(row).data)
