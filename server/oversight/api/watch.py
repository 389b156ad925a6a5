"""What needs a person over time, what looks odd, the chart of a night, kept promises, and the month on paper."""

from datetime import date, timedelta
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field, inline_serializer
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.schedule.nights import coming_night
from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.oversight.actions.anomalies import settle
from server.oversight.actions.incidents import put_off, take_up
from server.oversight.models import Anomaly, Incident
from server.oversight.night import SHOWS, fitting, night_rows, summed
from server.oversight.promises import days_of, shares_by_month
from server.oversight.queries import anomalies, anomaly, incidents
from server.oversight.queries import incident as incident_by_id
from server.oversight.report import reported
from server.people.queries import office_zone
from server.people.signed_in import signed_in
from server.runs.api.history import TotalsSerializer

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
    at = serializers.DateTimeField()
    who = serializers.CharField(source="who.shown_name", default="")
    says = serializers.CharField()


class IncidentDetailSerializer(IncidentSerializer):
    events = EventSerializer(many=True)

    class Meta(IncidentSerializer.Meta):
        fields: tuple[str, ...] = (*IncidentSerializer.Meta.fields, "events")
        read_only_fields: tuple[str, ...] = fields


class PutOffSerializer(serializers.Serializer):
    until = DayField()
    why = serializers.CharField(max_length=200, allow_blank=True)


class OddSerializer(serializers.ModelSerializer):
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
    why = serializers.CharField(max_length=200, allow_blank=True, default="")


class OpenFilter(serializers.Serializer):
    open = serializers.BooleanField(required=False, allow_null=True, default=None)
    device = serializers.UUIDField(required=False)


class NightFilter(serializers.Serializer):
    night = DayField(required=False, help_text="Without: the coming one.")

    def wanted(self) -> date:
        asked: date | None = self.validated_data.get("night")
        return asked or coming_night(ports.clock().now(), office_zone())


class NightRowsFilter(NightFilter):
    shows = serializers.ChoiceField(choices=SHOWS, required=False)
    words = serializers.CharField(max_length=200, required=False, allow_blank=True, default="", help_text="In device, holder, plan, store.")


class NightRowSerializer(serializers.Serializer):
    device_id = serializers.UUIDField()
    device_name = serializers.CharField()
    holder = serializers.CharField()
    store = serializers.CharField()
    plan = serializers.CharField()
    planned_for = serializers.DateTimeField(allow_null=True)
    closes_at = serializers.DateTimeField(allow_null=True)
    planned_start = serializers.DateTimeField(allow_null=True)
    planned_end = serializers.DateTimeField(allow_null=True)
    basis = serializers.CharField()
    late = serializers.BooleanField()
    fits = serializers.BooleanField()
    run_id = serializers.UUIDField(allow_null=True)
    state = serializers.CharField()
    started_at = serializers.DateTimeField(allow_null=True)
    finished_at = serializers.DateTimeField(allow_null=True)
    cause = serializers.CharField()


class NightSumsSerializer(serializers.Serializer):
    night = DayField()
    opens = serializers.DateTimeField()
    closes = serializers.DateTimeField()
    lined_up = serializers.IntegerField()
    succeeded = serializers.IntegerField()
    did_not = serializers.IntegerField()
    under_way = serializers.IntegerField()
    does_not_fit = serializers.IntegerField()
    rows = serializers.IntegerField(help_text="Of all of them, whatever the page.")
    planned_finish = serializers.DateTimeField(allow_null=True)
    busy_opens = serializers.DateTimeField()
    busy_closes = serializers.DateTimeField()
    busy = serializers.ListField(child=serializers.IntegerField(), help_text="Most planned runs at a time, in equal slices of the window.")


class ShareSerializer(serializers.Serializer):
    owed = serializers.IntegerField()
    kept = serializers.IntegerField()
    percent = serializers.FloatField(allow_null=True)


class PromiseMonthSerializer(serializers.Serializer):
    month = DayField()
    share = ShareSerializer()


class PromiseDaySerializer(serializers.Serializer):
    day = DayField()
    standing = serializers.CharField()


class PromiseFilter(serializers.Serializer):
    device = serializers.UUIDField(required=False)
    team = serializers.IntegerField(required=False)


class PromisesSerializer(serializers.Serializer):
    months = PromiseMonthSerializer(many=True)
    days = PromiseDaySerializer(many=True, help_text="The last three months; of a single device only.")


class TeamShareSerializer(serializers.Serializer):
    team = serializers.CharField()
    share = ShareSerializer()


class DeviceShareSerializer(serializers.Serializer):
    device = serializers.CharField()
    holder = serializers.CharField()
    share = ShareSerializer()


class CauseCountSerializer(serializers.Serializer):
    code = serializers.CharField()
    says = serializers.CharField()
    runs = serializers.IntegerField()
    devices = serializers.IntegerField()


class StoreGrowthSerializer(serializers.Serializer):
    name = serializers.CharField()
    stored_bytes = serializers.IntegerField()
    new_bytes = serializers.IntegerField()
    runs = serializers.IntegerField()


class ReportSerializer(serializers.Serializer):
    first = DayField()
    last = DayField()
    promise = ShareSerializer()
    before = ShareSerializer()
    teams = TeamShareSerializer(many=True)
    worst = DeviceShareSerializer(many=True)
    totals = TotalsSerializer()
    before_totals = TotalsSerializer()
    causes = CauseCountSerializer(many=True)
    stores = StoreGrowthSerializer(many=True)
    incidents = serializers.IntegerField(source="matters", help_text="How many began.")
    made_at = serializers.DateTimeField(allow_null=True, help_text="When it was written down, of a month that is over.")


class MonthFilter(serializers.Serializer):
    month = serializers.RegexField(
        r"^(19[7-9]\d|20\d\d|21\d\d)-(0[1-9]|1[0-2])$", required=False, help_text="For example 2026-11; without: the present one."
    )


class IncidentsView(generics.ListAPIView):
    serializer_class = IncidentSerializer

    def get_queryset(self) -> Any:
        query = OpenFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return incidents(**query.validated_data)

    @extend_schema(operation_id="incidents", parameters=[OpenFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class IncidentView(APIView):
    @extend_schema(operation_id="incident", responses=IncidentDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(IncidentDetailSerializer(incident_by_id(id)).data)


class PutOffView(APIView):
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
    serializer_class = OddSerializer

    def get_queryset(self) -> Any:
        query = OpenFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return anomalies(**query.validated_data)

    @extend_schema(operation_id="anomalies", parameters=[OpenFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class SettleView(APIView):
    writes = May.SETTLE

    @extend_schema(operation_id="settle_anomaly", request=WhySerializer, responses=OddSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = WhySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        row = anomaly(id)
        settle(row, why=body.validated_data["why"], by=signed_in(request), now=ports.clock().now())
        return Response(OddSerializer(row).data)


class NightView(APIView):
    @extend_schema(operation_id="night", parameters=[NightFilter], responses=NightSumsSerializer)
    def get(self, request: Request) -> Response:
        query = NightFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        night = query.wanted()
        return Response(NightSumsSerializer(summed(night, night_rows(night))).data)


class NightRowsView(APIView):
    """The rows of a night, what needs a look first."""

    @extend_schema(
        operation_id="night_rows",
        parameters=[NightRowsFilter, PageQuery],
        responses=inline_serializer("NightRowsPage", {"count": serializers.IntegerField(), "results": NightRowSerializer(many=True)}),
    )
    def get(self, request: Request) -> Response:
        query = NightRowsFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        rows = fitting(night_rows(query.wanted()), shows=query.validated_data.get("shows"), words=query.validated_data["words"])
        page = Pages().paginate_queryset(rows, request, view=self)
        return Response({"count": len(rows), "results": NightRowSerializer(page, many=True).data})


class PromisesView(APIView):
    @extend_schema(operation_id="promises", parameters=[PromiseFilter], responses=PromisesSerializer)
    def get(self, request: Request) -> Response:
        query = PromiseFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        wanted, today = query.validated_data, ports.clock().now().astimezone(office_zone()).date()
        if "device" in wanted:
            device_by_id(wanted["device"])
        months = shares_by_month(device=wanted.get("device"), team=wanted.get("team"), today=today)
        days = days_of(wanted["device"], first=today - timedelta(days=SHOWN_DAYS)) if "device" in wanted else {}
        fields = {
            "months": [{"month": month, "share": share} for month, share in months],
            "days": [{"day": day, "standing": standing} for day, standing in days.items()],
        }
        return Response(PromisesSerializer(fields).data)


class ReportView(APIView):
    @extend_schema(operation_id="report", parameters=[MonthFilter], responses=ReportSerializer)
    def get(self, request: Request) -> Response:
        query = MonthFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        month = query.validated_data.get("month")
        day = date.fromisoformat(f"{month}-01") if month else ports.clock().now().astimezone(office_zone()).date()
        return Response(ReportSerializer(reported(day)).data)
