"""What a plan, as it is being edited, would do to what lies there."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.fields import DayField
from server.api.permissions import May
from server.fleet.api.register import ValuesSerializer
from server.plans.actions.save_plan import checked, targets_of
from server.plans.api.views import DraftSerializer
from server.plans.models import Plan
from server.plans.objections import Change
from server.plans.queries import plan as plan_by_id
from server.retention.consequences import WORD, Consequences, DeviceConsequences, consequences, of_devices_changed

MOST_DEVICES = 60
MOST_POINTS = 120


class PlannedSerializer(DraftSerializer):
    """What `plan_consequences` is sent."""

    id = serializers.UUIDField(allow_null=True, default=None, help_text="Of the plan that is being changed; null for a new one.")
    devices = serializers.ListField(child=serializers.UUIDField(), max_length=5000)

    def change(self) -> Change:
        """Raises BadInput, Http404."""
        id: UUID | None = self.validated_data.pop("id")
        draft, followers = self.draft(), frozenset(self.validated_data["devices"])
        plan = checked(draft, plan_by_id(id) if id is not None else Plan(added_at=ports.clock().now()))
        stores = frozenset(target.store_id for target in targets_of(draft))
        return Change(plan=plan, stores=stores, followers=followers, seen="", word="")


class PointSerializer(serializers.Serializer):
    """A part of `LosesSerializer`."""

    at = serializers.DateTimeField()
    state = serializers.ChoiceField(choices=["stays", "leaves", "safeguarded", "held"])


class LosesSerializer(serializers.Serializer):
    """A part of `ConsequencesSerializer`."""

    device_id = serializers.UUIDField(source="device.id")
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    leaves = serializers.IntegerField()
    stays = serializers.IntegerField()
    lapsed = serializers.BooleanField(help_text="Its protection has lapsed: its rule counts by its newest good backup.")
    gap_from = serializers.SerializerMethodField()
    gap_to = serializers.SerializerMethodField()
    points = serializers.SerializerMethodField(help_text="Newest first.")

    @extend_schema_field(DayField(allow_null=True))
    def get_gap_from(self, one: DeviceConsequences) -> Any:
        return one.gap[0] if one.gap else None

    @extend_schema_field(DayField(allow_null=True))
    def get_gap_to(self, one: DeviceConsequences) -> Any:
        return one.gap[1] if one.gap else None

    @extend_schema_field(PointSerializer(many=True))
    def get_points(self, one: DeviceConsequences) -> Any:
        return PointSerializer(one.points[:MOST_POINTS], many=True).data


class OfStoreSerializer(serializers.Serializer):
    """A part of `ConsequencesSerializer`."""

    name = serializers.CharField()
    leaves = serializers.IntegerField(help_text="Copies.")
    stays = serializers.IntegerField()


class ConsequencesSerializer(serializers.Serializer):
    """What `plan_consequences` answers."""

    leaves = serializers.IntegerField(help_text="Backups that stay nowhere.")
    stays = serializers.IntegerField()
    safeguarded = serializers.IntegerField(help_text="Copies that only a safeguard keeps.")
    gaps = serializers.IntegerField(help_text="Devices that get a stretch of weeks without a moment.")
    device_count = serializers.IntegerField()
    devices = LosesSerializer(many=True, help_text="Those that lose something first, and not all of the others.")
    stores = OfStoreSerializer(many=True)
    first_day = DayField(allow_null=True, help_text="First day on which something of it may go.")
    digest = serializers.CharField(help_text="To be told when it is saved; empty when nothing leaves.")
    word = serializers.CharField(help_text="What has to be typed; empty when nothing has.")


class ConsequencesView(APIView):
    """Answers `plan_consequences`."""

    @extend_schema(operation_id="plan_consequences", request=PlannedSerializer, responses=ConsequencesSerializer)
    def post(self, request: Request) -> Response:
        body = PlannedSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        foreseen = consequences(body.change(), now=ports.clock().now())
        return Response(ConsequencesSerializer(told_consequences(foreseen)).data)


def told_consequences(foreseen: Consequences) -> dict[str, Any]:
    """Cut to what a screen shows; the counts are whole."""
    first = sorted(foreseen.devices, key=lambda one: (one.gap is None, not one.leaves))
    return {
        "leaves": foreseen.leaves, "stays": foreseen.stays, "safeguarded": foreseen.safeguarded, "device_count": len(foreseen.devices),
        "gaps": sum(one.gap is not None for one in foreseen.devices), "devices": first[:MOST_DEVICES], "digest": foreseen.digest,
        "stores": sorted(foreseen.stores.values(), key=lambda store: store.name), "first_day": foreseen.first_day,
        "word": WORD if foreseen.needs_word and foreseen.digest else "",
    }  # fmt: skip


class ReDevicesSerializer(ValuesSerializer):
    """What `device_consequences` is sent."""

    devices = serializers.ListField(child=serializers.UUIDField(), min_length=1, max_length=5000)


class DeviceConsequencesView(APIView):
    """What a change of devices' state or team would do to what lies there."""

    writes = May.SET_UP

    @extend_schema(operation_id="device_consequences", request=ReDevicesSerializer, responses=ConsequencesSerializer)
    def post(self, request: Request) -> Response:
        body = ReDevicesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        foreseen = of_devices_changed(body.validated_data["devices"], body.told(), now=ports.clock().now())
        return Response(ConsequencesSerializer(told_consequences(foreseen)).data)
