"""Over the network: the bench on which room is made."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.quota.ladder import Rung
from server import ports
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.retention.actions.leave_sooner import leave_sooner
from server.retention.actions.make_room import look_once_more, make_room
from server.retention.actions.sweep_now import sweep_now
from server.retention.api.leaving import RemovalSerializer
from server.retention.room.bench import RUNGS, Bench, bench, chosen, proposal, space, summed, wanted_until
from server.retention.room.tonight import Help, tonight
from server.storage.api.quotas import RunwaySerializer
from server.storage.queries import store as store_by_id

USUAL_BYTES = 1 << 30


class RoomOfferSerializer(serializers.Serializer):
    """A part of `BenchSerializer`."""

    key = serializers.CharField(source="move.key")
    rung = serializers.IntegerField(source="move.rung")
    title = serializers.CharField()
    loses = serializers.CharField(help_text="What is lost, in words.")
    bytes = serializers.IntegerField(help_text="What it frees by itself; with others it is never less.")
    free_on = serializers.DateField(help_text="The day on which its bytes are free at the latest.")
    device_id = serializers.UUIDField(source="device.id", allow_null=True, default=None)
    in_time = serializers.SerializerMethodField(help_text="A plan leaves kinds out: free as old backups go, if its runs go on.")
    backups = serializers.SerializerMethodField()

    def get_backups(self, offer: Any) -> int:
        return len(offer.backups)

    def get_in_time(self, offer: Any) -> bool:
        return offer.leaves_out is not None


class ElsewhereSerializer(serializers.Serializer):
    """A part of `ProposalSerializer`."""

    rung = serializers.IntegerField()
    title = serializers.CharField()
    loses = serializers.CharField()
    bytes = serializers.IntegerField()


class RungSerializer(serializers.Serializer):
    """A part of `BenchSerializer`."""

    rung = serializers.IntegerField()
    title = serializers.CharField()


class BenchSerializer(serializers.Serializer):
    """What `room` answers."""

    store_name = serializers.CharField(source="store.name")
    stored_bytes = serializers.IntegerField(source="store.stored_bytes")
    limit_bytes = serializers.IntegerField(allow_null=True)
    runway = RunwaySerializer()
    rungs = RungSerializer(many=True)
    offers = RoomOfferSerializer(many=True)
    waits_for = serializers.ListField(
        child=serializers.CharField(),
        help_text="What keeps the store from giving anything back: days count from its end, as if that were today.",
    )


class PickedSerializer(serializers.Serializer):
    """What `sum_of_room` is sent."""

    moves = serializers.ListField(child=serializers.CharField(max_length=60), max_length=2000)


class WantedSerializer(serializers.Serializer):
    """What `propose_room` is sent."""

    bytes = serializers.IntegerField(allow_null=True, default=None)
    until = serializers.DateField(allow_null=True, default=None, help_text="Instead of bytes: so that it lasts until this day.")


class SumSerializer(serializers.Serializer):
    """What `sum_of_room` answers."""

    bytes = serializers.IntegerField(help_text="That nothing needs any more, and waste.")
    given_back_bytes = serializers.IntegerField(help_text="By how much the store is smaller in the end, to the byte.")
    free_on = serializers.DateField(allow_null=True)
    later_bytes = serializers.IntegerField(help_text="Needed by nothing besides, once the backups of now have left by their rules.")
    later_on = serializers.DateField(allow_null=True)
    backups = serializers.IntegerField()
    devices = serializers.IntegerField()
    lasts_until = serializers.DateField(allow_null=True)


class ProposalSerializer(serializers.Serializer):
    """What `propose_room` answers."""

    wanted_bytes = serializers.IntegerField()
    moves = serializers.ListField(child=serializers.CharField())
    suffices = serializers.BooleanField()
    sum = SumSerializer()
    space = ElsewhereSerializer(allow_null=True)


class LookedSerializer(serializers.Serializer):
    """What `look_at_room` answers."""

    sum = SumSerializer()
    removal = RemovalSerializer(allow_null=True)
    leaves_out = serializers.ListField(child=serializers.CharField(), help_text="What plans take no more from their next runs on.")
    digest = serializers.CharField()


class MakeRoomSerializer(PickedSerializer):
    """What `make_room` is sent."""

    why = serializers.CharField(max_length=200, trim_whitespace=True)
    seen = serializers.CharField(max_length=64, help_text="The digest of the list that was shown.")
    word = serializers.CharField(max_length=40, allow_blank=True, default="")


class BenchView(APIView):
    """Answers `room`."""

    @extend_schema(operation_id="room", responses=BenchSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        offered = bench(store_by_id(id), now=ports.clock().now())
        names = ("store", "limit_bytes", "runway", "offers", "waits_for")
        rungs = [{"rung": int(rung), "title": title} for rung, title in RUNGS.items() if rung is not Rung.MORE_SPACE]
        return Response(BenchSerializer({name: getattr(offered, name) for name in names} | {"rungs": rungs}).data)


class ShortRunSerializer(serializers.Serializer):
    """A part of `TonightSerializer`."""

    device_id = serializers.UUIDField(source="row.device_id")
    device = serializers.SerializerMethodField()
    expected_bytes = serializers.IntegerField(source="row.expected_bytes")
    starts_at = serializers.DateTimeField(source="row.starts_at")
    says = serializers.CharField(source="row.no_room")
    room = serializers.CharField(help_text="Key of the room that is too small.")

    def get_device(self, short: Any) -> str:
        return f"{short.row.device.name}, {short.row.device.holder.name}"


class LackingSerializer(serializers.Serializer):
    """A part of `TonightSerializer`."""

    key = serializers.CharField()
    name = serializers.CharField()
    left_bytes = serializers.IntegerField()
    wanted_bytes = serializers.IntegerField(help_text="What all its runs of tonight are expected to store, beyond what it has left.")


class WaySerializer(serializers.Serializer):
    """A part of `TonightSerializer`."""

    help = serializers.ChoiceField(choices=[(one.value, one.value) for one in Help])
    room = serializers.CharField()
    title = serializers.CharField()
    says = serializers.CharField()
    bytes = serializers.IntegerField()
    free_on = serializers.DateField()
    suffices = serializers.BooleanField(help_text="Whether it gives that room all that it lacks by tonight.")
    plan = serializers.UUIDField(allow_null=True)
    device = serializers.UUIDField(allow_null=True)
    limit_bytes = serializers.IntegerField(allow_null=True, help_text="Of a larger allowance: what it would be.")


class TonightSerializer(serializers.Serializer):
    """What `room_tonight` answers."""

    night = serializers.DateField()
    short = ShortRunSerializer(many=True)
    lacking = LackingSerializer(many=True)
    ways = WaySerializer(many=True)


class SoonerSerializer(serializers.Serializer):
    """What `leave_sooner` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True)
    word = serializers.CharField(max_length=40, allow_blank=True)


class SoonerAnswerSerializer(serializers.Serializer):
    """What `leave_sooner` answers."""

    copies = serializers.IntegerField()


class TonightView(APIView):
    """Which runs of the coming night find no room here, and what can help by then."""

    @extend_schema(operation_id="room_tonight", responses=TonightSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(TonightSerializer(tonight(store_by_id(id), now=ports.clock().now())).data)


class LeaveSoonerView(APIView):
    """Answers `leave_sooner`."""

    writes = May.REMOVE

    @extend_schema(operation_id="leave_sooner", request=SoonerSerializer, responses=SoonerAnswerSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = SoonerSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response({"copies": leave_sooner(store_by_id(id), **body.validated_data, by=signed_in(request))})


class SweepNowView(APIView):
    """Answers `sweep_now`."""

    writes = May.REMOVE

    @extend_schema(operation_id="sweep_now", request=None, responses={202: None})
    def post(self, request: Request, id: UUID) -> Response:
        sweep_now(store_by_id(id), by=signed_in(request))
        return Response(status=202)


class SumView(APIView):
    """Answers `sum_of_room`."""

    writes = May.REMOVE

    @extend_schema(operation_id="sum_of_room", request=PickedSerializer, responses=SumSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = PickedSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        offered = bench(store_by_id(id), now=ports.clock().now())
        return Response(SumSerializer(summed(offered, chosen(offered, body.validated_data["moves"]), now=ports.clock().now())).data)


class ProposalView(APIView):
    """Answers `propose_room`."""

    writes = May.REMOVE

    @extend_schema(operation_id="propose_room", request=WantedSerializer, responses=ProposalSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = WantedSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(ProposalSerializer(_proposed(bench(store_by_id(id), now=ports.clock().now()), **body.validated_data)).data)


def _proposed(offered: Bench, *, bytes: int | None, until: Any) -> dict[str, Any]:
    now = ports.clock().now()
    wanted = wanted_until(offered, until, now=now) if until is not None else USUAL_BYTES if bytes is None else bytes
    lasts = until is not None and wanted == 0  # it does so without anything being done
    ladder = None if lasts else proposal(offered, wanted, by=until)
    keys = [move.key for move in ladder.moves] if ladder is not None else []
    return {
        "wanted_bytes": wanted,
        "moves": keys,
        "suffices": ladder.suffices if ladder is not None else True,
        "sum": summed(offered, chosen(offered, keys), now=now),
        "space": space(offered, wanted) if wanted else None,
    }


class LookOnceMoreView(APIView):
    """Answers `look_at_room`."""

    writes = May.REMOVE

    @extend_schema(operation_id="look_at_room", request=PickedSerializer, responses=LookedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = PickedSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(LookedSerializer(look_once_more(store_by_id(id), body.validated_data["moves"])).data)


class MakeRoomView(APIView):
    """Answers `make_room`."""

    writes = May.REMOVE

    @extend_schema(operation_id="make_room", request=MakeRoomSerializer, responses=LookedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = MakeRoomSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = dict(body.validated_data)
        looked = make_room(store_by_id(id), fields.pop("moves"), by=signed_in(request), **fields)
        return Response(LookedSerializer(looked).data)
