"""Import in what exists: from a path on the server or an upload, looked into first."""

from collections.abc import Iterator
from datetime import datetime
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from server.api.parsing import BoundedJSONParser
from server.fleet.queries import device as device_by_id
from server.people.moments import moment_of
from server.people.signed_in import signed_in
from server.runs.actions.take_import import ask_import, drop_import, scan_path, scan_upload
from server.runs.models import Import, ImportState
from server.runs.queries import import_by_id, imports
from server.storage.queries import store as store_by_id

PIECE_BYTES = 1 << 20


class LargeItemSerializer(serializers.Serializer):
    """A part of `FoundKindSerializer`."""

    name = serializers.CharField()
    size_bytes = serializers.IntegerField()


class FoundKindSerializer(serializers.Serializer):
    """What there is of a kind."""

    kind = serializers.CharField()
    label = serializers.SerializerMethodField()  # type: ignore[assignment]
    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    newest_name = serializers.CharField(allow_blank=True)
    newest_at = serializers.DateTimeField(allow_null=True)
    largest = LargeItemSerializer(many=True)

    def get_label(self, entry: dict[str, Any]) -> str:
        return KINDS[entry["kind"]].label


class LeftAsideSerializer(serializers.Serializer):
    """A part of `FoundSerializer`."""

    name = serializers.CharField()
    why = serializers.CharField()


class FoundSerializer(serializers.Serializer):
    """A part of `ImportSerializer`."""

    kinds = FoundKindSerializer(many=True, required=False)
    left_aside = LeftAsideSerializer(many=True, required=False)
    left_aside_count = serializers.IntegerField(required=False)
    oldest_at = serializers.DateTimeField(allow_null=True, required=False)
    newest_at = serializers.DateTimeField(allow_null=True, required=False)


class ImportProgressSerializer(serializers.Serializer):
    """A part of `ImportSerializer`."""

    stage = serializers.CharField(required=False)
    read_bytes = serializers.IntegerField(required=False)
    to_read_bytes = serializers.IntegerField(required=False)


class ImportSerializer(serializers.ModelSerializer):
    """What `scan_import` answers."""

    state = serializers.ChoiceField(choices=ImportState.choices)
    found = FoundSerializer()
    progress = ImportProgressSerializer()
    device_name = serializers.SerializerMethodField()
    by_name = serializers.SerializerMethodField()
    backup_id = serializers.UUIDField(allow_null=True)
    device_id = serializers.UUIDField(allow_null=True)

    class Meta:
        model = Import
        fields = (
            "id", "name", "uploaded", "state", "found", "progress", "device_id", "device_name", "moment", "backup_id", "cause", "remedy",
            "by_name", "at",
        )  # fmt: skip
        read_only_fields = fields

    def get_device_name(self, import_: Import) -> str:
        return import_.device.name if import_.device else ""

    def get_by_name(self, import_: Import) -> str:
        return import_.by.shown_name if import_.by else ""


class PathSerializer(serializers.Serializer):
    """Either a path on the server, or a file."""

    path = serializers.CharField(max_length=1000, required=False, default="")
    file = serializers.FileField(required=False, default=None)


class TakeSerializer(serializers.Serializer):
    """What `take_import` is sent."""

    device = serializers.UUIDField()
    store = serializers.UUIDField()
    moment = serializers.CharField(max_length=40, help_text="ISO 8601; without an offset it is in the office's zone.")

    def at(self) -> datetime:
        """Raises BadInput."""
        return moment_of(self.validated_data["moment"], field="moment")


class ImportsView(generics.ListAPIView):
    """Answers `imports`, `scan_import`."""

    own_transactions = True
    serializer_class = ImportSerializer
    parser_classes = (BoundedJSONParser, MultiPartParser)

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return imports()

    @extend_schema(operation_id="imports")
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)

    @extend_schema(operation_id="scan_import", request=PathSerializer, responses={202: ImportSerializer})
    def post(self, request: Request) -> Response:
        body = PathSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        sent = body.validated_data["file"]
        if sent is not None:
            import_ = scan_upload(sent.name or "upload", _pieces(sent), by=signed_in(request))
        else:
            import_ = scan_path(body.validated_data["path"], by=signed_in(request))
        return Response(ImportSerializer(import_).data, status=202)


class OneImportView(APIView):
    """Answers `import`, `drop_import`."""

    @extend_schema(operation_id="import", responses=ImportSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(ImportSerializer(import_by_id(id)).data)

    @extend_schema(operation_id="drop_import", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        drop_import(import_by_id(id), by=signed_in(request))
        return Response(status=204)


class TakeImportView(APIView):
    """Answers `take_import`."""

    @extend_schema(operation_id="take_import", request=TakeSerializer, responses={202: ImportSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        body = TakeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        import_ = ask_import(
            import_by_id(id),
            device=device_by_id(fields["device"]),
            store=store_by_id(fields["store"]),
            moment=body.at(),
            by=signed_in(request),
        )
        return Response(ImportSerializer(import_).data, status=202)


def _pieces(sent: Any) -> Iterator[bytes]:
    yield from sent.chunks(PIECE_BYTES)
