"""What is on hold, and holding many at once."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.retention.actions.hold_many import hold_many, still_needed
from server.retention.holding import LOOKED_AT_AGAIN, HoldReach, holds, reached
from server.retention.removal import MOST_AT_ONCE
from server.runs.models import Backup


class OnHoldSerializer(serializers.ModelSerializer):
    """A part of `HoldsPageSerializer`."""

    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    by = serializers.CharField(source="hold_by.shown_name", default="")
    hold_until = DayField(allow_null=True)

    class Meta:
        model = Backup
        fields = (
            "id",
            "device_id",
            "device_name",
            "holder",
            "finished_at",
            "size_bytes",
            "hold_reason",
            "hold_until",
            "hold_seen_at",
            "by",
        )
        read_only_fields = fields


class HoldsQuery(PageQuery):
    """What `holds` can be asked for."""

    words = serializers.CharField(required=False, max_length=200, allow_blank=True, default="")
    without_end = serializers.BooleanField(required=False, default=False)
    review = serializers.BooleanField(
        required=False, default=False, help_text="Only those without an end at which nobody looked for a year."
    )


class HoldsPageSerializer(serializers.Serializer):
    """What `holds` answers."""

    count = serializers.IntegerField()
    results = OnHoldSerializer(many=True)


class ReachSerializer(serializers.Serializer):
    """What `preview_hold` is sent."""

    device = serializers.UUIDField(default=None, allow_null=True)
    holder = serializers.IntegerField(default=None, allow_null=True, min_value=0, max_value=1 << 62)
    team = serializers.IntegerField(default=None, allow_null=True, min_value=0, max_value=1 << 62)
    first_day = DayField(default=None, allow_null=True, help_text="Of the office; backups that were finished from then on.")
    last_day = DayField(default=None, allow_null=True)

    def reach(self) -> HoldReach:
        """Of which backups it speaks."""
        return HoldReach(**{name: self.validated_data[name] for name in ("device", "holder", "team", "first_day", "last_day")})


class HoldManySerializer(ReachSerializer):
    """What `hold_many` is sent."""

    reason = serializers.CharField(max_length=200, allow_blank=True)
    until = DayField(default=None, allow_null=True, help_text="Last day of the hold; null until it is released.")


class ReachedSerializer(serializers.Serializer):
    """What `preview_hold` answers."""

    backups = serializers.IntegerField()
    held = serializers.IntegerField(help_text="Of them, on hold already.")
    devices = serializers.IntegerField()


class HeldNowSerializer(serializers.Serializer):
    """What `hold_many` answers."""

    backups = serializers.IntegerField(help_text="On hold now that were not.")


class HoldsView(APIView):
    """Answers `holds`, `hold_many`."""

    writes = May.KEEP

    @extend_schema(operation_id="holds", parameters=[HoldsQuery], responses=HoldsPageSerializer)
    def get(self, request: Request) -> Response:
        asked = HoldsQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        pages = Pages()
        fields: dict[str, Any] = {name: asked.validated_data[name] for name in ("words", "without_end")}
        since = ports.clock().now() - LOOKED_AT_AGAIN if asked.validated_data["review"] else None
        page = pages.paginate_queryset(holds(**fields, unseen_since=since), request, view=self)
        count = pages.page.paginator.count  # type: ignore[union-attr]
        return Response(HoldsPageSerializer({"count": count, "results": page}).data)

    @extend_schema(operation_id="hold_many", request=HoldManySerializer, responses=HeldNowSerializer)
    def post(self, request: Request) -> Response:
        body = HoldManySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        held = hold_many(body.reach(), reason=body.validated_data["reason"], until=body.validated_data["until"], by=signed_in(request))
        return Response({"backups": held})


class StillNeededSerializer(serializers.Serializer):
    """What `still_needed` is sent."""

    backups = serializers.ListField(child=serializers.UUIDField(), min_length=1, max_length=MOST_AT_ONCE)
    why = serializers.CharField(max_length=200, allow_blank=True)


class StillNeededView(APIView):
    """Answers `still_needed`."""

    writes = May.KEEP

    @extend_schema(operation_id="still_needed", request=StillNeededSerializer, responses=HeldNowSerializer)
    def post(self, request: Request) -> Response:
        body = StillNeededSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response({"backups": still_needed(body.validated_data["backups"], why=body.validated_data["why"], by=signed_in(request))})


class ReachView(APIView):
    """Answers `preview_hold`."""

    writes = May.KEEP

    @extend_schema(operation_id="preview_hold", request=ReachSerializer, responses=ReachedSerializer)
    def post(self, request: Request) -> Response:
        body = ReachSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        rows = body.reach().backups()
        return Response(ReachedSerializer(reached(rows)).data)
