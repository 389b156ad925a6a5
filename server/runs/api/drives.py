"""Removable drives: where each is, whose turn it is, and taking one away."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.people.signed_in import signed_in
from server.runs.actions.part_drive import part_drive, use_drive_again
from server.runs.drives import drive_rows, rotation_of, rotations, strangers
from server.storage.actions.set_rotation import WantedRotation, end_rotation, keep_drive, set_rotation
from server.storage.models import DriveState, Rotation
from server.storage.queries import store as store_by_id


class DriveTurnSerializer(serializers.Serializer):
    """A part of `DriveSerializer`."""

    first = serializers.DateField()
    last = serializers.DateField()


class DriveSerializer(serializers.Serializer):
    """A part of `DrivesSerializer`."""

    store_id = serializers.UUIDField(source="drive.store_id")
    name = serializers.CharField(source="drive.store.name")
    where = serializers.CharField(source="drive.store.where", help_text="Where it is mounted, or was when it was here last.")
    trouble = serializers.CharField(source="drive.store.trouble", allow_blank=True)
    trouble_remedy = serializers.CharField(source="drive.store.trouble_remedy", allow_blank=True)
    off_site = serializers.BooleanField(source="drive.store.off_site")
    state = serializers.ChoiceField(source="drive.state", choices=DriveState.choices)
    keeper = serializers.CharField(source="drive.keeper", allow_blank=True)
    rests_in = serializers.CharField(source="drive.rests_in", allow_blank=True)
    rotation_id = serializers.IntegerField(source="drive.rotation_id", allow_null=True)
    letter = serializers.CharField(allow_blank=True)
    turn = DriveTurnSerializer(allow_null=True, help_text="Its turn that goes on, or its next one; null without a rotation.")
    has_turn = serializers.BooleanField()
    overdue_since = serializers.DateField(allow_null=True)
    seen_at = serializers.DateTimeField(source="drive.seen_at", allow_null=True)
    out_since = serializers.DateTimeField(source="drive.out_since", allow_null=True)
    pulled_out = serializers.BooleanField(source="drive.pulled_out")
    hindered_by = serializers.CharField(source="drive.hindered_by", allow_blank=True)
    twins = serializers.ListField(source="drive.twins", child=serializers.CharField())
    copies = serializers.IntegerField()
    devices = serializers.IntegerField()
    newest_at = serializers.DateTimeField(allow_null=True)
    owed = serializers.IntegerField()
    owed_bytes = serializers.IntegerField(help_text="About what is to be sent.")
    leaving = serializers.IntegerField(help_text="Copies that go as soon as it is here.")
    seconds = serializers.FloatField(allow_null=True, help_text="About how long it is needed.")


class RotationSerializer(serializers.ModelSerializer):
    """What `make_rotation` answers."""

    class Meta:
        model = Rotation
        fields = ("id", "name", "every_days", "first_day", "grace_days")
        read_only_fields = fields


class StrangeDriveSerializer(serializers.Serializer):
    """A part of `DrivesSerializer`."""

    path = serializers.CharField()
    seen_at = serializers.DateTimeField()


class DrivesSerializer(serializers.Serializer):
    """What `drives` answers."""

    drives = DriveSerializer(many=True)
    rotations = RotationSerializer(many=True)
    strangers = StrangeDriveSerializer(many=True, help_text="Vaults on drives that are no store of this office.")


class WantedRotationSerializer(ReadBefore):
    """What `make_rotation` is sent."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    every_days = serializers.IntegerField()
    first_day = serializers.DateField()
    grace_days = serializers.IntegerField()
    drives = serializers.ListField(child=serializers.UUIDField(), max_length=100, help_text="Stores in the order of their turns.")

    def wanted(self) -> WantedRotation:
        """What was typed, as the actions want it."""
        return WantedRotation(**self.validated_data)


class KeepDriveSerializer(ReadBefore):
    """What `keep_drive` is sent."""

    keeper = serializers.CharField(max_length=120, allow_blank=True)
    rests_in = serializers.CharField(max_length=120, allow_blank=True)


def _told() -> Any:
    fields = {"drives": drive_rows(now=ports.clock().now()), "rotations": rotations(), "strangers": strangers()}
    return DrivesSerializer(fields).data


def _drive(id: UUID) -> Any:
    rows = [row for row in drive_rows(now=ports.clock().now()) if row.drive.store_id == id]
    return DriveSerializer(rows[0]).data if rows else None


def _rotation(id: int) -> Any:
    drives = [row.drive.store_id for row in drive_rows(now=ports.clock().now()) if row.drive.rotation_id == id]
    return RotationSerializer(rotation_of(id)).data | {"drives": drives}


class DrivesView(APIView):
    """Answers `drives`."""

    @extend_schema(operation_id="drives", responses=DrivesSerializer)
    def get(self, request: Request) -> Response:
        return Response(_told())


class DriveView(APIView):
    """Answers `keep_drive`."""

    @extend_schema(operation_id="keep_drive", request=KeepDriveSerializer, responses=DrivesSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = KeepDriveSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"drive {id}", lambda: _drive(id))
        keep_drive(store_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(_told())


class PartDriveView(APIView):
    """Answers `part_drive`."""

    own_transactions = True
    writes = May.KEEP

    @extend_schema(operation_id="part_drive", request=None, responses=DrivesSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        part_drive(store_by_id(id), by=signed_in(request))
        return Response(_told())


class UseDriveView(APIView):
    """Answers `use_drive_again`."""

    writes = May.KEEP

    @extend_schema(operation_id="use_drive_again", request=None, responses=DrivesSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        use_drive_again(store_by_id(id), by=signed_in(request))
        return Response(_told())


class RotationsView(APIView):
    """Answers `make_rotation`."""

    writes = May.SET_UP

    @extend_schema(operation_id="make_rotation", request=WantedRotationSerializer, responses={201: RotationSerializer})
    def post(self, request: Request) -> Response:
        body = WantedRotationSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(RotationSerializer(set_rotation(body.wanted(), by=signed_in(request))).data, status=201)


class RotationView(APIView):
    """Answers `change_rotation`, `end_rotation`."""

    writes = May.SET_UP

    @extend_schema(operation_id="change_rotation", request=WantedRotationSerializer, responses=RotationSerializer)
    def put(self, request: Request, id: int) -> Response:
        body = WantedRotationSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"rotation {id}", lambda: _rotation(id))
        rotation = rotation_of(id)
        return Response(RotationSerializer(set_rotation(body.wanted(), rotation=rotation, by=signed_in(request))).data)

    @extend_schema(operation_id="end_rotation", request=None, responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        end_rotation(rotation_of(id), by=signed_in(request))
        return Response(status=204)
