"""What is on its way out, keeping it after all, removing by hand, and what a release would do."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.retention.actions.keep_backups import keep_backups
from server.retention.actions.look_at_backup import looked_at
from server.retention.actions.remove_backups import remove_backups
from server.retention.consequences import WORD
from server.retention.leaving import after_release, leaving
from server.retention.removal import MOST_AT_ONCE, removal_of
from server.runs.models import Copy
from server.runs.queries import backup as backup_by_id

MOST_SHOWN = 200


class LeavingSerializer(serializers.ModelSerializer):
    """A part of `LeavingPageSerializer`."""

    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    size_bytes = serializers.IntegerField(source="backup.size_bytes")
    device_id = serializers.UUIDField(source="backup.device_id")
    device_name = serializers.CharField(source="backup.device.name")
    holder = serializers.CharField(source="backup.device.holder.name")
    store_name = serializers.CharField(source="store.name")
    why = serializers.CharField(source="removed_why")
    by = serializers.CharField(source="leaving_by.shown_name", default="", help_text="Who removed it; empty for a rule.")
    leaves_on = DayField()

    class Meta:
        model = Copy
        fields = (
            "id", "backup_id", "backup_at", "size_bytes", "device_id", "device_name", "holder", "store_id", "store_name", "why", "by",
            "by_hand", "leaving_since", "leaves_on",
        )  # fmt: skip
        read_only_fields = fields


class LeavingQuery(PageQuery):
    """What `leaving` can be asked for."""

    store = serializers.UUIDField(required=False)
    device = serializers.UUIDField(required=False)
    by_hand = serializers.BooleanField(required=False, allow_null=True, default=None)
    words = serializers.CharField(required=False, max_length=200, allow_blank=True)


class LeavingPageSerializer(serializers.Serializer):
    """What `leaving` answers."""

    count = serializers.IntegerField()
    results = LeavingSerializer(many=True)


class LeavingView(APIView):
    """Answers `leaving`."""

    @extend_schema(operation_id="leaving", parameters=[LeavingQuery], responses=LeavingPageSerializer)
    def get(self, request: Request) -> Response:
        asked = LeavingQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        fields = {name: asked.validated_data.get(name) for name in ("store", "device", "by_hand")}
        pages = Pages()
        page = pages.paginate_queryset(leaving(**fields, words=asked.validated_data.get("words", "")), request, view=self)
        count = pages.page.paginator.count  # type: ignore[union-attr]
        return Response(LeavingPageSerializer({"count": count, "results": page}).data)


class KeepSerializer(serializers.Serializer):
    """What `keep_after_all` is sent."""

    backups = serializers.ListField(child=serializers.UUIDField(), min_length=1, max_length=MOST_AT_ONCE)
    reason = serializers.CharField(max_length=200, allow_blank=True)
    until = DayField(required=False, allow_null=True, default=None, help_text="Last day of the hold; null until it is released.")


class KeptAfterAllSerializer(serializers.Serializer):
    """What `keep_after_all` answers."""

    backups = serializers.IntegerField()


class KeepView(APIView):
    """Answers `keep_after_all`."""

    writes = May.KEEP

    @extend_schema(operation_id="keep_after_all", request=KeepSerializer, responses=KeptAfterAllSerializer)
    def post(self, request: Request) -> Response:
        body = KeepSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = dict(body.validated_data)
        return Response({"backups": keep_backups(fields.pop("backups"), **fields, by=signed_in(request))})


class ChosenSerializer(serializers.Serializer):
    """Backups, or all of a device; in one store, or everywhere."""

    backups = serializers.ListField(child=serializers.UUIDField(), required=False, default=list, max_length=MOST_AT_ONCE)
    device = serializers.UUIDField(required=False, allow_null=True, default=None)
    store = serializers.UUIDField(required=False, allow_null=True, default=None)


class RemoveSerializer(ChosenSerializer):
    """What `remove_backups` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True)
    seen = serializers.CharField(max_length=64, help_text="The digest of what was shown.")
    word = serializers.CharField(max_length=40, allow_blank=True, default="", help_text="Typed, where it was asked for.")


class OfDeviceSerializer(serializers.Serializer):
    """A part of `RemovalSerializer`."""

    device_id = serializers.UUIDField(source="device.id")
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    going = serializers.IntegerField(help_text="Backups of which at least one copy leaves.")
    nowhere = serializers.IntegerField(help_text="Backups of which no store keeps a copy afterwards.")
    left = serializers.IntegerField(help_text="Backups that can be restored afterwards.")
    newest_left = serializers.DateTimeField(allow_null=True)


class RemovalSerializer(serializers.Serializer):
    """What `preview_removal` answers."""

    copies = serializers.SerializerMethodField()
    held = serializers.SerializerMethodField(help_text="Copies that stay, since they are on hold.")
    frozen = serializers.SerializerMethodField(help_text="Copies that stay, since nothing leaves there for now.")
    stores = serializers.SerializerMethodField(help_text="Names of the stores that copies leave.")
    devices = serializers.SerializerMethodField()
    device_count = serializers.SerializerMethodField()
    word = serializers.SerializerMethodField(help_text="What has to be typed; empty when nothing has.")
    digest = serializers.CharField()

    def get_copies(self, removal: Any) -> int:
        return len(removal.copies)

    def get_held(self, removal: Any) -> int:
        return len(removal.held)

    def get_frozen(self, removal: Any) -> int:
        return len(removal.frozen)

    def get_stores(self, removal: Any) -> list[str]:
        return sorted({copy.store.name for copy in removal.copies})

    @extend_schema_field(OfDeviceSerializer(many=True))
    def get_devices(self, removal: Any) -> Any:
        return OfDeviceSerializer(removal.devices[:MOST_SHOWN], many=True).data

    def get_device_count(self, removal: Any) -> int:
        return len(removal.devices)

    def get_word(self, removal: Any) -> str:
        return WORD if removal.needs_word else ""


class RemovalPreviewView(APIView):
    """Answers `preview_removal`."""

    writes = May.REMOVE

    @extend_schema(operation_id="preview_removal", request=ChosenSerializer, responses=RemovalSerializer)
    def post(self, request: Request) -> Response:
        body = ChosenSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(RemovalSerializer(removal_of(**body.validated_data)).data)


class RemoveView(APIView):
    """Answers `remove_backups`."""

    writes = May.REMOVE

    @extend_schema(operation_id="remove_backups", request=RemoveSerializer, responses=RemovalSerializer)
    def post(self, request: Request) -> Response:
        body = RemoveSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(RemovalSerializer(remove_backups(**body.validated_data, by=signed_in(request))).data)


class LookedAtView(APIView):
    """Answers `looked_at_backup`."""

    writes = May.REMOVE

    @extend_schema(operation_id="looked_at_backup", request=None, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        looked_at(backup_by_id(id), by=signed_in(request))
        return Response(status=204)


class AfterReleaseSerializer(serializers.Serializer):
    """What `after_release` answers."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField()
    kept = serializers.BooleanField()
    why = serializers.ListField(child=serializers.CharField())
    leaves_on = DayField(allow_null=True)


class AfterReleaseView(APIView):
    """Answers `after_release`."""

    @extend_schema(operation_id="after_release", responses=AfterReleaseSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        return Response(AfterReleaseSerializer(after_release(backup_by_id(id), now=ports.clock().now()), many=True).data)
