"""A device's own cloud backup, as the device says: what is so now, and the history of what it said."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.content.own_cloud import OwnCloudState
from core.coverage.own_cloud import believed, percent_used
from server import ports
from server.api.paging import PageQuery, Pages
from server.fleet.convert import own_cloud_of
from server.fleet.models import OwnCloudTold
from server.fleet.queries import device as device_by_id
from server.fleet.queries import own_cloud_history

OWN_STATES = [(one.value, one.value) for one in OwnCloudState]


class OwnPartSerializer(serializers.Serializer):
    """A part of `OwnCloudSerializer`."""

    name = serializers.CharField()
    bytes = serializers.IntegerField()


class OwnCloudSerializer(serializers.Serializer):
    """All of it as the device says."""

    state = serializers.ChoiceField(choices=OWN_STATES)
    service = serializers.CharField(allow_blank=True)
    account = serializers.CharField(allow_blank=True)
    last_success = serializers.DateTimeField(allow_null=True, help_text="Null for never, and for a time that lies ahead.")
    used_bytes = serializers.IntegerField(allow_null=True)
    allowed_bytes = serializers.IntegerField(allow_null=True)
    percent = serializers.IntegerField(allow_null=True)
    kinds = OwnPartSerializer(many=True)
    devices = OwnPartSerializer(many=True)


class OwnCloudRowSerializer(serializers.ModelSerializer):
    """A part of `OwnCloudPageSerializer`."""

    told = serializers.SerializerMethodField()
    drawn = serializers.SerializerMethodField(help_text="Drawn for a demonstration, not told.")

    class Meta:
        model = OwnCloudTold
        fields = ("at", "seen_at", "told", "drawn")
        read_only_fields = fields

    def get_drawn(self, row: OwnCloudTold) -> bool:
        return bool(row.told and row.told.get("drawn"))

    @extend_schema_field(OwnCloudSerializer(allow_null=True))
    def get_told(self, row: OwnCloudTold) -> Any:
        return shown_own_cloud(row.told)


class OwnCloudPageSerializer(serializers.Serializer):
    """What `own_cloud` answers."""

    count = serializers.IntegerField()
    tells = serializers.BooleanField(help_text="Whether the device ever told anything.")
    results = OwnCloudRowSerializer(many=True, help_text="The newest first.")


def shown_own_cloud(entry: dict[str, Any] | None) -> Any:
    """As the page of the device shows it; None where it told nothing."""
    own_cloud = own_cloud_of(entry)
    if own_cloud is None:
        return None
    kinds = [
        {"name": KINDS[one.name].label if one.name in KINDS else "Everything else", "bytes": one.size_bytes} for one in own_cloud.kinds
    ]
    devices = [{"name": one.name, "bytes": one.size_bytes} for one in own_cloud.devices]
    shown = {
        "state": own_cloud.state, "service": own_cloud.service, "account": own_cloud.account,
        "last_success": believed(own_cloud, now=ports.clock().now()),
        "used_bytes": own_cloud.used_bytes, "allowed_bytes": own_cloud.allowed_bytes, "percent": percent_used(own_cloud), "kinds": kinds,
        "devices": devices,
    }  # fmt: skip
    return OwnCloudSerializer(shown).data


class OwnCloudView(APIView):
    """Answers `own_cloud`."""

    @extend_schema(operation_id="own_cloud", parameters=[PageQuery], responses=OwnCloudPageSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        pages, rows = Pages(), own_cloud_history(device)
        page = pages.paginate_queryset(rows, request, view=self)
        shown = {"count": rows.count(), "tells": bool(device.own_cloud), "results": page}
        return Response(OwnCloudPageSerializer(shown).data)
