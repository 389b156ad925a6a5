"""The register of devices: changing one, changing many, import with a preview, export, and taking a change back."""

import json
from collections.abc import Iterator
from typing import Any
from uuid import UUID

from django.http import StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_field, inline_serializer
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.errors import BadInput
from core.exchange.register import COLUMNS, ROWS_AT_MOST, LineVerdict, unknown_columns, written
from core.exchange.tables import csv_table, read_table
from server.api.read_before import ReadBefore
from server.api.streaming import pieces_of
from server.fleet.actions.change_device import change_device
from server.fleet.actions.change_many import CHANGEABLE, change_many, import_register, previewed, undo_bulk
from server.fleet.api.pairing import AddedSerializer
from server.fleet.convert import register_values
from server.fleet.models import Bulk
from server.fleet.queries import bulk, devices, last_bulk
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in

MAX_FILE_CHARACTERS = 8 * 1024 * 1024
SHOWN_LINES = 500


class ValuesSerializer(serializers.Serializer):
    """Columns of the register; those that are left out stay as they are."""

    values_told = serializers.DictField(child=serializers.CharField(max_length=2000, allow_blank=True))

    def told(self) -> dict[str, str]:
        """What was typed, as the actions want it."""
        values: dict[str, str] = self.validated_data["values_told"]
        if unknown := set(values) - set(COLUMNS):
            raise BadInput(f"There is no column {sorted(unknown)[0]!r}.", field="values_told", remedy=f"Use: {', '.join(COLUMNS)}.")
        return values


class SeenValuesSerializer(ValuesSerializer):
    """A seen values, as the API tells it."""

    seen = serializers.CharField(max_length=64, allow_blank=True, default="", help_text="Digest of what was shown to leave by it.")
    word = serializers.CharField(max_length=40, allow_blank=True, default="", help_text="Typed, where it was asked for.")


class ChangeDeviceSerializer(ReadBefore, SeenValuesSerializer):
    """`read` names columns: one that somebody else has changed is no contradiction to another."""


class EntrySerializer(serializers.Serializer):
    """Everything that the register says of a device."""

    values_told = serializers.DictField(child=serializers.CharField(allow_blank=True))


class ChangeManySerializer(SeenValuesSerializer):
    """What `change_devices` is sent."""

    devices = serializers.ListField(child=serializers.UUIDField(), max_length=5000)


class RegisterFileSerializer(serializers.Serializer):
    """What `preview_import` is sent."""

    content = serializers.CharField(max_length=MAX_FILE_CHARACTERS, trim_whitespace=False, help_text="The file: CSV, or JSON as exported.")
    digest = serializers.CharField(
        max_length=64, required=False, default="", allow_blank=True, help_text="Of the preview that is confirmed."
    )


class ColumnChangeSerializer(serializers.Serializer):
    """A part of `LineSerializer`."""

    column = serializers.CharField()
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class LineSerializer(serializers.Serializer):
    """A part of `PreviewedSerializer`."""

    number = serializers.IntegerField()
    verdict = serializers.ChoiceField(choices=[(one.value, one.value) for one in LineVerdict])
    name = serializers.CharField(allow_blank=True)
    device = serializers.CharField(allow_null=True)
    why = serializers.CharField(allow_blank=True)
    changes = serializers.SerializerMethodField()

    @extend_schema_field(ColumnChangeSerializer(many=True))
    def get_changes(self, line: Any) -> Any:
        return [{"column": column, "before": before, "after": after} for column, (before, after) in line.changes.items()]


class PreviewedSerializer(serializers.Serializer):
    """What `preview_import` answers."""

    digest = serializers.CharField()
    counts = serializers.DictField(child=serializers.IntegerField())
    ignored_columns = serializers.ListField(child=serializers.CharField())
    lines = LineSerializer(many=True)


class BulkSerializer(serializers.ModelSerializer):
    """What `change_devices` answers."""

    by_name = serializers.CharField(source="by.shown_name")
    devices = serializers.SerializerMethodField()

    class Meta:
        model = Bulk
        fields = ("id", "at", "by_name", "says", "devices", "undone_at")
        read_only_fields = fields

    def get_devices(self, bulk: Bulk) -> int:
        return len(bulk.after)


class UndoneSerializer(serializers.Serializer):
    """What `undo_bulk` answers."""

    left = serializers.ListField(child=serializers.CharField(), help_text="Changed by somebody since, and left as it is.")


class ChangeDeviceView(APIView):
    """Answers `register_entry`, `change_device`."""

    @extend_schema(operation_id="register_entry", responses=EntrySerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response({"values_told": register_values(device_by_id(id))})

    @extend_schema(operation_id="change_device", request=ChangeDeviceSerializer, responses=AddedSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = ChangeDeviceSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"device {id}", lambda: register_values(device_by_id(id)))
        seen, word = body.validated_data["seen"], body.validated_data["word"]
        return Response(AddedSerializer(change_device(device_by_id(id), body.told(), by=signed_in(request), seen=seen, word=word)).data)


class ChangeManyView(APIView):
    """Answers `change_devices`."""

    @extend_schema(operation_id="change_devices", request=ChangeManySerializer, responses=BulkSerializer, description=f"{CHANGEABLE}")
    def post(self, request: Request) -> Response:
        body = ChangeManySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = {name: body.validated_data[name] for name in ("seen", "word")}
        return Response(BulkSerializer(change_many(body.validated_data["devices"], body.told(), by=signed_in(request), **fields)).data)


class LastBulkView(APIView):
    """The newest change of many devices that can still be taken back."""

    @extend_schema(operation_id="last_bulk", responses=BulkSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(BulkSerializer(last_bulk(), many=True).data)


class UndoView(APIView):
    """Answers `undo_bulk`."""

    @extend_schema(operation_id="undo_bulk", request=None, responses=UndoneSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        left = undo_bulk(bulk(id), by=signed_in(request))
        return Response({"left": left})


class PreviewImportView(APIView):
    """What a file would do, row by row. Applies nothing."""

    @extend_schema(operation_id="preview_import", request=RegisterFileSerializer, responses=PreviewedSerializer)
    def post(self, request: Request) -> Response:
        body = RegisterFileSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        columns, rows = _read(body.validated_data["content"])
        lines, digest = previewed(rows)
        counts = {verdict.value: sum(line.verdict == verdict for line in lines) for verdict in LineVerdict}
        lines.sort(key=lambda line: (line.verdict != LineVerdict.REFUSE, line.verdict == LineVerdict.SAME, line.number))
        shown = {"digest": digest, "counts": counts, "ignored_columns": unknown_columns(columns)}
        return Response(shown | {"lines": LineSerializer(lines[:SHOWN_LINES], many=True).data})


class ImportView(APIView):
    """Answers `import_register`."""

    @extend_schema(operation_id="import_register", request=RegisterFileSerializer, responses=BulkSerializer)
    def post(self, request: Request) -> Response:
        body = RegisterFileSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        _, rows = _read(body.validated_data["content"])
        return Response(BulkSerializer(import_register(rows, digest=body.validated_data["digest"], by=signed_in(request))).data)


class RegisterExportView(APIView):
    """Answers `export_register`."""

    @extend_schema(
        operation_id="export_register",
        parameters=[inline_serializer("ExportQuery", {"as": serializers.ChoiceField(choices=["csv", "json"], required=False)})],
        responses={(200, "text/csv"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        as_json = request.query_params.get("as") == "json"
        rows = [written({"id": str(device.id)} | register_values(device)) for device in devices().order_by("name", "id")]
        if as_json:
            content, kind = json.dumps({"devices": rows}, ensure_ascii=False, indent=1), "application/json"
        else:
            content, kind = csv_table(rows, first=COLUMNS), "text/csv; charset=utf-8"
        headers = {"Content-Disposition": f'attachment; filename="devices.{"json" if as_json else "csv"}"'}
        return StreamingHttpResponse(pieces_of(_pieces(content.encode())), content_type=kind, headers=headers)


def _pieces(content: bytes) -> Iterator[bytes]:
    return (content[at : at + 65_536] for at in range(0, len(content), 65_536))


def _read(content: str) -> tuple[list[str], list[dict[str, str]]]:
    """(columns, rows) of a CSV or JSON file. Raises BadInput."""
    if not content.lstrip("\ufeff \t\r\n").startswith(("{", "[")):
        return read_table(content.encode("utf-8", "replace"), rows_at_most=ROWS_AT_MOST)
    try:
        register = json.loads(content.lstrip("\ufeff"))
    except (ValueError, RecursionError):
        raise BadInput("The file is no JSON.", field="file", remedy="Export a register and look at how it is written.") from None
    entries = register.get("devices") if isinstance(register, dict) else register
    if not isinstance(entries, list) or not all(isinstance(entry, dict) for entry in entries):
        raise BadInput("The file holds no list of devices.", field="file", remedy='Write {"devices": [{"name": …}]}.')
    if len(entries) > ROWS_AT_MOST:
        raise BadInput(f"The file has more than {ROWS_AT_MOST} rows.", field="file", remedy="Cut it into smaller ones.")
    rows = [{str(name): "" if value is None else str(value) for name, value in entry.items()} for entry in entries]
    return list(dict.fromkeys(name for row in rows for name in row)), rows
