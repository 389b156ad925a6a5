"""What the list and a store tell differently, each with the step that mends it."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.recovery.matching import Ground
from server.api.permissions import May
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.runs.actions.compare_store import adopt, ask_compare, give_up_missing
from server.runs.actions.take_found import give_back, take_found
from server.runs.found import FoundDevice, found_devices, taken_in
from server.runs.models import Copy, Stray
from server.runs.queries import copies_in_question, copy_by_id, stray, strays
from server.storage.actions.accept_store import accept_store
from server.storage.api.views import StoreSerializer
from server.storage.queries import store as store_by_id

SHOWN = 200


class StraySerializer(serializers.ModelSerializer):
    """A backup that the store holds and the list does not know."""

    device_id = serializers.UUIDField(allow_null=True)

    class Meta:
        model = Stray
        fields = ("id", "backup_id", "device_id", "device_words", "finished_at", "items", "size_bytes", "found_at")
        read_only_fields = fields


class CopyInQuestionSerializer(serializers.ModelSerializer):
    """A copy that is missing, failed, on its way, or about to leave."""

    backup_id = serializers.UUIDField()
    backup_at = serializers.DateTimeField(source="backup.finished_at")
    device_id = serializers.UUIDField(source="backup.device_id")
    device_name = serializers.CharField(source="backup.device.name")
    holder = serializers.CharField(source="backup.device.holder.name")

    class Meta:
        model = Copy
        fields = ("id", "state", "cause", "remedy", "removed_why", "backup_id", "backup_at", "device_id", "device_name", "holder")
        read_only_fields = fields


class DifferencesSerializer(serializers.Serializer):
    """What `differences` answers."""

    compared_at = serializers.DateTimeField(allow_null=True)
    strays = StraySerializer(many=True)
    copies = CopyInQuestionSerializer(many=True)


class DeviceChoiceSerializer(serializers.Serializer):
    """What `adopt_stray` is sent."""

    device = serializers.UUIDField()


class DifferencesView(APIView):
    """Answers `differences`, `compare_store`."""

    writes = May.KEEP

    @extend_schema(operation_id="differences", responses=DifferencesSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        store = store_by_id(id)
        fields: dict[str, Any] = {
            "compared_at": store.compared_at,
            "strays": strays(store)[:SHOWN],
            "copies": copies_in_question(store)[:SHOWN],
        }
        return Response(DifferencesSerializer(fields).data)

    @extend_schema(operation_id="compare_store", request=None, responses={202: None})
    def post(self, request: Request, id: UUID) -> Response:
        ask_compare(store_by_id(id))
        return Response(status=202)


class AcceptStoreView(APIView):
    """Answers `accept_store`."""

    own_transactions = True

    @extend_schema(operation_id="accept_store", request=None, responses=StoreSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        return Response(StoreSerializer(accept_store(store_by_id(id), by=signed_in(request))).data)


class AdoptView(APIView):
    """Answers `adopt_stray`."""

    own_transactions = True
    writes = May.KEEP

    @extend_schema(operation_id="adopt_stray", request=DeviceChoiceSerializer, responses={204: None})
    def post(self, request: Request, id: int) -> Response:
        body = DeviceChoiceSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        adopt(stray(id), device=device_by_id(body.validated_data["device"]), by=signed_in(request))
        return Response(status=204)


class GiveUpView(APIView):
    """Answers `give_up_missing`."""

    @extend_schema(operation_id="give_up_missing", request=None, responses={204: None})
    def post(self, request: Request, id: int) -> Response:
        give_up_missing(copy_by_id(id), by=signed_in(request))
        return Response(status=204)


class EvidenceSerializer(serializers.Serializer):
    """A known device that a found one may be, and what speaks for it and against it."""

    device_id = serializers.UUIDField()
    device_name = serializers.CharField()
    holder = serializers.CharField()
    grounds = serializers.ListField(child=serializers.ChoiceField(choices=[(ground.value, ground.value) for ground in Ground]))
    other_serial = serializers.BooleanField()
    overlaps = serializers.BooleanField()


class FoundDeviceSerializer(serializers.Serializer):
    """A device that the store holds backups of and the list does not know."""

    key = serializers.CharField()
    name = serializers.SerializerMethodField()
    holder = serializers.SerializerMethodField()
    serial = serializers.SerializerMethodField()
    backups = serializers.IntegerField()
    first = serializers.DateTimeField()
    last = serializers.DateTimeField()
    size_bytes = serializers.IntegerField(help_text="Of its newest backup.")
    proposed = serializers.SerializerMethodField()

    def get_name(self, device: FoundDevice) -> str:
        return str(device.told.get("name", ""))

    def get_holder(self, device: FoundDevice) -> str:
        return str(device.told.get("holder", ""))

    def get_serial(self, device: FoundDevice) -> str:
        return str(device.told.get("serial", ""))

    @extend_schema_field(EvidenceSerializer(many=True))
    def get_proposed(self, group: FoundDevice) -> Any:
        rows = [
            {
                "device_id": device.id, "device_name": device.name, "holder": device.holder.name, "grounds": list(one.grounds),
                "other_serial": one.other_serial, "overlaps": one.overlaps,
            }
            for device, one in group.proposed
        ]  # fmt: skip
        return EvidenceSerializer(rows, many=True).data


class TakenInSerializer(serializers.Serializer):
    """What was found there and taken in, and may be given back."""

    device_id = serializers.UUIDField(source="device.id")
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    backups = serializers.IntegerField()


class FoundThereSerializer(serializers.Serializer):
    """What `found_in_store` answers."""

    found = FoundDeviceSerializer(many=True)
    taken_in = TakenInSerializer(many=True)


class TakeFoundSerializer(serializers.Serializer):
    """What `take_found` is sent."""

    key = serializers.CharField(max_length=200)
    device = serializers.UUIDField(allow_null=True, help_text="Of the list; empty puts it into the register anew.")


class FoundView(APIView):
    """Answers `found_in_store`, `take_found`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="found_in_store", responses=FoundThereSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        store = store_by_id(id)
        return Response(FoundThereSerializer({"found": found_devices(store), "taken_in": taken_in(store)}).data)

    @extend_schema(operation_id="take_found", request=TakeFoundSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = TakeFoundSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        device = body.validated_data["device"]
        known = device_by_id(device) if device else None
        take_found(store_by_id(id), body.validated_data["key"], device=known, by=signed_in(request))
        return Response(status=204)


class GiveBackView(APIView):
    """Answers `give_back_found`."""

    writes = May.SET_UP

    @extend_schema(operation_id="give_back_found", request=DeviceChoiceSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = DeviceChoiceSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        give_back(store_by_id(id), device_by_id(body.validated_data["device"]), by=signed_in(request))
        return Response(status=204)
