"""Devices: offers on the network, pairing, folders, changes. The list itself belongs to oversight."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.errors import LinkError
from core.content.families import FAMILIES
from server.api.permissions import OPERATOR
from server.fleet.actions.add_device import add_folder, pair_again, pair_device
from server.fleet.actions.change_device import change_device, note_told
from server.fleet.convert import link_to
from server.fleet.models import DeviceState
from server.fleet.queries import device as device_by_id
from server.fleet.queries import unpaired_offers
from server.outside import outside


class OfferSerializer(serializers.Serializer):
    device = serializers.CharField()
    name = serializers.CharField()
    family = serializers.CharField()
    make = serializers.CharField()
    model = serializers.CharField()
    os_version = serializers.CharField()
    first_time = serializers.SerializerMethodField()

    def get_first_time(self, offer: Any) -> list[str]:
        return list(FAMILIES[offer.family].first_time)


class AddedSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    name = serializers.CharField()


class PairSerializer(serializers.Serializer):
    agent_id = serializers.CharField(max_length=200)
    code = serializers.CharField(max_length=20)
    name = serializers.CharField(max_length=120, allow_blank=True)
    holder = serializers.CharField(max_length=120, allow_blank=True)
    team = serializers.CharField(max_length=80, allow_blank=True)


class FolderSerializer(serializers.Serializer):
    path = serializers.CharField(max_length=1000)
    name = serializers.CharField(max_length=120, allow_blank=True)
    holder = serializers.CharField(max_length=120, allow_blank=True)
    team = serializers.CharField(max_length=80, allow_blank=True)


class ChangeDeviceSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=120, allow_blank=True)
    holder = serializers.CharField(max_length=120, allow_blank=True)
    team = serializers.CharField(max_length=80, allow_blank=True)
    state = serializers.ChoiceField(choices=DeviceState.choices)
    away_until = serializers.DateField(allow_null=True)


class CodeSerializer(serializers.Serializer):
    code = serializers.CharField(max_length=20)


class ReadinessSerializer(serializers.Serializer):
    """What the device says now; empty where its link cannot tell."""

    reachable = serializers.BooleanField()
    says = serializers.CharField(allow_blank=True)
    remedy = serializers.CharField(allow_blank=True)
    locked = serializers.BooleanField(allow_null=True)
    data_access = serializers.BooleanField(allow_null=True)
    finder_lock = serializers.BooleanField(allow_null=True)
    on_power = serializers.BooleanField(allow_null=True)
    battery_percent = serializers.IntegerField(allow_null=True)
    storage_total_bytes = serializers.IntegerField(allow_null=True)
    storage_used_bytes = serializers.IntegerField(allow_null=True)


class OffersView(APIView):
    @extend_schema(operation_id="offers", responses=OfferSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(OfferSerializer(unpaired_offers()[:200], many=True).data)


class PairView(APIView):
    @extend_schema(operation_id="pair_device", request=PairSerializer, responses={201: AddedSerializer})
    def post(self, request: Request) -> Response:
        given = PairSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(AddedSerializer(pair_device(**given.validated_data, by=request.user)).data, status=201)


class FolderView(APIView):
    @extend_schema(operation_id="add_folder", request=FolderSerializer, responses={201: AddedSerializer})
    def post(self, request: Request) -> Response:
        given = FolderSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(AddedSerializer(add_folder(**given.validated_data, by=request.user)).data, status=201)


class ChangeDeviceView(APIView):
    @extend_schema(operation_id="change_device", request=ChangeDeviceSerializer, responses=AddedSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        given = ChangeDeviceSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(AddedSerializer(change_device(device_by_id(id), **given.validated_data, by=request.user)).data)


class PairAgainView(APIView):
    @extend_schema(operation_id="pair_again", request=CodeSerializer, responses=AddedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        given = CodeSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(AddedSerializer(pair_again(device_by_id(id), code=given.validated_data["code"], by=request.user)).data)


class ReadinessView(APIView):
    """Reaches for the device; takes as long as that takes."""

    read_roles = OPERATOR

    @extend_schema(operation_id="readiness", responses=ReadinessSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        names = set(ReadinessSerializer().fields) - {"reachable", "says", "remedy"}
        try:
            link = link_to(device)
            try:
                state = link.state()
            finally:
                link.close()
        except LinkError as error:
            told = {"reachable": False, "says": error.message, "remedy": error.remedy} | dict.fromkeys(names)
            return Response(ReadinessSerializer(told).data)
        note_told(device, state, now=outside().now())
        told = {"reachable": True, "says": "", "remedy": ""} | {name: getattr(state, name) for name in names}
        return Response(ReadinessSerializer(told).data)
