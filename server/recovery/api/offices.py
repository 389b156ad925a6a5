"""What a store holds of a server that wrote into it: what of it is new here, and taking it over."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.vault.offices import read_offices
from server.api.permissions import May
from server.people.signed_in import signed_in
from server.recovery.actions.take_office import take_office
from server.recovery.offices import Offered, offered
from server.storage.queries import opened
from server.storage.queries import store as store_by_id


class OfferedOfficeSerializer(serializers.Serializer):
    """What `offices_of_store` answers."""

    server = serializers.SerializerMethodField()
    office = serializers.CharField(source="record.office")
    at = serializers.DateTimeField(source="record.at")
    own = serializers.BooleanField(help_text="Whether this server wrote it.")
    holders = serializers.ListField(child=serializers.CharField(), help_text="New here; so in all of these.")
    devices = serializers.ListField(child=serializers.CharField())
    plans = serializers.ListField(child=serializers.CharField())
    closed_days = serializers.IntegerField()
    holds = serializers.IntegerField(help_text="They come with the backups.")
    there = serializers.IntegerField(help_text="Devices and plans that are in the list already, and stay as they are.")

    def get_server(self, one: Offered) -> str:
        return one.record.server.hex()


class TakeOfficeSerializer(serializers.Serializer):
    """What `take_office` is sent."""

    server = serializers.CharField(max_length=32)


class LeftOutOfOfficeSerializer(serializers.Serializer):
    """A part of `TakenOverSerializer`."""

    name = serializers.CharField()
    why = serializers.CharField()


class TakenOverSerializer(serializers.Serializer):
    """What `take_office` answers."""

    holders = serializers.IntegerField()
    closed_days = serializers.IntegerField()
    devices = serializers.IntegerField()
    plans = serializers.IntegerField()
    exceptions = serializers.IntegerField()
    freezes = serializers.IntegerField()
    erasures = serializers.IntegerField()
    rotations = serializers.IntegerField()
    drill_rules = serializers.IntegerField(help_text="1 where it is now said how drills are done.")
    left_out = serializers.SerializerMethodField()

    @extend_schema_field(LeftOutOfOfficeSerializer(many=True))
    def get_left_out(self, taken: Any) -> list[dict[str, str]]:
        return [{"name": name, "why": why} for name, why in taken.left_out]


class OfficesView(APIView):
    """Answers `offices_of_store`, `take_office`."""

    own_transactions = True
    reads = May.SET_UP
    writes = May.SET_UP

    @extend_schema(operation_id="offices_of_store", responses=OfferedOfficeSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        return Response(OfferedOfficeSerializer(map(offered, read_offices(opened(store_by_id(id)))), many=True).data)

    @extend_schema(operation_id="take_office", request=TakeOfficeSerializer, responses=TakenOverSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = TakeOfficeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(TakenOverSerializer(take_office(store_by_id(id), body.validated_data["server"], by=signed_in(request))).data)
