"""The server's clock: whether it is believed, and saying that it is right."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.people.actions.clock import look_at_clock, settle_clock
from server.people.clock import clock_words
from server.people.models import ClockState
from server.people.queries import witnesses
from server.people.signed_in import signed_in


class ClockWitnessSerializer(serializers.Serializer):
    """A part of `ClockSerializer`."""

    name = serializers.CharField()
    kind = serializers.CharField()
    off_seconds = serializers.FloatField(help_text="Its clock minus the server's.")
    at = serializers.DateTimeField()


class ClockSerializer(serializers.Serializer):
    """What `clock` answers."""

    now = serializers.DateTimeField(help_text="What the server's clock shows.")
    doubt_since = serializers.DateTimeField(allow_null=True)
    says = serializers.CharField(allow_blank=True, help_text="Why it is not believed; empty while it is.")
    settled_at = serializers.DateTimeField(allow_null=True)
    settled_why = serializers.CharField(allow_blank=True)
    witnesses = ClockWitnessSerializer(many=True)


def _told(state: ClockState | None) -> Response:
    shown = {
        "now": ports.clock().now(), "doubt_since": state.doubt_since if state else None, "says": clock_words(state) if state else "",
        "settled_at": state.settled_at if state else None, "settled_why": state.settled_why if state else "", "witnesses": witnesses()[:50],
    }  # fmt: skip
    return Response(ClockSerializer(shown).data)


class ClockView(APIView):
    """Answers `clock`."""

    @extend_schema(operation_id="clock", responses=ClockSerializer)
    def get(self, request: Request) -> Response:
        return _told(look_at_clock(now=ports.clock().now()))


class SettleClockView(APIView):
    """Answers `settle_clock`."""

    @extend_schema(operation_id="settle_clock", request=None, responses=ClockSerializer)
    def post(self, request: Request) -> Response:
        return _told(settle_clock(by=signed_in(request)))
