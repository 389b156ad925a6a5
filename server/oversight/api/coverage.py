"""Coverage of a device, a look at it, and the answer before a wipe."""

from collections import Counter
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.accounts import Account
from core.content.kinds import KINDS
from core.coverage.kinds import Cover, KindCover
from core.coverage.wipe import Remedy
from server import ports
from server.api.permissions import May
from server.fleet.models import Device, Scan
from server.fleet.queries import device as device_by_id
from server.oversight.actions.sign_off import sign_off
from server.oversight.coverage import covered, planned_kinds, scan_of
from server.oversight.models import WipeAnswer
from server.oversight.queries import wipe_answer, wipe_answers
from server.oversight.wipe import answer
from server.people.signed_in import signed_in
from server.plans.api.choices import KindChoiceSerializer
from server.plans.choices import choices, synchronised
from server.runs.actions.scan_device import scan_device
from server.runs.api.imports import LargeItemSerializer
from server.runs.left_out import left_out_of
from server.runs.models import Occasion
from server.runs.queries import id_of_active_run
from server.storage.queries import stores

SHOWN_ANSWERS = 20


class AccountSerializer(serializers.Serializer):
    """A part of `KindCoverSerializer`."""

    service = serializers.CharField()
    is_default = serializers.BooleanField()
    last_sync = serializers.DateTimeField(allow_null=True)
    off_by_policy = serializers.BooleanField()
    devices = serializers.SerializerMethodField(help_text="How many say that it synchronises this kind, this one included.")

    def get_devices(self, account: Account) -> int:
        return int(self.context["synchronised"][account.service, account.kind])


class LiveSerializer(serializers.Serializer):
    """A part of `KindCoverSerializer`."""

    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    newest_name = serializers.CharField()
    newest_at = serializers.DateTimeField(allow_null=True)


class HeldSerializer(LiveSerializer):
    """A part of `KindCoverSerializer`."""

    backup = serializers.UUIDField()
    finished_at = serializers.DateTimeField()
    stores = serializers.ListField(child=serializers.CharField())


class KindCoverSerializer(serializers.Serializer):
    """A part of `CoverageSerializer`."""

    kind = serializers.CharField()
    label = serializers.SerializerMethodField()  # type: ignore[assignment]
    cover = serializers.ChoiceField(choices=[(cover.value, cover.value) for cover in Cover])
    says = serializers.CharField()
    live = LiveSerializer(allow_null=True)
    newest = HeldSerializer(allow_null=True)
    backups = serializers.IntegerField()
    stores = serializers.ListField(child=serializers.CharField())
    accounts = AccountSerializer(many=True)
    planned = serializers.SerializerMethodField(help_text="Whether it is taken: by its plan, or because somebody chose so.")
    choice = serializers.SerializerMethodField(help_text="What somebody chose for it beside the plan.")
    left_out = serializers.SerializerMethodField(help_text="Things of it that its newest backup lacks and nobody has accepted.")
    secret = serializers.SerializerMethodField(help_text="Only travels in encrypted backups.")
    largest = serializers.SerializerMethodField()

    def get_label(self, one: KindCover) -> str:
        return KINDS[one.kind].label

    def get_planned(self, one: KindCover) -> bool:
        return one.kind in self.context["planned"]

    @extend_schema_field(KindChoiceSerializer(allow_null=True))
    def get_choice(self, one: KindCover) -> Any:
        choice = self.context["chosen"].get(one.kind)
        return KindChoiceSerializer(choice).data if choice else None

    def get_left_out(self, one: KindCover) -> int:
        return int(self.context["left_out"].get(one.kind, 0))

    def get_secret(self, one: KindCover) -> bool:
        return KINDS[one.kind].secret

    @extend_schema_field(LargeItemSerializer(many=True))
    def get_largest(self, one: KindCover) -> Any:
        scan: Scan | None = self.context["scan"]
        return next((entry["largest"] for entry in scan.kinds if entry["kind"] == one.kind), []) if scan else []


class CoverageSerializer(serializers.Serializer):
    """What `coverage` answers."""

    scanned_at = serializers.DateTimeField(allow_null=True)
    kinds = KindCoverSerializer(many=True)


class WipeReasonSerializer(serializers.Serializer):
    """A part of `WipeSerializer`."""

    code = serializers.CharField()
    blocks = serializers.BooleanField()
    says = serializers.CharField()
    step = serializers.CharField()
    remedy = serializers.ChoiceField(choices=[(remedy.value, remedy.value) for remedy in Remedy])


class StoreChoiceSerializer(serializers.Serializer):
    """A part of `WipeSerializer`."""

    id = serializers.UUIDField()
    name = serializers.CharField()
    holds_newest = serializers.BooleanField()


class WipeSerializer(serializers.Serializer):
    """What `wipe_answer` answers."""

    safe = serializers.BooleanField()
    says = serializers.CharField()
    reasons = WipeReasonSerializer(many=True)
    scanned_at = serializers.DateTimeField(allow_null=True)
    backup_id = serializers.UUIDField(allow_null=True)
    backup_at = serializers.DateTimeField(allow_null=True)
    active_run = serializers.UUIDField(allow_null=True)
    stores = StoreChoiceSerializer(many=True)


class SignOffSerializer(serializers.Serializer):
    """What `sign_wipe_answer` is sent."""

    occasion = serializers.ChoiceField(choices=Occasion.choices, allow_blank=True)
    note = serializers.CharField(max_length=300, allow_blank=True, default="")


class ToldDeviceSerializer(serializers.Serializer):
    """A part of `ToldSerializer`."""

    name = serializers.CharField()
    holder = serializers.CharField()
    team = serializers.CharField()
    make = serializers.CharField()
    model = serializers.CharField()
    serial = serializers.CharField()
    asset_tag = serializers.CharField()
    os_version = serializers.CharField()


class ToldReasonSerializer(serializers.Serializer):
    """A part of `ToldSerializer`."""

    blocks = serializers.BooleanField()
    says = serializers.CharField()
    step = serializers.CharField()


class ToldKindSerializer(serializers.Serializer):
    """A part of `ToldSerializer`."""

    label = serializers.CharField()  # type: ignore[assignment]
    says = serializers.CharField()
    items = serializers.IntegerField()
    on_device = serializers.IntegerField(allow_null=True)


class ToldSerializer(serializers.Serializer):
    """The page as it stood when it was signed."""

    device = ToldDeviceSerializer()
    says = serializers.CharField()
    reasons = ToldReasonSerializer(many=True)
    looked_at = serializers.DateTimeField(allow_null=True)
    backup_at = serializers.DateTimeField(allow_null=True)
    backup_items = serializers.IntegerField()
    backup_bytes = serializers.IntegerField()
    stores = serializers.ListField(child=serializers.CharField())
    kinds = ToldKindSerializer(many=True)


class WipeAnswerSerializer(serializers.ModelSerializer):
    """What `sign_wipe_answer` answers."""

    by_name = serializers.CharField(source="by.shown_name")
    device_id = serializers.UUIDField()
    told = ToldSerializer()

    class Meta:
        model = WipeAnswer
        fields = ("id", "device_id", "at", "by_name", "occasion", "note", "safe", "told")
        read_only_fields = fields


class CoverageView(APIView):
    """Answers `coverage`."""

    @extend_schema(operation_id="coverage", responses=CoverageSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(_coverage(device_by_id(id)))


class ScanView(APIView):
    """Reads the device's inventories now; takes as long as that takes."""

    own_transactions = True
    writes = May.ANSWER

    @extend_schema(operation_id="look_at", request=None, responses=CoverageSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        scan_device(device)
        return Response(_coverage(device))


class WipeView(APIView):
    """Answers `wipe_answer`, `sign_wipe_answer`."""

    @extend_schema(operation_id="wipe_answer", responses=WipeSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        answered, _, scan, newest = answer(device, now=ports.clock().now())
        there = {copy.store_id for copy in newest.present if copy.intact} if newest else set()  # type: ignore[attr-defined]
        fields = {
            "safe": answered.safe,
            "says": answered.says,
            "reasons": answered.reasons,
            "scanned_at": scan.at if scan else None,
            "backup_id": newest.id if newest else None,
            "backup_at": newest.finished_at if newest else None,
            "active_run": id_of_active_run(device),
            "stores": [{"id": store.id, "name": store.name, "holds_newest": store.id in there} for store in stores()[:100]],
        }
        return Response(WipeSerializer(fields).data)

    @extend_schema(operation_id="sign_wipe_answer", request=SignOffSerializer, responses={201: WipeAnswerSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        body = SignOffSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        signed = sign_off(device_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(WipeAnswerSerializer(signed).data, status=201)

    writes = May.ANSWER


class WipeAnswersView(APIView):
    """Signed answers of a device, newest first."""

    @extend_schema(operation_id="signed_answers", responses=WipeAnswerSerializer(many=True))
    def get(self, request: Request, id: UUID) -> Response:
        return Response(WipeAnswerSerializer(wipe_answers(id)[:SHOWN_ANSWERS], many=True).data)


class WipeAnswerView(APIView):
    """Answers `signed_answer`."""

    @extend_schema(operation_id="signed_answer", responses=WipeAnswerSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(WipeAnswerSerializer(wipe_answer(id)).data)


def _coverage(device: Device) -> Any:
    scan, choices_now = scan_of(device), choices()
    lacks = Counter(one["kind"] for one in left_out_of(device)[1] if one["counts"])
    chosen = {kind: choices_now.of(device, kind) for kind in KINDS}
    context = {
        "planned": planned_kinds(device, choices_now),
        "scan": scan,
        "left_out": lacks,
        "chosen": chosen,
        "synchronised": synchronised(),
    }
    shown = {"scanned_at": scan.at if scan else None, "kinds": covered(device, scan)}
    return CoverageSerializer(shown, context=context).data
