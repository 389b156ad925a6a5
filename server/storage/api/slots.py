"""Who can open a store."""

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.vault.key_slots import PERSONAL
from core.vault.slots import SlotKind
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.storage.actions.slots import add_slot, change_slot, drop_slot, slots_of
from server.storage.queries import store as store_by_id

SLOT_KINDS = [(kind.value, kind.value) for kind in SlotKind]
PERSONAL_KINDS = [(kind.value, kind.value) for kind in PERSONAL]


class SlotSerializer(serializers.Serializer):
    """What `slots` answers."""

    slot = serializers.CharField()
    kind = serializers.ChoiceField(choices=SLOT_KINDS)
    label = serializers.CharField()  # type: ignore[assignment]
    device = serializers.CharField(help_text="The sealed device whose key it opens; empty for the store's.")
    made_at = serializers.DateTimeField()
    by_a_person = serializers.BooleanField(help_text="Whether somebody can type what opens it.")
    proven_at = serializers.DateTimeField(allow_null=True, help_text="When it was last typed and found right.")


class AddSlotSerializer(serializers.Serializer):
    """What `add_slot` is sent."""

    kind = serializers.ChoiceField(choices=PERSONAL_KINDS)
    label = serializers.CharField(max_length=80, allow_blank=True)  # type: ignore[assignment]
    passphrase = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True, default="")
    passphrase_again = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True, default="")


class ChangeSlotSerializer(serializers.Serializer):
    """What `change_slot` is sent."""

    old = serializers.CharField(max_length=500, trim_whitespace=False)
    passphrase = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True)
    passphrase_again = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True)


class AddedSlotSerializer(serializers.Serializer):
    """What `add_slot` answers."""

    slots = SlotSerializer(many=True)
    recovery_code = serializers.CharField(allow_blank=True, help_text="Told this once.")


class SlotsView(APIView):
    """Answers `slots`, `add_slot`."""

    own_transactions = True
    reads = May.SET_UP
    writes = May.SET_UP

    @extend_schema(operation_id="slots", responses=SlotSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        return Response(SlotSerializer(slots_of(store_by_id(id)), many=True).data)

    @extend_schema(operation_id="add_slot", request=AddSlotSerializer, responses={201: AddedSlotSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        body = AddSlotSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        added = add_slot(store_by_id(id), **body.validated_data, by=signed_in(request))
        answer = Response(AddedSlotSerializer(added).data, status=201)
        answer["Cache-Control"] = "no-store"
        return answer


class SlotView(APIView):
    """Answers `change_slot`, `drop_slot`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="change_slot", request=ChangeSlotSerializer, responses=SlotSerializer(many=True))
    def put(self, request: Request, id: UUID, slot: str) -> Response:
        body = ChangeSlotSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(SlotSerializer(change_slot(store_by_id(id), slot, **body.validated_data, by=signed_in(request)), many=True).data)

    @extend_schema(operation_id="drop_slot", responses={204: None})
    def delete(self, request: Request, id: UUID, slot: str) -> Response:
        drop_slot(store_by_id(id), slot, by=signed_in(request))
        return Response(status=204)
