"""Copies on their way: what each store is owed, what is under way, what failed."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.paging import PageQuery, Pages
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.runs.actions.hurry_copies import hurry_copies, withdraw_copy
from server.runs.copies import COMING_CODES, coming, sums_by_store
from server.runs.models import Copy
from server.runs.queries import copy_by_id
from server.storage.queries import NOT_HERE
from server.storage.queries import store as store_by_id


class CopyProgressSerializer(serializers.Serializer):
    """A part of `ComingCopySerializer`."""

    done_bytes = serializers.IntegerField(required=False)
    total_bytes = serializers.IntegerField(required=False)
    bytes_per_second = serializers.IntegerField(required=False)


class ComingCopySerializer(serializers.ModelSerializer):
    """A copy that is to lie in a store and does not yet."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField(source="store.name")
    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    size_bytes = serializers.IntegerField(source="backup.size_bytes")
    device_id = serializers.UUIDField(source="backup.device_id")
    device_name = serializers.CharField(source="backup.device.name")
    holder = serializers.CharField(source="backup.device.holder.name")
    by = serializers.CharField(source="by.shown_name", default="", help_text="Who asked for it; empty: its plan.")
    state = serializers.ChoiceField(choices=COMING_CODES)
    progress = CopyProgressSerializer()
    waits_for_drive = serializers.SerializerMethodField(help_text="Whether its store is a drive that is not here.")

    def get_waits_for_drive(self, copy: Copy) -> bool:
        drive = getattr(copy.store, "drive", None)
        return drive is not None and drive.state in NOT_HERE

    class Meta:
        model = Copy
        fields = (
            "id", "store_id", "store_name", "backup_id", "backup_at", "size_bytes", "device_id", "device_name", "holder", "by", "state",
            "progress", "asked_at", "due_at", "attempts", "cause", "remedy", "waits_for_drive",
        )  # fmt: skip
        read_only_fields = fields


class CopiesQuery(PageQuery):
    """What `copies` can be asked for."""

    store = serializers.UUIDField(required=False)
    state = serializers.ChoiceField(choices=COMING_CODES, required=False)
    words = serializers.CharField(required=False, allow_blank=True, max_length=100)


class CopySumsSerializer(serializers.Serializer):
    """What one store is owed."""

    store_id = serializers.UUIDField(source="store")
    owed = serializers.IntegerField()
    due = serializers.IntegerField(help_text="Of those owed: what waits for nothing but its turn.")
    under_way = serializers.IntegerField()
    failed = serializers.IntegerField()
    owed_since = serializers.DateTimeField(allow_null=True)
    owed_bytes = serializers.SerializerMethodField(help_text="Content of the backups; most of it may lie there already.")

    def get_owed_bytes(self, row: dict[str, Any]) -> int:
        return row["owed_bytes"] or 0


class CopiesPageSerializer(serializers.Serializer):
    """What `copies` answers."""

    count = serializers.IntegerField()
    results = ComingCopySerializer(many=True)


class HurriedSerializer(serializers.Serializer):
    """What `hurry_copies` answers."""

    copies = serializers.IntegerField()


class CopiesView(APIView):
    """Answers `copies`."""

    @extend_schema(operation_id="copies", parameters=[CopiesQuery], responses=CopiesPageSerializer)
    def get(self, request: Request) -> Response:
        asked = CopiesQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        fields = {name: asked.validated_data[name] for name in ("store", "state", "words") if asked.validated_data.get(name)}
        pages = Pages()
        page = pages.paginate_queryset(coming(**fields), request, view=self)
        count = pages.page.paginator.count  # type: ignore[union-attr]
        return Response(CopiesPageSerializer({"count": count, "results": page}).data)


class CopySumsView(APIView):
    """Answers `copy_sums`."""

    @extend_schema(operation_id="copy_sums", responses=CopySumsSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(CopySumsSerializer(sums_by_store(now=ports.clock().now()), many=True).data)


class HurryCopiesView(APIView):
    """Answers `hurry_copies`."""

    writes = May.KEEP

    @extend_schema(operation_id="hurry_copies", request=None, responses=HurriedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        return Response({"copies": hurry_copies(store_by_id(id), by=signed_in(request))})


class WithdrawCopyView(APIView):
    """Answers `withdraw_copy`."""

    writes = May.KEEP

    @extend_schema(operation_id="withdraw_copy", request=None, responses={204: None})
    def post(self, request: Request, id: int) -> Response:
        withdraw_copy(copy_by_id(id), by=signed_in(request))
        return Response(status=204)
