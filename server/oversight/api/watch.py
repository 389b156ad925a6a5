"""The chart of a night, kept promises, and the month on paper."""

from datetime import date, timedelta

from drf_spectacular.utils import extend_schema, inline_serializer
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.schedule.nights import coming_night
from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.fleet.queries import device as device_by_id
from server.oversight.night import SHOWS, fitting, night_rows, summed
from server.oversight.promises import days_of, shares_by_month
from server.oversight.report import reported
from server.people.queries import office_zone
from server.runs.api.history import TotalsSerializer

SHOWN_DAYS = 92


class NightFilter(serializers.Serializer):
    """What `night` can be asked for."""

    night = DayField(required=False, help_text="Without: the coming one.")

    def wanted(self) -> date:
        """What was asked for, as the queries want it."""
        asked: date | None = self.validated_data.get("night")
        return asked or coming_night(ports.clock().now(), office_zone())


class NightRowsFilter(NightFilter):
    """What `night_rows` can be asked for."""

    shows = serializers.ChoiceField(choices=SHOWS, required=False)
    words = serializers.CharField(max_length=200, required=False, allow_blank=True, default="", help_text="In device, holder, plan, store.")


class NightRowSerializer(serializers.Serializer):
    """What `night_rows` answers."""

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
    """What `night` answers."""

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
    """A part of `PromiseMonthSerializer`."""

    owed = serializers.IntegerField()
    kept = serializers.IntegerField()
    percent = serializers.FloatField(allow_null=True)


class PromiseMonthSerializer(serializers.Serializer):
    """A part of `PromisesSerializer`."""

    month = DayField()
    share = ShareSerializer()


class PromiseDaySerializer(serializers.Serializer):
    """A part of `PromisesSerializer`."""

    day = DayField()
    standing = serializers.CharField()


class PromiseFilter(serializers.Serializer):
    """What `promises` can be asked for."""

    device = serializers.UUIDField(required=False)
    team = serializers.IntegerField(required=False)


class PromisesSerializer(serializers.Serializer):
    """What `promises` answers."""

    months = PromiseMonthSerializer(many=True)
    days = PromiseDaySerializer(many=True, help_text="The last three months; of a single device only.")


class TeamShareSerializer(serializers.Serializer):
    """A part of `ReportSerializer`."""

    team = serializers.CharField()
    share = ShareSerializer()


class DeviceShareSerializer(serializers.Serializer):
    """A part of `ReportSerializer`."""

    device = serializers.CharField()
    holder = serializers.CharField()
    share = ShareSerializer()


class CauseCountSerializer(serializers.Serializer):
    """A part of `ReportSerializer`."""

    code = serializers.CharField()
    says = serializers.CharField()
    runs = serializers.IntegerField()
    devices = serializers.IntegerField()


class StoreGrowthSerializer(serializers.Serializer):
    """A part of `ReportSerializer`."""

    name = serializers.CharField()
    stored_bytes = serializers.IntegerField()
    new_bytes = serializers.IntegerField()
    runs = serializers.IntegerField()


class ReportSerializer(serializers.Serializer):
    """What `report` answers."""

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
    """What `report` can be asked for."""

    month = serializers.RegexField(
        r"^(19[7-9]\d|20\d\d|21\d\d)-(0[1-9]|1[0-2])$", required=False, help_text="For example 2026-11; without: the present one."
    )


class NightView(APIView):
    """Answers `night`."""

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
    """Answers `promises`."""

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
    """Answers `report`."""

    @extend_schema(operation_id="report", parameters=[MonthFilter], responses=ReportSerializer)
    def get(self, request: Request) -> Response:
        query = MonthFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        month = query.validated_data.get("month")
        day = date.fromisoformat(f"{month}-01") if month else ports.clock().now().astimezone(office_zone()).date()
        return Response(ReportSerializer(reported(day)).data)
