"""Over the network: what fills a device in a store, item by item. Names of items are content: for those who may look inside."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.content.scope import MAX_UNDER_CHARACTERS, Exclusion
from core.quota.conversations import Talks
from core.quota.filling import Held
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.recovery.actions.note_look import note_weighed
from server.recovery.filling import filled, left_out

MOST_TALKS = 20


class FillingItemSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    kind = serializers.CharField(source="item.kind")
    id = serializers.CharField(source="item.id")
    name = serializers.CharField(source="item.name")
    size_bytes = serializers.IntegerField(source="item.size_bytes", help_text="On the device, as the newest backup of it says.")
    backups = serializers.IntegerField(help_text="That hold it.")
    first_at = serializers.DateTimeField()
    last_at = serializers.DateTimeField()
    last_backup = serializers.SerializerMethodField(help_text="The newest that holds it.")
    now = serializers.BooleanField(help_text="Whether the newest backup of the device holds it.")
    own_bytes = serializers.IntegerField(help_text="In the store, that nothing but this item needs, in all its versions.")
    old_bytes = serializers.IntegerField(help_text="Of them what only older backups need.")

    def get_last_backup(self, held: Held) -> str:
        return str(UUID(bytes=held.last_backup))


class FolderSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    kind = serializers.CharField()
    under = serializers.CharField()
    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()


class GrowthSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    kind = serializers.CharField()
    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    grown_bytes = serializers.IntegerField(allow_null=True, help_text="Null while its backups do not reach back far enough.")
    since = serializers.DateTimeField(allow_null=True)


class TalkSerializer(serializers.Serializer):
    """A part of `TalksSerializer`."""

    id = serializers.CharField(allow_blank=True, help_text="Of the conversation; empty: named by none.")
    name = serializers.CharField(allow_blank=True)
    attachments = serializers.IntegerField()
    size_bytes = serializers.IntegerField()


class TalksSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    count = serializers.SerializerMethodField()
    lines = serializers.SerializerMethodField(help_text="The largest.")
    unread = serializers.IntegerField(help_text="Conversations that could not be read.")

    def get_count(self, talks: Talks) -> int:
        return len(talks.lines)

    @extend_schema_field(TalkSerializer(many=True))
    def get_lines(self, talks: Talks) -> Any:
        return TalkSerializer(talks.lines[:MOST_TALKS], many=True).data


class FillingPlanSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    id = serializers.UUIDField()
    name = serializers.CharField()


class FillingStoreSerializer(serializers.Serializer):
    """A part of `FillingSerializer`."""

    id = serializers.UUIDField()
    name = serializers.CharField()


class FillingSerializer(serializers.Serializer):
    """What `filling` answers."""

    store = FillingStoreSerializer()
    stores = FillingStoreSerializer(many=True)
    newest = serializers.UUIDField()
    newest_at = serializers.DateTimeField()
    backups = serializers.IntegerField(help_text="That stay; what leaves already is left out of everything here.")
    plan = FillingPlanSerializer(allow_null=True)
    unread = serializers.IntegerField(help_text="Parts of its lists that could not be read.")
    largest = FillingItemSerializer(many=True)
    folders = FolderSerializer(many=True)
    growth = GrowthSerializer(many=True)
    only_old = FillingItemSerializer(many=True)
    only_old_items = serializers.IntegerField()
    only_old_bytes = serializers.IntegerField(help_text="All that neither its newest backup nor another device needs.")
    only_old_apart_bytes = serializers.IntegerField(help_text="Of it what stands with single items.")
    talks = TalksSerializer()


class FillingQuery(serializers.Serializer):
    """What `filling` can be asked for."""

    store = serializers.UUIDField(required=False, default=None, allow_null=True)


class LeaveOutQuery(FillingQuery):
    """What `leave_out` can be asked for."""

    kind = serializers.ChoiceField(choices=list(KINDS))
    under = serializers.CharField(max_length=MAX_UNDER_CHARACTERS)


class EffectSerializer(serializers.Serializer):
    """What `leave_out` answers."""

    items = serializers.IntegerField(source="effect.items", help_text="Of the newest backup: the next ones do not take them.")
    size_bytes = serializers.IntegerField(source="effect.size_bytes")
    backups = serializers.IntegerField(source="effect.backups", help_text="That hold any of it until they leave.")
    last_at = serializers.DateTimeField(source="effect.last_at", allow_null=True, help_text="The newest of them.")
    freed_bytes = serializers.IntegerField(source="effect.freed_bytes", help_text="In this store, once all of them have left.")
    plan = FillingPlanSerializer(allow_null=True)
    others = serializers.IntegerField(help_text="Other devices that follow the plan.")
    already = serializers.BooleanField(help_text="Whether the plan leaves it out as it is.")


class FillingView(APIView):
    """What fills a device where it occupies most, or in the store that is named."""

    reads = May.LOOK_INSIDE

    @extend_schema(operation_id="filling", parameters=[FillingQuery], responses=FillingSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        query = FillingQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        device = device_by_id(id)
        note_weighed(device, by=signed_in(request))
        return Response(FillingSerializer(filled(device, query.validated_data["store"])).data)


class LeaveOutView(APIView):
    """What it would mean if a folder, an album, an app or a single item were left out from now on. Changes nothing."""

    reads = May.LOOK_INSIDE

    @extend_schema(operation_id="leave_out", parameters=[LeaveOutQuery], responses=EffectSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        query = LeaveOutQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        asked = query.validated_data
        loses = left_out(device_by_id(id), asked["store"], Exclusion(kind=asked["kind"], under=asked["under"]))
        return Response(EffectSerializer(loses).data)
