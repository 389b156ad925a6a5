"""What runs left out, and what of it is accepted."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.left_out import reason_of
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.runs.actions.accept_omission import accept_omission, take_back_omission
from server.runs.api.serializers import RunDetailSerializer, SkippedSerializer
from server.runs.left_out import left_out_of, omissions_of
from server.runs.models import Omission
from server.runs.queries import omission as omission_by_id
from server.runs.queries import run as run_by_id


class AcceptSerializer(serializers.Serializer):
    """One thing, or everything of a reason; for one device, or for all of its link, family and model."""

    path = serializers.CharField(max_length=1024, allow_blank=True, default="", trim_whitespace=False)
    code = serializers.CharField(max_length=20, allow_blank=True, default="")
    alike = serializers.BooleanField(default=False)
    why = serializers.CharField(max_length=200)


class OmissionSerializer(serializers.ModelSerializer):
    """A part of `DeviceOmissionsSerializer`."""

    device_id = serializers.UUIDField()
    device_name = serializers.CharField(source="device.name")
    says = serializers.SerializerMethodField()
    by_name = serializers.SerializerMethodField()

    class Meta:
        model = Omission
        fields = ("id", "device_id", "device_name", "alike", "path", "code", "says", "why", "by_name", "at")
        read_only_fields = fields

    def get_says(self, omission: Omission) -> str:
        return omission.path or f"everything of which is said that {reason_of(omission.code)}"

    def get_by_name(self, omission: Omission) -> str:
        return omission.by.shown_name if omission.by else "somebody who is gone"


class DeviceOmissionsSerializer(serializers.Serializer):
    """What `device_omissions` answers."""

    run_id = serializers.UUIDField(allow_null=True, help_text="The run of the newest backup.")
    count = serializers.IntegerField()
    skipped = SkippedSerializer(many=True)
    accepted = OmissionSerializer(many=True)


class AcceptView(APIView):
    """Answers `accept_omission`."""

    writes = May.RUN

    @extend_schema(operation_id="accept_omission", request=AcceptSerializer, responses=RunDetailSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = AcceptSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        accept_omission(run_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(RunDetailSerializer(run_by_id(id)).data)


class OmissionView(APIView):
    """Answers `take_back_omission`."""

    writes = May.RUN

    @extend_schema(operation_id="take_back_omission", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        take_back_omission(omission_by_id(id), by=signed_in(request))
        return Response(status=204)


class DeviceOmissionsView(APIView):
    """Answers `device_omissions`."""

    @extend_schema(operation_id="device_omissions", responses=DeviceOmissionsSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        run, skipped = left_out_of(device)
        fields: dict[str, Any] = {
            "run_id": run.id if run else None, "count": (run.skipped_count or len(run.skipped)) if run else 0, "skipped": skipped,
            "accepted": omissions_of(device),
        }  # fmt: skip
        return Response(DeviceOmissionsSerializer(fields).data)
