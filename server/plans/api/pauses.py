"""Pauses, and the feed of a plan's dates."""

from datetime import timedelta
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.exchange.office_days import plan_feed
from core.schedule.window import slots
from server.api.fields import DayField
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.plans.actions.feed import close_feed, digest_of, open_feed
from server.plans.actions.pause import pause, resume
from server.plans.api.views import PauseSerializer
from server.plans.convert import recurrence_of, sentence_of, window_of
from server.plans.present import Present
from server.plans.queries import lasting_pauses, plan_of_feed
from server.plans.queries import pause as pause_by_id
from server.plans.queries import plan as plan_by_id

FEED_DAYS_BACK, FEED_DAYS_AHEAD = 14, 180
FEED_LONGEST = 1500


class AskPauseSerializer(serializers.Serializer):
    """Neither plan nor device means everything."""

    plan = serializers.UUIDField(allow_null=True, default=None)
    device = serializers.UUIDField(allow_null=True, default=None)
    until = DayField(allow_null=True, default=None)
    reason = serializers.CharField(max_length=200, allow_blank=True, default="")


class FeedSerializer(serializers.Serializer):
    """What `open_feed` answers."""

    path = serializers.CharField(help_text="On this server; shown this once.")


class LastingPauseSerializer(PauseSerializer):
    """What `pauses` answers."""

    plan_name = serializers.CharField(source="plan.name", default="")
    device_id = serializers.UUIDField(allow_null=True)
    device_name = serializers.CharField(source="device.name", default="")
    holder = serializers.CharField(source="device.holder.name", default="")


class PausesView(APIView):
    """Answers `pauses`, `pause`."""

    writes = May.PAUSE

    @extend_schema(operation_id="pauses", responses=LastingPauseSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(LastingPauseSerializer(lasting_pauses()[:200], many=True).data)

    @extend_schema(operation_id="pause", request=AskPauseSerializer, responses={201: PauseSerializer})
    def post(self, request: Request) -> Response:
        body = AskPauseSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        plan = plan_by_id(fields["plan"]) if fields["plan"] else None
        device = device_by_id(fields["device"]) if fields["device"] else None
        made = pause(plan=plan, device=device, until=fields["until"], reason=fields["reason"], by=signed_in(request))
        return Response(PauseSerializer(made).data, status=201)


class PauseView(APIView):
    """Answers `resume`."""

    writes = May.PAUSE

    @extend_schema(operation_id="resume", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        resume(pause_by_id(id), by=signed_in(request))
        return Response(status=204)


class FeedView(APIView):
    """Answers `open_feed`, `close_feed`."""

    @extend_schema(operation_id="open_feed", request=None, responses={201: FeedSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        return Response({"path": f"/feeds/{open_feed(plan_by_id(id), by=signed_in(request))}.ics"}, status=201)

    @extend_schema(operation_id="close_feed", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        close_feed(plan_by_id(id), by=signed_in(request))
        return Response(status=204)


def feed(request: HttpRequest, secret: str) -> HttpResponse:
    """The dates of one plan as iCalendar, for whoever has the secret link. Tells nothing of devices or people."""
    plan = plan_of_feed(digest_of(secret))
    if plan is None:
        return HttpResponse("This link does not work (any more).", status=404, content_type="text/plain; charset=utf-8")
    present = Present.read()
    after, until = present.now - timedelta(days=FEED_DAYS_BACK), present.now + timedelta(days=FEED_DAYS_AHEAD)
    runs = [
        (slot.opens, slot.closes)
        for slot in slots(recurrence_of(plan, present.zone, present.closed), window_of(plan), after=after, until=until)
    ]
    text = plan_feed(
        plan=plan.name, plan_id=str(plan.id), sentence=sentence_of(plan), zone=present.zone, runs=runs[:FEED_LONGEST], now=present.now
    )
    headers = {"Cache-Control": "private, no-store", "X-Robots-Tag": "noindex"}
    return HttpResponse(text, content_type="text/calendar; charset=utf-8", headers=headers)
