"""What a check found damaged in a store."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response

from core.content.kinds import KINDS
from server.api.permissions import May, may
from server.people.signed_in import signed_in
from server.runs.damage import damaged_in
from server.runs.models import Copy
from server.storage.queries import store as store_by_id


class LostKindSerializer(serializers.Serializer):
    """A part of `DamagedCopySerializer`."""

    label = serializers.CharField()  # type: ignore[assignment]
    items = serializers.IntegerField()
    names = serializers.ListField(child=serializers.CharField(), help_text="Of some; none for who may not look inside backups.")


class DamagedCopySerializer(serializers.ModelSerializer):
    """A damaged copy, as the API tells it."""

    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    device_id = serializers.UUIDField(source="backup.device_id")
    device_name = serializers.CharField(source="backup.device.name")
    holder = serializers.CharField(source="backup.device.holder.name")
    lost = serializers.SerializerMethodField(help_text="Empty where nobody can tell: then all of it may be.")
    whole_in = serializers.SerializerMethodField(help_text="Names of other stores that hold it whole.")

    class Meta:
        model = Copy
        fields = ("id", "backup_id", "backup_at", "device_id", "device_name", "holder", "lost", "whole_in")
        read_only_fields = fields

    @extend_schema_field(LostKindSerializer(many=True))
    def get_lost(self, copy: Copy) -> Any:
        names = self.context.get("names", False)
        return [
            {"label": KINDS[kind].label if kind in KINDS else kind, "items": damage["items"], "names": damage["names"] if names else []}
            for kind, damage in sorted(copy.damaged.items())
        ]

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_whole_in(self, copy: Copy) -> Any:
        return [other.store.name for other in copy.backup.whole_copies]  # type: ignore[attr-defined]


class DamageView(generics.ListAPIView):
    """Answers `damage`."""

    serializer_class = DamagedCopySerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return damaged_in(store_by_id(self.kwargs["id"]))

    def get_serializer_context(self) -> dict[str, Any]:
        """What each row needs beside itself."""
        return {**super().get_serializer_context(), "names": May.LOOK_INSIDE in may(signed_in(self.request))}

    @extend_schema(operation_id="damage")
    def get(self, request: Request, id: UUID, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)
