"""Backups with what retention says of them: why each is kept, and until when."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.fields import DayField
from server.fleet.queries import device as device_by_id
from server.retention.queries import Keeping, keeping
from server.runs.api.serializers import BackupSerializer
from server.runs.models import Backup
from server.runs.queries import backup as backup_by_id
from server.runs.queries import backups_of

SHOWN_BACKUPS = 500


class KeptSerializer(serializers.Serializer):
    """A part of `KeptBackupSerializer`."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField()
    kept = serializers.BooleanField()
    why = serializers.ListField(child=serializers.CharField())
    falls_out_on = DayField(allow_null=True)
    leaves_on = DayField(allow_null=True, help_text="First day on which it may go, of one that is leaving; it can be kept until then.")
    leaves_because = serializers.CharField(help_text="Why it leaves; empty for one that does not.")


class KeptBackupSerializer(BackupSerializer):
    """What `device_backups` answers."""

    kept = serializers.SerializerMethodField()

    class Meta(BackupSerializer.Meta):
        fields: tuple[str, ...] = (*BackupSerializer.Meta.fields, "kept")
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(KeptSerializer(many=True))
    def get_kept(self, backup: Backup) -> Any:
        keepings: dict[UUID, dict[UUID, Keeping]] = self.context["keeping"]
        rows = []
        for copy in backup.present:  # type: ignore[attr-defined]
            keeping = keepings.get(copy.store_id, {}).get(backup.id)
            if keeping:
                rows.append(
                    {
                        "store_id": copy.store_id,
                        "store_name": copy.store.name,
                        **{n: getattr(keeping, n) for n in ("kept", "why", "falls_out_on", "leaves_on", "leaves_because")},
                    }
                )
        return KeptSerializer(rows, many=True).data


class DeviceBackupsView(APIView):
    """Answers `device_backups`."""

    @extend_schema(operation_id="device_backups", responses=KeptBackupSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        backups = list(backups_of(device)[:SHOWN_BACKUPS])
        return Response(KeptBackupSerializer(backups, many=True, context={"keeping": keeping(device, now=ports.clock().now())}).data)


class BackupView(APIView):
    """Answers `backup`."""

    @extend_schema(operation_id="backup", responses=KeptBackupSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        backup = backup_by_id(id)
        return Response(KeptBackupSerializer(backup, context={"keeping": keeping(backup.device, now=ports.clock().now())}).data)
