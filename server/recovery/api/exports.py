"""What exports left on the server: archives to fetch, whole or from where a download was cut off, and folders until their day."""

from itertools import chain
from typing import Any
from uuid import UUID

from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpResponse, HttpResponseBase, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.errors import BadInput
from core.exchange.ranges import NoSuchStretch, Stretch, stretch
from server import ports
from server.api.disposition import disposition
from server.api.permissions import May, may
from server.api.problems import Conflict
from server.api.streaming import pieces_of
from server.people.ages import days_by_code
from server.people.queries import user_or_none
from server.people.signed_in import signed_in
from server.recovery.actions.end_exports import erase_export, keep_folder
from server.recovery.actions.note_look import note_fetched
from server.recovery.models import Restore, Target
from server.recovery.queries import exports, fetched_until
from server.recovery.queries import restore as restore_by_id

RANGE = OpenApiParameter("Range", OpenApiTypes.STR, OpenApiParameter.HEADER, description="RFC 9110: one stretch, `bytes=5000-`.")
IF_RANGE = OpenApiParameter(
    "If-Range", OpenApiTypes.STR, OpenApiParameter.HEADER, description="The entity tag of what one has the beginning of."
)


class ExportSerializer(serializers.ModelSerializer):
    """One archive or folder that lies on the server."""

    backup_at = serializers.DateTimeField(source="backup.finished_at")
    source_name = serializers.CharField(source="backup.device.name")
    source_holder = serializers.CharField(source="backup.device.holder.name")
    by_name = serializers.CharField(source="by.shown_name", default="Old Attic")
    folder = serializers.CharField(source="lies_in.path", default="", help_text="Empty for an archive.")
    size_bytes = serializers.SerializerMethodField()
    until = serializers.SerializerMethodField(help_text="Its last day; an archive is gone sooner when the server is started anew.")
    keeper_id = serializers.IntegerField(source="lies_in.keeper_id", default=None, allow_null=True)
    keeper_name = serializers.CharField(source="lies_in.keeper.shown_name", default="")
    trouble = serializers.CharField(source="lies_in.trouble", default="", help_text="Why it could not be erased.")

    class Meta:
        model = Restore
        fields = (
            "id", "backup_id", "backup_at", "source_name", "source_holder", "by_name", "file_name", "folder", "size_bytes", "layout",
            "locked", "finished_at", "until", "keeper_id", "keeper_name", "trouble",
        )  # fmt: skip
        read_only_fields = fields

    def get_size_bytes(self, restore: Restore) -> int:
        return int(restore.file_bytes or 0) if restore.file_name else restore.lies_in.size_bytes

    def get_until(self, restore: Restore) -> str | None:
        day = fetched_until(restore, days=self.context["days"]) if restore.file_name else restore.lies_in.until
        return None if day is None else day.isoformat()


class ExportsView(generics.ListAPIView):
    """Archives that can be fetched, and folders that lie on the server; newest first."""

    serializer_class = ExportSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return exports()

    def get_serializer_context(self) -> dict[str, Any]:
        """What each row needs beside itself."""
        return {**super().get_serializer_context(), "days": days_by_code()["downloads"]}

    @extend_schema(operation_id="exports")
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class EraseExportView(APIView):
    """Erase an archive or a folder before its time."""

    own_transactions = True
    writes = May.RESTORE

    @extend_schema(operation_id="erase_export", request=None, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        restore = restore_by_id(id)
        if restore.target == Target.FOLDER and May.SET_UP not in may(signed_in(request)):
            raise PermissionDenied("Folders of the server are for administrators to erase.")
        erase_export(restore, by=signed_in(request))
        return Response(status=204)


class KeepExportSerializer(serializers.Serializer):
    """What `keep_export` is sent."""

    until = serializers.DateField()
    keeper = serializers.IntegerField(min_value=1, max_value=2**31 - 1)


class KeepExportView(APIView):
    """Another last day for a folder, or another person whose it is."""

    @extend_schema(operation_id="keep_export", request=KeepExportSerializer, responses=ExportSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = KeepExportSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        keeper = user_or_none(body.validated_data["keeper"])
        if keeper is None:
            raise BadInput("Nobody has this number.", field="keeper", remedy="Choose somebody of the office.")
        keep_folder(restore_by_id(id), until=body.validated_data["until"], keeper=keeper, by=signed_in(request))
        return Response(ExportSerializer(restore_by_id(id), context={"days": days_by_code()["downloads"]}).data)


class ArchiveView(APIView):
    """The ZIP of a finished restore. A download that was cut off goes on where it stood."""

    reads = May.RESTORE

    @extend_schema(operation_id="archive", parameters=[RANGE, IF_RANGE], responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, id: UUID) -> HttpResponseBase:
        restore, downloads = restore_by_id(id), ports.results().downloads
        if not restore.file_name:
            raise Http404
        if not restore.file_start.startswith(downloads.home):
            raise Conflict(
                "The archive lies on another computer of this office.", remedy="Fetch it there, or make it again from the backup."
            )
        if restore.file_start != downloads.start or not downloads.has(str(id)):
            raise Conflict("The archive is gone: the server was started anew since it was made.", remedy="Make it again from the backup.")
        size_bytes, tag = int(restore.file_bytes or 0), f'"{id.hex}-{restore.attempts}"'
        try:
            asked = stretch(request.headers.get("Range", ""), size_bytes=size_bytes, if_range=request.headers.get("If-Range", ""), tag=tag)
        except NoSuchStretch:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size_bytes}"})
        part = asked or Stretch(start=0, stop=size_bytes)
        if part.start == 0:
            note_fetched(restore, by=signed_in(request))
        pieces = downloads.read(str(id), start=part.start, stop=part.stop)
        first = next(pieces, b"")  # what cannot be opened is said before anything is sent
        response = StreamingHttpResponse(pieces_of(chain((first,), pieces)), content_type="application/zip", status=206 if asked else 200)
        response["Content-Length"] = str(part.stop - part.start)
        response["Content-Disposition"] = disposition("attachment", restore.file_name)
        response["Accept-Ranges"], response["ETag"], response["Cache-Control"] = "bytes", tag, "private, no-store"
        if asked:
            response["Content-Range"] = f"bytes {part.start}-{part.stop - 1}/{size_bytes}"
        return response
