"""Erasing on request: what would go, asking for it, what became of it."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.api.permissions import May, may
from server.people.signed_in import signed_in
from server.retention.actions.ask_erasure import ask_erasure, call_off
from server.retention.actions.take_again import take_again
from server.retention.erasing import MOST_ITEMS, erasure, erasures, expected_end, preview, wish_of
from server.retention.models import Erasure, ErasureStep


class ErasedItemSerializer(serializers.Serializer):
    """A part of `WishSerializer`."""

    kind = serializers.CharField(max_length=40)
    id = serializers.CharField(max_length=2000, trim_whitespace=False)


class WishSerializer(serializers.Serializer):
    """Items of one device; or all backups of devices, or of those that a person carries."""

    device = serializers.UUIDField(required=False, allow_null=True, default=None)
    items = ErasedItemSerializer(many=True, required=False, default=list)
    devices = serializers.ListField(child=serializers.UUIDField(), required=False, default=list, max_length=MOST_ITEMS)
    holder = serializers.IntegerField(required=False, allow_null=True, default=None)
    begins_on = DayField(help_text="First day on which anything is erased.")

    def wish(self) -> Any:
        """What was typed, as the actions want it."""
        fields = self.validated_data
        return wish_of(device=fields["device"], items=fields["items"], devices=fields["devices"], holder=fields["holder"])


class AskErasureSerializer(WishSerializer):
    """What `ask_erasure` is sent."""

    reference = serializers.CharField(max_length=200, allow_blank=True)
    forgets_names = serializers.BooleanField(default=False)
    seen = serializers.CharField(max_length=64, help_text="The digest of what was shown.")
    word = serializers.CharField(max_length=40, allow_blank=True)


class ErasedInStoreSerializer(serializers.Serializer):
    """A part of `ErasurePreviewSerializer`."""

    store_id = serializers.UUIDField(source="store.id")
    store_name = serializers.CharField(source="store.name")
    backups = serializers.IntegerField(help_text="That hold any of it; all copies there, where the store cannot be read now.")
    held = serializers.IntegerField(help_text="Of them, those that stay while their hold lasts.")
    frozen = serializers.BooleanField()
    unread = serializers.CharField()
    last_day = DayField(allow_null=True)


class ErasurePreviewSerializer(serializers.Serializer):
    """What `preview_erasure` answers."""

    devices = serializers.SerializerMethodField(help_text="Names.")
    stores = ErasedInStoreSerializer(many=True)
    objections = serializers.ListField(child=serializers.CharField())
    last_day = DayField(allow_null=True, help_text="Null while it hangs on something else first.")
    digest = serializers.CharField()

    def get_devices(self, erasure: Any) -> list[str]:
        return [device.name for device in erasure.wish.devices]


class StepSerializer(serializers.ModelSerializer):
    """A part of `ErasureSerializer`."""

    store_name = serializers.CharField(source="store.name")
    needed_by = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = ErasureStep
        fields = ("store_id", "store_name", "state", "backups", "held", "trouble", "remedy", "needed_by", "erased_at", "gone_at")
        read_only_fields = fields


class ErasedDeviceSerializer(serializers.Serializer):
    """A part of `ErasureSerializer`."""

    id = serializers.UUIDField()
    name = serializers.CharField()


class ErasedThingSerializer(serializers.Serializer):
    """A part of `ErasureSerializer`."""

    kind = serializers.CharField()
    name = serializers.CharField(help_text="Empty once it is done, and for whoever may not look inside.")


class ErasureSerializer(serializers.ModelSerializer):
    """What `ask_erasure` answers."""

    by = serializers.CharField(source="by.shown_name", default="")
    called_off_by = serializers.CharField(source="called_off_by.shown_name", default="")
    holder = serializers.CharField(source="holder.name", default="")
    devices = ErasedDeviceSerializer(many=True)
    items = serializers.SerializerMethodField()
    steps = StepSerializer(many=True)
    ends_on = serializers.SerializerMethodField(
        help_text="The day on which the last byte is gone; null while something else is in the way."
    )

    @extend_schema_field(ErasedThingSerializer(many=True))
    def get_items(self, row: Erasure) -> Any:
        named = May.LOOK_INSIDE in may(self.context["request"].user)
        return [{"kind": one["kind"], "name": one["name"] if named else ""} for one in row.items]

    @extend_schema_field(serializers.DateField(allow_null=True))
    def get_ends_on(self, row: Erasure) -> Any:
        return expected_end(row)

    class Meta:
        model = Erasure
        fields = (
            "id", "reference", "state", "whole", "holder", "devices", "items", "forgets_names", "by", "asked_at", "begins_on", "ends_on",
            "done_at", "taken_again_at", "called_off_at", "called_off_by", "called_off_why", "steps",
        )  # fmt: skip
        read_only_fields = fields


class ErasurePageSerializer(serializers.Serializer):
    """What `erasures` answers."""

    count = serializers.IntegerField()
    results = ErasureSerializer(many=True)


class CallOffSerializer(serializers.Serializer):
    """What `call_off_erasure` is sent."""

    why = serializers.CharField(max_length=200, allow_blank=True)


class ErasurePreviewView(APIView):
    """Answers `preview_erasure`."""

    writes = May.REMOVE

    @extend_schema(operation_id="preview_erasure", request=WishSerializer, responses=ErasurePreviewSerializer)
    def post(self, request: Request) -> Response:
        body = WishSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        foreseen = preview(body.wish(), begins_on=body.validated_data["begins_on"], now=ports.clock().now())
        return Response(ErasurePreviewSerializer(foreseen).data)


class ErasuresView(APIView):
    """Answers `erasures`, `ask_erasure`."""

    writes = May.REMOVE

    @extend_schema(operation_id="erasures", parameters=[PageQuery], responses=ErasurePageSerializer)
    def get(self, request: Request) -> Response:
        pages = Pages()
        page = pages.paginate_queryset(erasures(), request, view=self)
        count = pages.page.paginator.count  # type: ignore[union-attr]
        return Response(ErasurePageSerializer({"count": count, "results": page}, context={"request": request}).data)

    @extend_schema(operation_id="ask_erasure", request=AskErasureSerializer, responses={201: ErasureSerializer})
    def post(self, request: Request) -> Response:
        body = AskErasureSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = {name: body.validated_data[name] for name in ("reference", "begins_on", "seen", "word", "forgets_names")}
        row = ask_erasure(body.wish(), **fields, by=signed_in(request), now=ports.clock().now())
        return Response(ErasureSerializer(erasure(row.id), context={"request": request}).data, status=201)


class ErasureView(APIView):
    """Answers `erasure`."""

    @extend_schema(operation_id="erasure", responses=ErasureSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(ErasureSerializer(erasure(id), context={"request": request}).data)


class CallOffView(APIView):
    """Answers `call_off_erasure`."""

    writes = May.REMOVE

    @extend_schema(operation_id="call_off_erasure", request=CallOffSerializer, responses=ErasureSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = CallOffSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        call_off(erasure(id), **body.validated_data, by=signed_in(request), now=ports.clock().now())
        return Response(ErasureSerializer(erasure(id), context={"request": request}).data)


class TakeAgainView(APIView):
    """Answers `take_erased_again`."""

    writes = May.REMOVE

    @extend_schema(operation_id="take_erased_again", request=CallOffSerializer, responses=ErasureSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = CallOffSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        take_again(erasure(id), **body.validated_data, by=signed_in(request))
        return Response(ErasureSerializer(erasure(id), context={"request": request}).data)
