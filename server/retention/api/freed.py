"""How many bytes a removal, or a change of a plan, would leave to nobody. Slower than the preview: stores are opened."""

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.permissions import May
from server.retention.api.consequences import PlannedSerializer
from server.retention.api.leaving import ChosenSerializer
from server.retention.consequences import consequences
from server.retention.freed import no_longer_needed
from server.retention.removal import removal_of


class FreedSerializer(serializers.Serializer):
    """What `freed_by_removal` answers."""

    store_name = serializers.CharField()
    bytes = serializers.IntegerField(allow_null=True, help_text="Sealed, needed by nothing else there; null where that cannot be told now.")
    given_back_bytes = serializers.IntegerField(allow_null=True, help_text="By how much the store is smaller for it in the end.")
    why_not = serializers.CharField()


class FreedByRemovalView(APIView):
    """Answers `freed_by_removal`."""

    writes = May.REMOVE

    @extend_schema(operation_id="freed_by_removal", request=ChosenSerializer, responses=FreedSerializer(many=True))
    def post(self, request: Request) -> Response:
        body = ChosenSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        going: dict[UUID, list[UUID]] = {}
        for copy in removal_of(**body.validated_data).copies:
            going.setdefault(copy.store_id, []).append(copy.backup_id)
        return Response(FreedSerializer(no_longer_needed(going), many=True).data)


class FreedByPlanView(APIView):
    """Answers `freed_by_plan`."""

    @extend_schema(operation_id="freed_by_plan", request=PlannedSerializer, responses=FreedSerializer(many=True))
    def post(self, request: Request) -> Response:
        body = PlannedSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        foreseen = consequences(body.change(), now=ports.clock().now())
        going = {id: store.backups for id, store in foreseen.stores.items() if store.backups}
        return Response(FreedSerializer(no_longer_needed(going), many=True).data)
