"""Backups with what retention says of them: why each is kept, and until when."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.api.fields import DayField
from server.fleet.models import Device
from server.fleet.queries import device as device_by_id
from server.outside import outside
from server.retention.queries import Keeping, keeping
from server.runs.api.serializers import BackupSerializer
from server.runs.models import Backup
from server.runs.queries import backup as backup_by_id
from server.runs.queries import backups_of

SHOWN_BACKUPS = 500


class KeptSerializer(serializers.Serializer):
    store_id = serializers.UUIDField()
    store_name = serializers.CharField()
    kept = serializers.BooleanField()
    why = serializers.ListField(child=serializers.CharField())
    falls_out_on = DayField(allow_null=True)


class KeptBackupSerializer(BackupSerializer):
    kept = serializers.SerializerMethodField()

    class Meta(BackupSerializer.Meta):
        fields = (*BackupSerializer.Meta.fields, "kept")
        read_only_fields = fields

    @extend_schema_field(KeptSerializer(many=True))
    def get_kept(self, backup: Backup) -> Any:
        told: dict[UUID, dict[UUID, Keeping]] = self.context["keeping"]
        rows = []
        for copy in backup.present:  # type: ignore[attr-defined]
            found = told[copy.store_id].get(backup.id)
            if found:
                rows.append(
                    {
                        "store_id": copy.store_id,
                        "store_name": copy.store.name,
                        **{n: getattr(found, n) for n in ("kept", "why", "falls_out_on")},
                    }
                )
        return KeptSerializer(rows, many=True).data


def _keeping(device: Device, backups: list[Backup]) -> dict[UUID, dict[UUID, Keeping]]:
    stores = {copy.store_id for backup in backups for copy in backup.present}  # type: ignore[attr-defined]
    return {store: keeping(device, store, now=outside().now()) for store in stores}


class DeviceBackupsView(APIView):
    @extend_schema(operation_id="device_backups", responses=KeptBackupSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        found = list(backups_of(device)[:SHOWN_BACKUPS])
        return Response(KeptBackupSerializer(found, many=True, context={"keeping": _keeping(device, found)}).data)


class BackupView(APIView):
    @extend_schema(operation_id="backup", responses=KeptBackupSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        found = backup_by_id(id)
        return Response(KeptBackupSerializer(found, context={"keeping": _keeping(found.device, [found])}).data)
