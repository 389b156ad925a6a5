"""Kinds that somebody leaves out of a device's backups, or takes in, beside its plan."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.plans.actions.choose_kinds import choose_kinds, leave_to_plan
from server.plans.choices import choice as choice_by_id
from server.plans.models import KindChoice


class KindChoiceSerializer(serializers.ModelSerializer):
    """What `choose_kinds` answers."""

    device_name = serializers.CharField(source="device.name")
    by_name = serializers.SerializerMethodField()

    class Meta:
        model = KindChoice
        fields = ("id", "device_id", "device_name", "kind", "taken", "service", "alike", "why", "by_name", "at")
        read_only_fields = fields

    def get_by_name(self, choice: KindChoice) -> str:
        return choice.by.shown_name if choice.by else "somebody who is gone"


class ChooseKindsSerializer(serializers.Serializer):
    """What `choose_kinds` is sent."""

    kinds = serializers.ListField(child=serializers.CharField(max_length=20), max_length=40)
    taken = serializers.BooleanField(help_text="Taken into its backups, or left out of them on purpose.")
    service = serializers.CharField(max_length=100, allow_blank=True, default="", help_text="The account that synchronises them.")
    alike = serializers.BooleanField(default=False, help_text="For every device of which that account synchronises them.")
    why = serializers.CharField(max_length=200, allow_blank=True, default="")


class ChooseKindsView(APIView):
    """Answers `choose_kinds`."""

    writes = May.RUN

    @extend_schema(operation_id="choose_kinds", request=ChooseKindsSerializer, responses={201: KindChoiceSerializer(many=True)})
    def post(self, request: Request, id: UUID) -> Response:
        body = ChooseKindsSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        made: Any = choose_kinds(device_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(KindChoiceSerializer(made, many=True).data, status=201)


class KindChoiceView(APIView):
    """Answers `leave_to_plan`."""

    writes = May.RUN

    @extend_schema(operation_id="leave_to_plan", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        leave_to_plan(choice_by_id(id), by=signed_in(request))
        return Response(status=204)
