"""Draining a store into another, and giving it up."""

from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.permissions import May
from server.api.problems import Conflict
from server.people.signed_in import signed_in
from server.retention.actions.drain_store import drain_store, retire_store, stop_draining
from server.retention.draining import outlook
from server.storage.models import Store
from server.storage.queries import retired_stores
from server.storage.queries import store as store_by_id


class LostBackupSerializer(serializers.Serializer):
    """A part of `OutlookSerializer`."""

    backup_id = serializers.UUIDField()
    device_name = serializers.CharField()
    holder = serializers.CharField()
    finished_at = serializers.DateTimeField()
    damaged = serializers.BooleanField(help_text="Damaged here and whole nowhere; else it is whole here and was not copied yet.")


class OutlookSerializer(serializers.Serializer):
    """What `drain_outlook` answers."""

    into_id = serializers.UUIDField(source="into.id")
    into_name = serializers.CharField(source="into.name")
    here = serializers.IntegerField()
    there = serializers.IntegerField(help_text="Of what lies here: what the other store holds whole already.")
    moving = serializers.SerializerMethodField(help_text="Copies that are to be made still.")
    moving_bytes = serializers.IntegerField()
    under_way = serializers.IntegerField()
    failed = serializers.IntegerField()
    elsewhere = serializers.IntegerField(help_text="Not copied: the rule there would not keep it, and a third store holds it.")
    lost_count = serializers.IntegerField(help_text="Backups that would lie whole in no store if this one were given up now.")
    lost = LostBackupSerializer(many=True, help_text="The first of them.")
    plans = serializers.SerializerMethodField(help_text="That name this store, and go to the other one then.")
    done = serializers.BooleanField(help_text="Whether nothing is to be copied any more.")
    digest = serializers.CharField()

    def get_moving(self, store: object) -> int:
        return len(store.moving)  # type: ignore[attr-defined]

    def get_plans(self, store: object) -> list[str]:
        return [plan.name for plan in store.plans]  # type: ignore[attr-defined]


class DrainSerializer(serializers.Serializer):
    """What `drain_store` is sent."""

    into = serializers.UUIDField()


class DrainQuery(serializers.Serializer):
    """What `drain_outlook` can be asked for."""

    into = serializers.UUIDField(required=False, allow_null=True, default=None, help_text="Empty: the store that it is drained into.")


class RetireSerializer(serializers.Serializer):
    """What `retire_store` is sent."""

    seen = serializers.CharField(max_length=64, allow_blank=True)
    word = serializers.CharField(max_length=40, allow_blank=True, default="")


class RetiredStoreSerializer(serializers.ModelSerializer):
    """What `retired_stores` answers."""

    class Meta:
        model = Store
        fields = ("id", "name", "medium", "where", "retired_at")
        read_only_fields = fields


class DrainView(APIView):
    """Answers `drain_outlook`, `drain_store`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="drain_outlook", parameters=[DrainQuery], responses=OutlookSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        asked = DrainQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        store = store_by_id(id)
        into = asked.validated_data["into"] or store.draining_into_id
        if into is None:
            raise Conflict(f"{store.name} is not being drained.", remedy="Say into which store it would be.")
        return Response(OutlookSerializer(outlook(store, store_by_id(into), now=ports.clock().now())).data)

    @extend_schema(operation_id="drain_store", request=DrainSerializer, responses=OutlookSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = DrainSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        into = store_by_id(body.validated_data["into"])
        drain_store(store_by_id(id), into, by=signed_in(request))
        return Response(OutlookSerializer(outlook(store_by_id(id), store_by_id(into.id), now=ports.clock().now())).data)


class StopDrainingView(APIView):
    """Answers `stop_draining`."""

    writes = May.SET_UP

    @extend_schema(operation_id="stop_draining", request=None, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        stop_draining(store_by_id(id), by=signed_in(request))
        return Response(status=204)


class RetireView(APIView):
    """Answers `retire_store`."""

    writes = May.SET_UP

    @extend_schema(operation_id="retire_store", request=RetireSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = RetireSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        retire_store(store_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)


class RetiredStoresView(APIView):
    """Answers `retired_stores`."""

    @extend_schema(operation_id="retired_stores", responses=RetiredStoreSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(RetiredStoreSerializer(retired_stores()[:200], many=True).data)
