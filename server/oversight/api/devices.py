"""The devices list: filtered, ordered, cut and summed up by team on the server; and one device."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field, inline_serializer
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.families import FAMILIES
from core.content.links import LINKS
from core.coverage.own_cloud import believed, percent_used
from core.schedule.promise import Standing
from server import ports
from server.api.fields import DayField
from server.api.paging import PageQuery, Pages
from server.fleet.api.own_cloud import OWN_STATES
from server.fleet.convert import own_cloud_of
from server.fleet.models import DeviceState, LinkType
from server.fleet.queries import device as device_by_id
from server.oversight.listing import ORDERS, WantedDevices, devices_of, listed, summed
from server.oversight.standing import Standings, standing_of, standings
from server.oversight.three_two_one import newest_by_medium
from server.plans.api.views import PauseSerializer
from server.runs.models import RunState
from server.storage.models import MEDIUM_CODES


class OnMediumSerializer(serializers.Serializer):
    """A part of `DeviceRowSerializer`."""

    medium = serializers.ChoiceField(choices=MEDIUM_CODES)
    newest_at = serializers.DateTimeField()


class OwnCloudInShortSerializer(serializers.Serializer):
    """A part of `DeviceRowSerializer`."""

    state = serializers.ChoiceField(choices=OWN_STATES)
    last_success = serializers.DateTimeField(allow_null=True)
    percent = serializers.IntegerField(allow_null=True, help_text="How full its account is.")


class DeviceRowSerializer(serializers.Serializer):
    """One device with its standing."""

    id = serializers.UUIDField(source="device.id")
    name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    holder_id = serializers.IntegerField(source="device.holder_id")
    team = serializers.SerializerMethodField()
    team_id = serializers.IntegerField(source="device.team_id", allow_null=True)
    family = serializers.CharField(source="device.family")
    family_label = serializers.SerializerMethodField()
    link = serializers.ChoiceField(source="device.link", choices=LinkType.choices)
    link_label = serializers.SerializerMethodField()
    paired = serializers.SerializerMethodField()
    accepted = serializers.BooleanField(source="device.accepted", allow_null=True)
    make = serializers.CharField(source="device.make")
    model = serializers.CharField(source="device.model")
    os_version = serializers.CharField(source="device.os_version")
    update_pending = serializers.CharField(source="device.update_pending")
    serial = serializers.CharField(source="device.serial")
    asset_tag = serializers.CharField(source="device.asset_tag")
    purchased_on = DayField(source="device.purchased_on", allow_null=True)
    handed_over_on = DayField(source="device.handed_over_on", allow_null=True)
    note = serializers.CharField(source="device.note")
    storage_total_bytes = serializers.IntegerField(source="device.storage_total_bytes", allow_null=True)
    storage_used_bytes = serializers.IntegerField(source="device.storage_used_bytes", allow_null=True)
    card = serializers.JSONField(source="device.card")
    device_state = serializers.ChoiceField(source="device.state", choices=DeviceState.choices)
    away_until = DayField(source="device.away_until", allow_null=True)
    folder = serializers.CharField(source="device.folder")
    standing = serializers.ChoiceField(source="state.standing", choices=[(one.value, one.value) for one in Standing])
    newest_at = serializers.DateTimeField(source="device.newest_at", allow_null=True)
    damaged_at = serializers.DateTimeField(
        source="device.damaged_at", allow_null=True, help_text="Of its newest backup of which every copy is damaged in some place."
    )
    damaged_id = serializers.UUIDField(source="device.damaged_id", allow_null=True)
    newest_id = serializers.UUIDField(source="device.newest_id", allow_null=True)
    newest_bytes = serializers.IntegerField(source="device.newest_bytes", allow_null=True)
    deadline = serializers.DateTimeField(source="state.deadline", allow_null=True)
    promise_seconds = serializers.SerializerMethodField()
    plan_id = serializers.SerializerMethodField()
    plan_name = serializers.SerializerMethodField()
    next_run = serializers.DateTimeField(allow_null=True)
    pause = PauseSerializer(allow_null=True)
    turns_at = serializers.DateTimeField(
        source="state.turns_at", allow_null=True, help_text="When its standing changes if nothing happens."
    )
    held_bytes = serializers.IntegerField()
    active_run = serializers.UUIDField(source="device.active_run", allow_null=True)
    active_cause = serializers.CharField(source="device.active_cause", allow_null=True)
    last_run = serializers.UUIDField(source="device.last_run", allow_null=True)
    last_state = serializers.ChoiceField(source="device.last_state", choices=RunState.choices, allow_null=True)
    last_cause = serializers.CharField(source="device.last_cause", allow_null=True)
    last_seen_at = serializers.DateTimeField(source="device.last_seen_at", allow_null=True)
    places = serializers.SerializerMethodField(help_text="The newest good backup on each medium; empty where it was not asked for.")
    own_cloud = serializers.SerializerMethodField(help_text="Of its own cloud backup, as it says; null when it has none, or does not tell.")

    @extend_schema_field(OnMediumSerializer(many=True))
    def get_places(self, row: Standings) -> Any:
        return OnMediumSerializer(self.context.get("places", {}).get(row.device.id, []), many=True).data

    @extend_schema_field(OwnCloudInShortSerializer(allow_null=True))
    def get_own_cloud(self, row: Standings) -> Any:
        own_cloud = own_cloud_of((row.device.own_cloud or {}).get("told"))
        if own_cloud is None:
            return None
        return {
            "state": own_cloud.state.value,
            "last_success": believed(own_cloud, now=ports.clock().now()),
            "percent": percent_used(own_cloud),
        }

    def get_team(self, row: Standings) -> str:
        return row.device.team.name if row.device.team else ""

    def get_family_label(self, row: Standings) -> str:
        return FAMILIES[row.device.family].label

    def get_link_label(self, row: Standings) -> str:
        return LINKS[row.device.link].label

    def get_paired(self, row: Standings) -> bool:
        return bool(row.device.agent_key)

    def get_promise_seconds(self, row: Standings) -> int | None:
        return row.plan.promise_seconds if row.plan else None

    def get_plan_id(self, row: Standings) -> UUID | None:
        return row.plan.id if row.plan else None

    def get_plan_name(self, row: Standings) -> str:
        return row.plan.name if row.plan else ""


class DevicesFilter(serializers.Serializer):
    """Filters of the list; what is left out filters nothing."""

    standing = serializers.ChoiceField(choices=[one.value for one in Standing], required=False)
    words = serializers.CharField(required=False, max_length=200, default="", allow_blank=True)
    team = serializers.IntegerField(required=False)
    holder = serializers.IntegerField(required=False)
    plan = serializers.UUIDField(required=False)
    family = serializers.ChoiceField(choices=list(FAMILIES), required=False)
    link = serializers.ChoiceField(choices=LinkType.choices, required=False)
    cause = serializers.CharField(required=False, max_length=120, help_text="Code of what needs a person: only its devices.")
    order = serializers.ChoiceField(choices=list(ORDERS), required=False, default="lateness")
    fold = serializers.BooleanField(required=False, default=False, help_text="Leave out what is on time: it is in the sums of its team.")


class TeamSumSerializer(serializers.Serializer):
    """One team within the filter, whatever the page."""

    id = serializers.IntegerField(allow_null=True)
    team = serializers.CharField(allow_blank=True)
    devices = serializers.IntegerField()
    on_time = serializers.IntegerField()
    newest = serializers.ListField(child=serializers.DateTimeField(), help_text="Of those on time, for the strip.")
    held_bytes = serializers.IntegerField()


class DevicesView(APIView):
    """Answers `devices`."""

    @extend_schema(
        operation_id="devices",
        parameters=[DevicesFilter, PageQuery],
        responses=inline_serializer(
            "DevicesPage",
            {
                "count": serializers.IntegerField(),
                "counts": serializers.DictField(child=serializers.IntegerField()),
                "teams": TeamSumSerializer(many=True),
                "results": DeviceRowSerializer(many=True),
            },
        ),
    )
    def get(self, request: Request) -> Response:
        query = DevicesFilter(data=request.query_params)
        query.is_valid(raise_exception=True)
        now = ports.clock().now()
        rows = standings(now=now)
        wanted = WantedDevices(**query.validated_data | devices_of(query.validated_data.get("cause"), now=now, rows=rows))
        counts: dict[str, int] = {}
        for row in rows:
            counts[row.state.standing] = counts.get(row.state.standing, 0) + 1
        listing = listed(rows, wanted)
        shown = [row for row in listing if not wanted.fold or row.state.standing != Standing.ON_TIME]
        page = Pages().paginate_queryset(shown, request, view=self)
        fields = {"count": len(shown), "counts": counts, "teams": TeamSumSerializer(summed(listing), many=True).data}
        places = newest_by_medium([row.device.id for row in page or []])
        return Response(fields | {"results": DeviceRowSerializer(page, many=True, context={"places": places}).data})


class DeviceView(APIView):
    """Answers `device`."""

    @extend_schema(operation_id="device", responses=DeviceRowSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        row = standing_of(device_by_id(id), now=ports.clock().now())
        return Response(DeviceRowSerializer(row, context={"places": newest_by_medium([id])}).data)
