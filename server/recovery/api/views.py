"""Looking inside backups, and restoring from them."""

from itertools import chain
from typing import Any
from uuid import UUID

from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpResponse, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS, KindShape, kind
from core.errors import BadInput
from core.exchange.locked import MOST_CHARACTERS
from core.exchange.vcard import CardForm
from core.recovery.conflicts import WhenThere
from core.recovery.selection import Selection
from server.api.disposition import disposition
from server.api.permissions import May, may
from server.api.streaming import pieces_of
from server.fleet.api.findings import FindingSerializer
from server.fleet.queries import device as device_by_id
from server.people.queries import user_or_none
from server.people.signed_in import signed_in
from server.recovery.actions.ask_restore import Export, ask_restore, findings, room_findings
from server.recovery.actions.note_look import note_look, note_saved
from server.recovery.actions.stop_restore import stop_restore
from server.recovery.models import Layout, Restore, RestoreState, Target
from server.recovery.queries import PAGE_ITEMS, Shown, inside, one_item, restores
from server.recovery.queries import restore as restore_by_id
from server.recovery.thumbnails import MAX_PICTURE_BYTES, NoPicture, picture_type, thumbnail
from server.runs.queries import backup as backup_by_id

MAX_ID_CHARACTERS = 9000
"""An id of a file is its path, or the path's bytes in hex."""


class ShownSerializer(serializers.Serializer):
    """A part of `InsideSerializer`."""

    id = serializers.CharField(source="item.id")
    name = serializers.CharField(source="item.name")
    size_bytes = serializers.IntegerField(source="item.size_bytes")
    modified = serializers.DateTimeField(source="item.modified")
    title = serializers.CharField(source="line.title")
    detail = serializers.CharField(source="line.detail")
    fields_told = serializers.DictField(source="line.fields", child=serializers.CharField())
    talk = serializers.ListField(source="line.talk", child=serializers.DictField(child=serializers.CharField()))
    damaged = serializers.BooleanField()


class InsideSerializer(serializers.Serializer):
    """What `inside` answers."""

    shape = serializers.ChoiceField(choices=[(shape.value, shape.value) for shape in KindShape])
    count = serializers.IntegerField()
    page_items = serializers.IntegerField()
    items = ShownSerializer(many=True)
    lost = serializers.IntegerField(help_text="Items that cannot even be named, because their list is damaged.")


class InsideFilter(serializers.Serializer):
    """What `inside` can be asked for."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    words = serializers.CharField(required=False, max_length=200, default="")
    page = serializers.IntegerField(required=False, min_value=1, max_value=100_000, default=1)


class ItemFilter(serializers.Serializer):
    """What `item` can be asked for."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    id = serializers.CharField(max_length=MAX_ID_CHARACTERS)


class ChosenItemSerializer(serializers.Serializer):
    """A part of `RestoreRequestSerializer`."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    id = serializers.CharField(max_length=MAX_ID_CHARACTERS)


class RestoreRequestSerializer(serializers.Serializer):
    """What `preflight` is sent."""

    backup = serializers.UUIDField()
    everything = serializers.BooleanField()
    kinds = serializers.ListField(child=serializers.ChoiceField(choices=list(KINDS)), max_length=40)
    items = ChosenItemSerializer(many=True)
    target = serializers.ChoiceField(choices=Target.choices)
    device = serializers.UUIDField(allow_null=True)
    when_there = serializers.ChoiceField(choices=[(choice.value, choice.value) for choice in WhenThere])
    cards = serializers.ChoiceField(
        choices=[(form.value, form.value) for form in CardForm],
        default=CardForm.V4.value,
        help_text="Of an export: in which form contacts leave.",
    )
    layout = serializers.ChoiceField(choices=Layout.choices, default=Layout.FILES.value, help_text="Of an export: how it is laid out.")
    passphrase = serializers.CharField(
        max_length=MOST_CHARACTERS, default="", allow_blank=True, trim_whitespace=False, help_text="Of an archive that is to be locked."
    )
    passphrase_again = serializers.CharField(max_length=MOST_CHARACTERS, default="", allow_blank=True, trim_whitespace=False)
    folder = serializers.CharField(max_length=1000, default="", allow_blank=True, help_text="The whole path of a folder of the server.")
    keeper = serializers.IntegerField(
        default=None, allow_null=True, min_value=1, max_value=2**31 - 1, help_text="Whose the folder is; empty: of whoever asks."
    )
    until = serializers.DateField(default=None, allow_null=True, help_text="Last day of the folder, in the office's zone.")

    def selection(self) -> Selection:
        """What was chosen, as the core knows it."""
        fields = self.validated_data
        items = frozenset((entry["kind"], entry["id"]) for entry in fields["items"])
        return Selection(everything=fields["everything"], kinds=frozenset(fields["kinds"]), items=items)


class NamedReasonField(serializers.ListField):
    """Pairs of texts."""

    child = serializers.ListField(child=serializers.CharField(), min_length=2, max_length=2)


class KindReportSerializer(serializers.Serializer):
    """Counts of one kind. What was not counted for this target is missing."""

    kind = serializers.CharField()
    label = serializers.SerializerMethodField()  # type: ignore[assignment]
    chosen = serializers.IntegerField()
    expected = serializers.IntegerField()
    found = serializers.IntegerField()
    written = serializers.IntegerField(required=False)
    added = serializers.IntegerField(required=False)
    replaced = serializers.IntegerField(required=False)
    same = serializers.IntegerField(required=False)
    left = serializers.IntegerField(required=False)
    damaged = serializers.ListField(child=serializers.CharField())
    missing = serializers.ListField(child=serializers.CharField(), required=False)
    missing_count = serializers.IntegerField(required=False)
    refused = NamedReasonField(required=False, help_text="[name, reason]")
    renamed = NamedReasonField(required=False, help_text="[name, path that it has now]")
    proven_by = serializers.ChoiceField(choices=["content", "size"], required=False)
    whole = serializers.BooleanField(required=False)

    def get_label(self, row: dict[str, Any]) -> str:
        return KINDS[row["kind"]].label if row["kind"] in KINDS else "Folders"


class RestoreProgressSerializer(serializers.Serializer):
    """A part of `RestoreSerializer`."""

    kind = serializers.CharField(required=False)
    done_bytes = serializers.IntegerField(required=False)
    total_bytes = serializers.IntegerField(required=False)


class RestoreSerializer(serializers.ModelSerializer):
    """What `ask_restore` answers."""

    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    source_device_id = serializers.UUIDField(source="backup.device_id")
    source_name = serializers.CharField(source="backup.device.name")
    source_holder = serializers.CharField(source="backup.device.holder.name")
    device_name = serializers.SerializerMethodField()
    device_holder = serializers.SerializerMethodField()
    state = serializers.ChoiceField(choices=RestoreState.choices)
    progress = RestoreProgressSerializer()
    report = serializers.SerializerMethodField()
    by_name = serializers.SerializerMethodField()
    folder = serializers.CharField(source="lies_in.path", default="")

    class Meta:
        model = Restore
        fields = (
            "id", "backup_id", "backup_at", "source_device_id", "source_name", "source_holder", "target", "device_id",
            "device_name", "device_holder", "everything", "kinds", "when_there",
            "state", "asked_at", "started_at", "finished_at", "progress", "report", "cause", "remedy", "stop_asked", "file_name",
            "file_bytes", "by_name", "layout", "locked", "folder",
        )  # fmt: skip
        read_only_fields = fields

    def get_device_name(self, restore: Restore) -> str:
        return restore.device.name if restore.device else ""

    def get_device_holder(self, restore: Restore) -> str:
        return restore.device.holder.name if restore.device else ""

    def get_by_name(self, restore: Restore) -> str:
        return restore.by.shown_name if restore.by else "Old Attic"

    @extend_schema_field(KindReportSerializer(many=True))
    def get_report(self, restore: Restore) -> Any:
        return KindReportSerializer(restore.report.get("kinds", []), many=True).data


class InsideView(APIView):
    """What is in a backup, kind by kind. Reading content is a matter for operators."""

    reads = May.LOOK_INSIDE

    @extend_schema(operation_id="inside", parameters=[InsideFilter], responses=InsideSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        query = InsideFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        asked, backup = query.validated_data, backup_by_id(id)
        note_look(backup, asked["kind"], words=asked["words"], by=signed_in(request))
        shown_rows: tuple[list[Shown], int, int] = inside(backup, asked["kind"], words=asked["words"].split()[:8], page=asked["page"])
        answer = {
            "shape": kind(asked["kind"]).shape,
            "count": shown_rows[1],
            "page_items": PAGE_ITEMS,
            "items": shown_rows[0],
            "lost": shown_rows[2],
        }
        return Response(InsideSerializer(answer).data)


class ItemView(APIView):
    """The bytes of one item. Pictures are shown; everything else is only ever saved as a file."""

    reads = May.LOOK_INSIDE

    @extend_schema(operation_id="item", parameters=[ItemFilter], responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, id: UUID) -> StreamingHttpResponse:
        query = ItemFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        backup = backup_by_id(id)
        note_saved(backup, query.validated_data["kind"], by=signed_in(request))
        item, pieces = one_item(backup, query.validated_data["kind"], query.validated_data["id"])
        first = next(pieces, b"")
        shown_as = picture_type(first)
        response = StreamingHttpResponse(pieces_of(chain((first,), pieces)), content_type=shown_as or "application/octet-stream")
        response["Content-Length"] = str(item.size_bytes)
        response["Content-Disposition"] = disposition("inline" if shown_as else "attachment", item.name.rpartition("/")[2])
        response["X-Content-Type-Options"] = "nosniff"
        return response


class ThumbnailView(APIView):
    """Answers `thumbnail`."""

    reads = May.LOOK_INSIDE

    @extend_schema(operation_id="thumbnail", parameters=[ItemFilter], responses={(200, "image/jpeg"): OpenApiTypes.BINARY})
    def get(self, request: Request, id: UUID) -> HttpResponse:
        query = ItemFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        item, pieces = one_item(backup_by_id(id), query.validated_data["kind"], query.validated_data["id"])
        if item.size_bytes > MAX_PICTURE_BYTES:
            raise Http404
        try:
            small = thumbnail(b"".join(pieces))
        except NoPicture:
            raise Http404 from None
        return HttpResponse(small, content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


class PreflightView(APIView):
    """Answers `preflight`."""

    own_transactions = True
    reads = writes = May.RESTORE

    @extend_schema(operation_id="preflight", request=RestoreRequestSerializer, responses=FindingSerializer(many=True))
    def post(self, request: Request) -> Response:
        body = RestoreRequestSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        backup = backup_by_id(fields["backup"])
        if fields["target"] != Target.DEVICE or fields["device"] is None:
            locked = bool(fields["passphrase"])
            stands = room_findings(backup, body.selection(), target=fields["target"], locked=locked)
            return Response(FindingSerializer(stands, many=True).data)
        stands = findings(backup, device_by_id(fields["device"]), body.selection())
        return Response(FindingSerializer(stands, many=True).data)


class RestoresView(generics.ListAPIView):
    """Answers `restores`, `ask_restore`."""

    own_transactions = True
    serializer_class = RestoreSerializer
    writes = May.RESTORE

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return restores()

    @extend_schema(operation_id="restores")
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)

    @extend_schema(operation_id="ask_restore", request=RestoreRequestSerializer, responses={201: RestoreSerializer})
    def post(self, request: Request) -> Response:
        body = RestoreRequestSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        if fields["target"] == Target.FOLDER and May.SET_UP not in may(signed_in(request)):
            raise PermissionDenied("Folders of the server are chosen by administrators.")
        device = device_by_id(fields["device"]) if fields["device"] else None
        asked = ask_restore(
            backup_by_id(fields["backup"]),
            body.selection(),
            target=fields["target"],
            device=device,
            when_there=fields["when_there"],
            export=_export(fields),
            by=signed_in(request),
        )
        return Response(RestoreSerializer(restore_by_id(asked.id)).data, status=201)


def _export(fields: dict[str, Any]) -> Export:
    names = ("cards", "layout", "passphrase", "passphrase_again", "folder", "until")
    keeper = user_or_none(fields["keeper"])
    if fields["keeper"] is not None and keeper is None:
        raise BadInput("Nobody has this number.", field="keeper", remedy="Choose somebody of the office.")
    return Export(**{name: fields[name] for name in names}, keeper=keeper)


class RestoreView(APIView):
    """Answers `restore`."""

    @extend_schema(operation_id="restore", responses=RestoreSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(RestoreSerializer(restore_by_id(id)).data)


class StopRestoreView(APIView):
    """Answers `stop_restore`."""

    writes = May.RESTORE

    @extend_schema(operation_id="stop_restore", request=None, responses=RestoreSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        stop_restore(restore_by_id(id), by=signed_in(request))
        return Response(RestoreSerializer(restore_by_id(id)).data)
