"""Teams and holders with what is in their hands."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.fleet.queries import device_ids_of
from server.oversight.api.devices import DeviceRowSerializer
from server.oversight.standing import standings
from server.people.models import Holder
from server.people.queries import holder as holder_by_id
from server.people.queries import holders, teams

OWED = ("on_time", "due_soon", "late", "never")
INSIDE = ("on_time", "due_soon")


class TeamSerializer(serializers.Serializer):
    """What `teams` answers."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    devices = serializers.IntegerField()
    holders = serializers.IntegerField()
    promised = serializers.IntegerField()
    inside = serializers.IntegerField()
    held_bytes = serializers.IntegerField()


class HolderSerializer(serializers.ModelSerializer):
    """A holder, as the API tells it."""

    team = serializers.SerializerMethodField()
    devices = serializers.IntegerField(source="device_count")

    class Meta:
        model = Holder
        fields: tuple[str, ...] = ("id", "name", "team", "email", "devices")
        read_only_fields: tuple[str, ...] = fields

    def get_team(self, holder: Holder) -> str:
        return holder.team.name if holder.team else ""


class HolderDetailSerializer(HolderSerializer):
    """What `holder` answers."""

    rows = DeviceRowSerializer(many=True)

    class Meta(HolderSerializer.Meta):
        fields: tuple[str, ...] = (*HolderSerializer.Meta.fields, "rows")
        read_only_fields: tuple[str, ...] = fields


class HoldersFilter(serializers.Serializer):
    """What `holders` can be asked for."""

    words = serializers.CharField(required=False, max_length=200, default="", allow_blank=True)
    team = serializers.IntegerField(required=False)


class TeamsView(APIView):
    """Answers `teams`."""

    @extend_schema(operation_id="teams", responses=TeamSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(TeamSerializer(_teams(), many=True).data)


class HoldersView(generics.ListAPIView):
    """Answers `holders`."""

    serializer_class = HolderSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        query = HoldersFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return holders(**query.validated_data)

    @extend_schema(operation_id="holders", parameters=[HoldersFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class HolderView(APIView):
    """Answers `holder`."""

    @extend_schema(operation_id="holder", responses=HolderDetailSerializer)
    def get(self, request: Request, id: int) -> Response:
        holder: Any = holder_by_id(id)
        ids = device_ids_of(holder)
        holder.rows = standings(now=ports.clock().now(), only=ids) if ids else []
        return Response(HolderDetailSerializer(holder).data)


def _teams() -> list[dict[str, Any]]:
    sums: dict[int | None, dict[str, int]] = {}
    for row in standings(now=ports.clock().now()):
        sums_of_team = sums.setdefault(row.device.team_id, {"devices": 0, "promised": 0, "inside": 0, "held_bytes": 0})
        sums_of_team["devices"] += 1
        sums_of_team["promised"] += row.state.standing in OWED
        sums_of_team["inside"] += row.state.standing in INSIDE
        sums_of_team["held_bytes"] += row.held_bytes
    nothing = {"devices": 0, "promised": 0, "inside": 0, "held_bytes": 0}
    rows: Any = teams()[:500]
    return [{"id": team.id, "name": team.name, "holders": team.holder_count} | sums.get(team.id, nothing) for team in rows]
