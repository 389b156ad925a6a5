"""Stores: what they hold, whose it is, how full they are."""

from functools import cached_property
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.vault.address import Medium, address_of
from server import ports
from server.api.fields import BytesField
from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.people.signed_in import signed_in
from server.storage.actions.add_store import attach_store, create_store
from server.storage.actions.change_store import Checks, Prices, change_store, prove_passphrase, set_mode
from server.storage.actions.take_sweeping import take_sweeping
from server.storage.api.quotas import RunwaySerializer
from server.storage.convert import changed_address
from server.storage.models import MEDIUM_CODES, DriveState, Mode, Store
from server.storage.queries import offices_key, reading_of, shares_by_team, stores
from server.storage.queries import store as store_by_id
from server.storage.runways import runways


class AddressField(serializers.DictField):
    """Fields of an address by name: {path}, or {bucket, prefix, endpoint, region, access_key, secret_key}.

    A secret that is null is forgotten; one that is empty stays as it was.
    """

    def __init__(self, **options: Any) -> None:
        super().__init__(child=serializers.CharField(max_length=1000, allow_blank=True, allow_null=True, trim_whitespace=False), **options)


class StoreSerializer(serializers.ModelSerializer):
    """What `attach_store` answers."""

    medium = serializers.ChoiceField(choices=MEDIUM_CODES)
    address = AddressField(help_text="Without its secrets.")
    drive_state = serializers.ChoiceField(
        source="drive.state",
        choices=[("", "no drive"), *DriveState.choices],
        default="",
        help_text="Of a removable drive; empty for others.",
    )
    rests_in = serializers.CharField(source="drive.rests_in", default="", help_text="Where a drive lies while it is not plugged in.")
    draining_into = serializers.UUIDField(source="draining_into_id", allow_null=True, help_text="The store that takes over what lies here.")
    shares_key = serializers.SerializerMethodField(help_text="Whether it is sealed with the office's key, so that copies move as they are.")

    def get_shares_key(self, store: Store) -> bool:
        return store.key_id == self._offices_key

    @cached_property
    def _offices_key(self) -> str:
        """Asked once for all rows."""
        return offices_key()

    class Meta:
        model = Store
        fields: tuple[str, ...] = (
            "id", "name", "medium", "mode", "off_site", "where", "address", "key_id", "max_writers",
            "allowance_bytes", "stored_bytes", "free_bytes", "waiting_bytes", "measured_at",
            "checked_at",
            "check_says", "trouble", "trouble_code", "trouble_remedy", "compared_at", "swept_by", "passphrase_proven_at", "added_at",
            "price_gib_month", "price_thousand_requests", "currency", "shares_key", "check_days", "check_limit_bytes_per_second",
            "drive_state", "rests_in", "draining_into", "drain_asked_at", "retired_at",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields


class TeamBytesSerializer(serializers.Serializer):
    """A part of `StoreRowSerializer`."""

    team = serializers.CharField(allow_blank=True, help_text="Empty for devices of none.")
    bytes = serializers.IntegerField()


class StoreRowSerializer(StoreSerializer):
    """`shares` and `runways` come with the context: {store: [{team, bytes}]}, {store: runway}."""

    teams = serializers.SerializerMethodField(help_text="What each needs there, the largest first.")
    runway = serializers.SerializerMethodField()

    class Meta(StoreSerializer.Meta):
        fields: tuple[str, ...] = (*StoreSerializer.Meta.fields, "teams", "runway")
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(TeamBytesSerializer(many=True))
    def get_teams(self, store: Store) -> Any:
        return self.context["shares"].get(store.id, [])

    @extend_schema_field(RunwaySerializer)
    def get_runway(self, store: Store) -> Any:
        return RunwaySerializer(self.context["runways"][store.id]).data


class PreparedStoreSerializer(StoreSerializer):
    """A new store; the recovery code is told this once."""

    recovery_code = serializers.CharField(read_only=True)

    class Meta(StoreSerializer.Meta):
        fields: tuple[str, ...] = (*StoreSerializer.Meta.fields, "recovery_code")
        read_only_fields: tuple[str, ...] = fields


class ReadingSerializer(serializers.Serializer):
    """How far the store was read through."""

    read_bytes = serializers.IntegerField(help_text="Of what lay there then: read at least once.")
    total_bytes = serializers.IntegerField()
    oldest_at = serializers.DateTimeField(allow_null=True, help_text="Since when all of it was read; null while some never was.")
    at = serializers.DateTimeField(allow_null=True)


class StoreDetailSerializer(StoreSerializer):
    """What `store` answers."""

    reading = serializers.SerializerMethodField()
    runway = serializers.SerializerMethodField()

    class Meta(StoreSerializer.Meta):
        fields: tuple[str, ...] = (*StoreSerializer.Meta.fields, "reading", "runway")
        read_only_fields: tuple[str, ...] = fields

    @extend_schema_field(RunwaySerializer)
    def get_runway(self, store: Store) -> Any:
        return RunwaySerializer(runways([store], now=ports.clock().now())[store.id]).data

    @extend_schema_field(ReadingSerializer(allow_null=True))
    def get_reading(self, store: Store) -> Any:
        reading = reading_of(store)
        return ReadingSerializer(reading).data if reading is not None else None


class PlaceSerializer(serializers.Serializer):
    """Where a store is to lie: a medium and its address, or in short the path of a folder."""

    medium = serializers.ChoiceField(choices=MEDIUM_CODES, default=Medium.FOLDER.value)
    address = AddressField(required=False, default=dict)
    path = serializers.CharField(max_length=1000, required=False, allow_blank=True, default="", help_text="Short for {path} of a folder.")

    def told(self) -> dict[str, Any]:
        """The validated fields, with an address in place of what says it."""
        data = dict(self.validated_data)
        medium, settings, path = data.pop("medium"), dict(data.pop("address")), data.pop("path")
        return data | {"address": address_of(medium, settings | ({"path": path} if path else {}))}


class NewStoreSerializer(PlaceSerializer):
    """What `create_store` is sent."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    passphrase = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True)
    passphrase_again = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True)
    allowance_bytes = BytesField(allow_null=True)
    own_key = serializers.BooleanField(default=False, help_text="Whether it is sealed with a key of its own, not the office's.")


class AttachStoreSerializer(PlaceSerializer):
    """What `attach_store` is sent."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    passphrase = serializers.CharField(max_length=500, trim_whitespace=False, allow_blank=True)
    allowance_bytes = BytesField(allow_null=True)


class PricesSerializer(serializers.Serializer):
    """In ten-thousandths of the currency's unit."""

    gib_month = serializers.IntegerField(allow_null=True)
    thousand_requests = serializers.IntegerField(allow_null=True)
    currency = serializers.CharField(max_length=10, allow_blank=True)


class ChecksSerializer(serializers.Serializer):
    """A part of `ChangeStoreSerializer`."""

    days = serializers.IntegerField(allow_null=True)
    limit_bytes_per_second = serializers.IntegerField(allow_null=True, max_value=1 << 40)


class ChangeStoreSerializer(ReadBefore):
    """What `change_store` is sent."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    allowance_bytes = BytesField(allow_null=True)
    off_site = serializers.BooleanField(required=False, allow_null=True, default=None)
    max_writers = serializers.IntegerField(required=False, allow_null=True, default=None)
    path = serializers.CharField(max_length=1000, required=False, allow_blank=True, default="", help_text="Short for {path}.")
    address = AddressField(required=False, default=dict, help_text="Empty leaves it where it is; a secret that is empty stays as it was.")
    prices = PricesSerializer(required=False, allow_null=True, default=None, help_text="Empty leaves them as they are.")
    checks = ChecksSerializer(required=False, allow_null=True, default=None, help_text="Empty leaves them as they are.")

    def told(self, store: Store) -> dict[str, Any]:
        """What was typed, as the actions want it."""
        data = dict(self.validated_data)
        data["prices"] = Prices(**data["prices"]) if data["prices"] is not None else None
        data["checks"] = Checks(**data["checks"]) if data["checks"] is not None else None
        settings, path = dict(data.pop("address")), data.pop("path")
        return data | {"address": changed_address(store, settings | ({"path": path} if path else {}))}


class ModeSerializer(serializers.Serializer):
    """What `set_store_mode` is sent."""

    mode = serializers.ChoiceField(choices=Mode.choices)
    why = serializers.CharField(max_length=200, allow_blank=True, default="")


class PassphraseSerializer(serializers.Serializer):
    """What `prove_passphrase` is sent."""

    passphrase = serializers.CharField(max_length=500, trim_whitespace=False)


class StoresView(APIView):
    """Answers `stores`, `create_store`."""

    own_transactions = True

    @extend_schema(operation_id="stores", responses=StoreRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        rows = list(stores()[:200])
        context = {"shares": shares_by_team(), "runways": runways(rows, now=ports.clock().now())}
        return Response(StoreRowSerializer(rows, many=True, context=context).data)

    @extend_schema(operation_id="create_store", request=NewStoreSerializer, responses={201: PreparedStoreSerializer})
    def post(self, request: Request) -> Response:
        body = NewStoreSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        prepared = create_store(**body.told(), by=signed_in(request))
        answer = Response({**StoreSerializer(prepared.store).data, "recovery_code": prepared.recovery_code}, status=201)
        answer["Cache-Control"] = "no-store"
        return answer


class AttachStoreView(APIView):
    """Answers `attach_store`."""

    own_transactions = True

    @extend_schema(operation_id="attach_store", request=AttachStoreSerializer, responses={201: StoreSerializer})
    def post(self, request: Request) -> Response:
        body = AttachStoreSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(StoreSerializer(attach_store(**body.told(), by=signed_in(request))).data, status=201)


class StoreView(APIView):
    """Answers `store`, `change_store`."""

    own_transactions = True

    @extend_schema(operation_id="store", responses=StoreDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(StoreDetailSerializer(store_by_id(id)).data)

    @extend_schema(operation_id="change_store", request=ChangeStoreSerializer, responses=StoreSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = ChangeStoreSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        store = store_by_id(id)
        same = body.heeding(f"store {id}", lambda: StoreSerializer(store_by_id(id)).data)
        return Response(StoreSerializer(change_store(store, **body.told(store), same=same, by=signed_in(request))).data)


class StoreModeView(APIView):
    """Answers `set_store_mode`."""

    writes = May.SET_UP

    @extend_schema(operation_id="set_store_mode", request=ModeSerializer, responses=StoreSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = ModeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(StoreSerializer(set_mode(store_by_id(id), **body.validated_data, by=signed_in(request))).data)


class SweepingView(APIView):
    """Answers `take_sweeping`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="take_sweeping", request=None, responses=StoreSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        return Response(StoreSerializer(take_sweeping(store_by_id(id), by=signed_in(request))).data)


class ProvePassphraseView(APIView):
    """Answers `prove_passphrase`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="prove_passphrase", request=PassphraseSerializer, responses=StoreSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = PassphraseSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(StoreSerializer(prove_passphrase(store_by_id(id), **body.validated_data, by=signed_in(request))).data)
