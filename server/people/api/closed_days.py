"""Days on which the office is closed."""

from datetime import date

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.errors import BadInput
from core.exchange.office_days import MAX_BYTES, Holiday, read_holidays
from server import ports
from server.api.fields import DayField
from server.people.actions.closed_days import add_closed_days, remove_closed_day
from server.people.queries import closed_day_rows, closed_days, office_zone
from server.people.signed_in import signed_in


class ClosedDaySerializer(serializers.Serializer):
    """What `closed_days` answers."""

    day = DayField()
    name = serializers.CharField(max_length=120, allow_blank=True, default="")


class CalendarSerializer(serializers.Serializer):
    """The text of an .ics file; nothing is kept of it before `confirmed`."""

    calendar = serializers.CharField(trim_whitespace=False)
    confirmed = serializers.BooleanField(default=False)


class ReadCalendarSerializer(serializers.Serializer):
    """What `read_calendar` answers."""

    days = ClosedDaySerializer(many=True)
    new = serializers.IntegerField()


class ClosedDaysView(APIView):
    """Answers `closed_days`, `add_closed_day`."""

    @extend_schema(operation_id="closed_days", responses=ClosedDaySerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(ClosedDaySerializer(closed_day_rows()[:2000], many=True).data)

    @extend_schema(operation_id="add_closed_day", request=ClosedDaySerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        body = ClosedDaySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        add_closed_days([Holiday(day=body.validated_data["day"], name=body.validated_data["name"])], by=signed_in(request))
        return Response(status=204)


class ClosedDayView(APIView):
    """Answers `remove_closed_day`."""

    @extend_schema(operation_id="remove_closed_day", responses={204: None})
    def delete(self, request: Request, day: str) -> Response:
        try:
            wanted = date.fromisoformat(day)
        except ValueError:
            raise BadInput(f"{day[:20]!r} is no day.", field="day", remedy="Write it as 2026-12-24.") from None
        remove_closed_day(wanted, by=signed_in(request))
        return Response(status=204)


class CalendarView(APIView):
    """Read a calendar file, and take its days when that is confirmed."""

    @extend_schema(operation_id="read_calendar", request=CalendarSerializer, responses=ReadCalendarSerializer)
    def post(self, request: Request) -> Response:
        body = CalendarSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        text = body.validated_data["calendar"].encode()
        if len(text) > MAX_BYTES:
            raise BadInput(
                "This file is larger than 1 MiB.", field="file", remedy="Export the office's holidays only, not a whole calendar."
            )
        days = read_holidays(text, today=ports.clock().now().astimezone(office_zone()).date())
        known = closed_days()
        if body.validated_data["confirmed"]:
            add_closed_days(days, by=signed_in(request))
        return Response(ReadCalendarSerializer({"days": days, "new": sum(one.day not in known for one in days)}).data)
