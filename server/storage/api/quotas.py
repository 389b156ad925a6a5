"""Over the network: whose bytes lie in a store, how that grew, and what may lie there."""

from datetime import timedelta
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
from core.quota.allowances import AllowanceStanding, Limits
from server import ports
from server.api.paging import Pages
from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.fleet.queries import device as device_by_id
from server.people.queries import office_zone
from server.people.signed_in import signed_in
from server.storage.actions.set_allowance import WantedAllowance, set_allowance, take_allowance_away
from server.storage.allowances import Allowed, allowance, allowances_in
from server.storage.models import SoftCounts, Store
from server.storage.occupied import By, Course, OccupiedStore, course, kinds_by_team, occupied, parts_of
from server.storage.queries import store as store_by_id
from server.storage.runways import days_of, of_allowance

BY = [(one.value, one.value) for one in By]
OVER_TIME = [By.TEAM, By.DEVICE, By.KIND]
MOST_PARTS = 12


class RunwaySerializer(serializers.Serializer):
    """A part of `AllowanceSerializer`."""

    days = serializers.IntegerField(allow_null=True, help_text="Until it is full; null beyond a year, or while too little is known.")
    earliest = serializers.IntegerField(allow_null=True)
    latest = serializers.IntegerField(allow_null=True)
    full_on = serializers.DateField(allow_null=True)
    pace_bytes = serializers.IntegerField(allow_null=True, help_text="In 30 days; null while too little is known.")
    measured_days = serializers.IntegerField()
    says = serializers.CharField()
    short = serializers.CharField()
    soon = serializers.BooleanField(help_text="Whether it is to be full within three weeks.")


class OccupiedLineSerializer(serializers.Serializer):
    """A part of `OccupiedSerializer`."""

    key = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    alone_bytes = serializers.IntegerField(allow_null=True, help_text="Needed by it alone; null where that cannot be added up.")
    shared_bytes = serializers.IntegerField(allow_null=True)
    fair_bytes = serializers.IntegerField()
    logical_bytes = serializers.IntegerField()
    backups = serializers.IntegerField()


class NobodysSerializer(serializers.Serializer):
    """A part of `OccupiedSerializer`."""

    code = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    says = serializers.CharField()
    bytes = serializers.IntegerField()


class OccupiedSerializer(serializers.Serializer):
    """What `occupied` answers."""

    count = serializers.IntegerField(help_text="Lines in all.")
    lines = OccupiedLineSerializer(many=True)
    nobodys = NobodysSerializer(many=True)
    sum_bytes = serializers.IntegerField(help_text="Of all lines and of what is nobody's.")


class OccupiedQuery(serializers.Serializer):
    """What `occupied` can be asked for."""

    by = serializers.ChoiceField(choices=BY, default=By.TEAM.value)
    device = serializers.UUIDField(required=False, help_text="Of one device; by kind.")
    page = serializers.IntegerField(required=False, default=1, min_value=1)


class TeamKindsSerializer(serializers.Serializer):
    """What `kinds_by_team` answers."""

    team = serializers.CharField(allow_blank=True)
    kinds = serializers.DictField(child=serializers.IntegerField())


class DayPartsSerializer(serializers.Serializer):
    """A part of `CourseSerializer`."""

    day = serializers.DateField()
    stored_bytes = serializers.IntegerField()
    going_bytes = serializers.IntegerField(help_text="Of them what goes by itself.")
    limit_bytes = serializers.IntegerField(allow_null=True)
    drawn = serializers.BooleanField(help_text="Drawn for a demonstration, not measured.")
    parts = serializers.ListField(child=serializers.IntegerField(), help_text="One a name; the rest is in none of them.")


class CourseSerializer(serializers.Serializer):
    """What `occupied_over_time` answers."""

    names = serializers.ListField(child=serializers.CharField(), help_text="The largest first, and no more than can be told apart.")
    days = DayPartsSerializer(many=True)


class CourseQuery(serializers.Serializer):
    """What `occupied_over_time` can be asked for."""

    by = serializers.ChoiceField(choices=[(one.value, one.value) for one in OVER_TIME], default=By.TEAM.value)
    days = serializers.IntegerField(default=90, min_value=7, max_value=1100)


class AllowanceSerializer(serializers.Serializer):
    """What `allowances` answers."""

    id = serializers.IntegerField(source="row.id")
    team = serializers.IntegerField(source="row.team_id", allow_null=True)
    device = serializers.UUIDField(source="row.device_id", allow_null=True)
    of = serializers.CharField(help_text="Whose, by name.")
    soft_bytes = serializers.IntegerField(source="limits.soft_bytes", allow_null=True)
    soft_counts = serializers.ChoiceField(source="row.soft_counts", choices=SoftCounts.choices)
    grace_days = serializers.IntegerField(source="limits.grace_days")
    hard_bytes = serializers.IntegerField(source="limits.hard_bytes", allow_null=True)
    soft_held = serializers.IntegerField()
    hard_held = serializers.IntegerField()
    over_since = serializers.DateTimeField(source="row.over_since", allow_null=True)
    standing = serializers.ChoiceField(choices=[(one.value, one.value) for one in AllowanceStanding])
    runway = RunwaySerializer()


class GivenAllowanceSerializer(ReadBefore):
    """What `set_allowance` is sent."""

    team = serializers.IntegerField(allow_null=True, default=None)
    device = serializers.UUIDField(allow_null=True, default=None)
    soft_bytes = serializers.IntegerField(allow_null=True, default=None)
    soft_counts = serializers.ChoiceField(choices=SoftCounts.choices, default=SoftCounts.NEEDED)
    grace_days = serializers.IntegerField(default=7)
    hard_bytes = serializers.IntegerField(allow_null=True, default=None)

    def told(self) -> WantedAllowance:
        """What was typed, as the actions want it."""
        fields = dict(self.validated_data)
        limits = Limits(**{name: fields.pop(name) for name in ("soft_bytes", "hard_bytes", "grace_days")})
        return WantedAllowance(limits=limits, **fields)


class OccupiedView(APIView):
    """Answers `occupied`."""

    @extend_schema(operation_id="occupied", parameters=[OccupiedQuery], responses=OccupiedSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        occupied, page = _occupied(request, id)
        first = (page - 1) * Pages.page_size
        fields = {
            "count": len(occupied.lines),
            "lines": occupied.lines[first : first + Pages.page_size],
            "nobodys": occupied.nobodys,
            "sum_bytes": occupied.sum_bytes,
        }
        return Response(OccupiedSerializer(fields).data)


class OccupiedTableView(APIView):
    """Answers `occupied_table`."""

    @extend_schema(operation_id="occupied_table", parameters=[OccupiedQuery], responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, id: UUID) -> HttpResponse:
        occupied, _ = _occupied(request, id)
        lines = [csv_line(["name", "share", "needed alone", "shared", "as it was on devices", "backups"])]
        for one in occupied.lines:
            cells = (one.fair_bytes, one.alone_bytes, one.shared_bytes, one.logical_bytes, one.backups)
            lines.append(csv_line([one.name, *("" if cell is None else str(cell) for cell in cells)]))
        lines += [csv_line([f"nobody's: {one.label}", str(one.bytes), "", "", "", ""]) for one in occupied.nobodys]
        lines.append(csv_line(["all that lies there", str(occupied.sum_bytes), "", "", "", ""]))
        return _table(lines, "whose-bytes.csv")


def _occupied(request: Request, id: UUID) -> tuple[OccupiedStore, int]:
    asked = OccupiedQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    device = asked.validated_data.get("device")
    of = device_by_id(device) if device else None
    return occupied(store_by_id(id), By(asked.validated_data["by"]), device=of), asked.validated_data["page"]


class TeamKindsView(APIView):
    """Answers `kinds_by_team`."""

    @extend_schema(operation_id="kinds_by_team", responses=TeamKindsSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        return Response(TeamKindsSerializer(kinds_by_team(store_by_id(id)), many=True).data)


class CourseView(APIView):
    """Answers `occupied_over_time`."""

    @extend_schema(operation_id="occupied_over_time", parameters=[CourseQuery], responses=CourseSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        course = _course(request, id)
        keys = list(course.names)[:MOST_PARTS]
        return Response(CourseSerializer({"names": [course.names[key] for key in keys], "days": _day_rows(course, keys)}).data)


class CourseTableView(APIView):
    """Answers `occupied_over_time_table`."""

    @extend_schema(operation_id="occupied_over_time_table", parameters=[CourseQuery], responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, id: UUID) -> HttpResponse:
        course = _course(request, id)
        keys = list(course.names)
        lines = [csv_line(["day", "stored", "about to go", "limit", "drawn", *course.names.values()])]
        for row in _day_rows(course, keys):
            limit = "" if row["limit_bytes"] is None else str(row["limit_bytes"])
            cells = [str(row["day"]), str(row["stored_bytes"]), str(row["going_bytes"]), limit, "yes" if row["drawn"] else ""]
            lines.append(csv_line([*cells, *map(str, row["parts"])]))
        return _table(lines, "over-time.csv")


def _course(request: Request, id: UUID) -> Course:
    asked = CourseQuery(data=request.query_params)
    asked.is_valid(raise_exception=True)
    today = ports.clock().now().astimezone(office_zone()).date()
    since = today - timedelta(days=asked.validated_data["days"])
    return course(store_by_id(id), By(asked.validated_data["by"]), since=since)


def _day_rows(course: Course, keys: list[str]) -> list[dict[str, Any]]:
    names = ("day", "stored_bytes", "going_bytes", "limit_bytes", "drawn")
    return [
        {name: getattr(row, name) for name in names} | {"parts": [parts_of(row, course.by).get(key, 0) for key in keys]}
        for row in course.days
    ]


def _table(lines: list[str], name: str) -> HttpResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse("".join(lines), content_type="text/csv; charset=utf-8", headers=headers)


class AllowancesView(APIView):
    """Answers `allowances`, `set_allowance`."""

    writes = May.SET_UP

    @extend_schema(operation_id="allowances", responses=AllowanceSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        store, now = store_by_id(id), ports.clock().now()
        return Response(AllowanceSerializer(_with_runways(store, allowances_in([store], now=now)), many=True).data)

    @extend_schema(operation_id="set_allowance", request=GivenAllowanceSerializer, responses=AllowanceSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = GivenAllowanceSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        store = store_by_id(id)
        body.heed(f"allowances {id}", lambda: _as_it_is(store, body.validated_data))
        allowed = set_allowance(store, body.told(), by=signed_in(request))
        return Response(AllowanceSerializer(_with_runways(store, [allowed])[0]).data)


def _as_it_is(store: Store, body: dict[str, Any]) -> dict[str, Any] | None:
    owner = (body["team"], body["device"])
    allowances = [one for one in allowances_in([store], now=ports.clock().now()) if (one.row.team_id, one.row.device_id) == owner]
    return dict(AllowanceSerializer(_with_runways(store, allowances)[0]).data) if allowances else None


class AllowanceView(APIView):
    """Answers `take_allowance_away`."""

    writes = May.SET_UP

    @extend_schema(operation_id="take_allowance_away", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        take_allowance_away(allowance(id), by=signed_in(request))
        return Response(status=204)


def _with_runways(store: Store, rows: list[Allowed]) -> list[dict[str, Any]]:
    today = ports.clock().now().astimezone(office_zone()).date()
    days = days_of([store], today=today)[store.id] if rows else []
    names = ("row", "of", "limits", "soft_held", "hard_held", "standing")
    return [{name: getattr(one, name) for name in names} | {"runway": of_allowance(one, days, today=today)} for one in rows]
