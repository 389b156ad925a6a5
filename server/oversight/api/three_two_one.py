"""3-2-1 at a glance."""

from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.coverage.three_two_one import CopyStep, Lack
from server import ports
from server.api.paging import PageQuery, Pages
from server.oversight.three_two_one import CopiesRow, all_rows, by_team, evidence, fitting

LACKS = [lack.value for lack in Lack]


class HoldingPlaceSerializer(serializers.Serializer):
    """A part of `ThreeTwoOneRowSerializer`."""

    store = serializers.CharField()
    medium = serializers.CharField()
    off_site = serializers.BooleanField()
    newest_at = serializers.DateTimeField()
    checked_at = serializers.DateTimeField(allow_null=True)


class ThreeTwoOneRowSerializer(serializers.Serializer):
    """A part of `ThreeTwoOneSerializer`."""

    device_id = serializers.UUIDField(source="device.id")
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    team = serializers.CharField(source="device.team.name", default="")
    plan_id = serializers.UUIDField(allow_null=True)
    places = HoldingPlaceSerializer(many=True)
    copies = serializers.IntegerField(source="told.copies", help_text="What is on the device among them.")
    media = serializers.IntegerField(source="told.media")
    off_site = serializers.BooleanField(source="told.off_site")
    checked_at = serializers.DateTimeField(source="told.checked_at", allow_null=True)
    drilled_at = serializers.DateTimeField(allow_null=True, help_text="When a backup of it last came back right in a drill.")
    lacks = serializers.SerializerMethodField()
    step = serializers.ChoiceField(source="told.step", choices=[step.value for step in CopyStep])

    @extend_schema_field(serializers.ListField(child=serializers.ChoiceField(choices=LACKS)))
    def get_lacks(self, row: CopiesRow) -> Any:
        return [lack.value for lack in row.told.lacks]


class OfTeamSerializer(serializers.Serializer):
    """A part of `ThreeTwoOneSerializer`."""

    team = serializers.CharField(allow_blank=True)
    devices = serializers.IntegerField()
    whole = serializers.IntegerField(help_text="Of them, those that lack nothing.")


class AuditEvidenceSerializer(serializers.Serializer):
    """A part of `ThreeTwoOneSerializer`."""

    devices = serializers.IntegerField(help_text="In somebody’s hands.")
    planned = serializers.IntegerField()
    backed_up = serializers.IntegerField()
    encrypted = serializers.IntegerField()
    off_site = serializers.IntegerField()
    checked = serializers.IntegerField()
    drilled = serializers.IntegerField()


class ThreeTwoOneSerializer(serializers.Serializer):
    """What `three_two_one` answers."""

    count = serializers.IntegerField()
    teams = OfTeamSerializer(many=True, help_text="Of the whole office, whatever is filtered.")
    evidence = AuditEvidenceSerializer()
    results = ThreeTwoOneRowSerializer(many=True)


class ThreeTwoOneQuery(PageQuery):
    """What `three_two_one` can be asked for."""

    team = serializers.IntegerField(required=False, allow_null=True, default=None)
    lacks = serializers.ChoiceField(required=False, choices=["", "any", *LACKS], default="")
    words = serializers.CharField(required=False, max_length=200, allow_blank=True, default="")


class ThreeTwoOneView(APIView):
    """Answers `three_two_one`."""

    @extend_schema(operation_id="three_two_one", parameters=[ThreeTwoOneQuery], responses=ThreeTwoOneSerializer)
    def get(self, request: Request) -> Response:
        asked = ThreeTwoOneQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        rows = all_rows(now=ports.clock().now())
        chosen = fitting(rows, **{name: asked.validated_data[name] for name in ("team", "lacks", "words")})
        page = Pages().paginate_queryset(chosen, request, view=self)
        fields: dict[str, Any] = {"count": len(chosen), "teams": by_team(rows), "evidence": evidence(rows), "results": page}
        return Response(ThreeTwoOneSerializer(fields).data)
