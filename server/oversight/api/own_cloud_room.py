"""Over the network: room in the account of a device's own cloud backup."""

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.oversight.own_cloud_room import AccountRoom, room_of
from server.storage.api.quotas import RunwaySerializer


class OwnStepSerializer(serializers.Serializer):
    """A part of `OwnCloudRoomSerializer`."""

    title = serializers.CharField()
    loses = serializers.CharField()
    bytes = serializers.IntegerField(help_text="At most, as the device says; steps may overlap.")


class OwnCloudRoomSerializer(serializers.Serializer):
    """A part of `OwnCloudRoomAnswerSerializer`."""

    lasts = RunwaySerializer(allow_null=True, help_text="Null where it tells no limit.")
    wanted_bytes = serializers.IntegerField(allow_null=True, help_text="Until a fifth of it is free again.")
    steps = OwnStepSerializer(many=True)
    proposed = serializers.SerializerMethodField(help_text="The first so many may suffice.")
    suffices = serializers.BooleanField()
    to = serializers.CharField(allow_blank=True, help_text="Where the holder gets mail.")
    subject = serializers.CharField()
    body = serializers.CharField()

    def get_proposed(self, room: AccountRoom) -> int:
        return len(room.proposed)


class OwnCloudRoomAnswerSerializer(serializers.Serializer):
    """What `own_cloud_room` answers."""

    room = OwnCloudRoomSerializer(allow_null=True, help_text="Null for a device that tells of no such backup.")


class OwnCloudRoomView(APIView):
    """Tells where its holder gets mail: for those who may read what is mailed."""

    reads = May.READ_MESSAGES

    @extend_schema(operation_id="own_cloud_room", responses=OwnCloudRoomAnswerSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        account_room = room_of(device_by_id(id), now=ports.clock().now())
        return Response(OwnCloudRoomAnswerSerializer({"room": account_room}).data)
