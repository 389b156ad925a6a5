"""Nothing leaves: saying so, and lifting it."""

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.api.permissions import May
from server.people.queries import team as team_by_id
from server.people.signed_in import signed_in
from server.retention.actions.freeze import freeze, lift, words_of
from server.retention.freezing import freeze_by_id, freezes
from server.retention.models import Freeze
from server.storage.queries import store_or_none


class FreezeSerializer(serializers.ModelSerializer):
    """What `freezes` answers."""

    of = serializers.SerializerMethodField(help_text="In words: the office, a store, a team’s devices.")
    by = serializers.CharField(source="by.shown_name", default="")

    def get_of(self, freeze: Freeze) -> str:
        return words_of(freeze)

    class Meta:
        model = Freeze
        fields = ("id", "of", "store_id", "team_id", "reason", "by", "at")
        read_only_fields = fields


class NewFreezeSerializer(serializers.Serializer):
    """What `freeze` is sent."""

    store = serializers.UUIDField(required=False, allow_null=True, default=None)
    team = serializers.IntegerField(required=False, allow_null=True, default=None)
    reason = serializers.CharField(max_length=200, allow_blank=True)


class LiftSerializer(serializers.Serializer):
    """What `lift_freeze` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True)


class FreezesView(APIView):
    """Answers `freezes`, `freeze`."""

    writes = May.KEEP

    @extend_schema(operation_id="freezes", responses=FreezeSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(FreezeSerializer(freezes(), many=True).data)

    @extend_schema(operation_id="freeze", request=NewFreezeSerializer, responses={201: FreezeSerializer})
    def post(self, request: Request) -> Response:
        body = NewFreezeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        store, team = store_or_none(body.validated_data["store"]), body.validated_data["team"]
        row = freeze(
            reason=body.validated_data["reason"], store=store, team=None if team is None else team_by_id(team), by=signed_in(request)
        )
        return Response(FreezeSerializer(row).data, status=201)


class LiftView(APIView):
    """Answers `lift_freeze`."""

    writes = May.REMOVE

    @extend_schema(operation_id="lift_freeze", request=LiftSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = LiftSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        lift(freeze_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)
