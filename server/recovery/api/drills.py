"""Drills: which there were, asking for one, and how the office drills by itself."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.kinds import KINDS
from core.recovery.forms import FORM_WORDS, Form
from server.api.fields import BytesField
from server.api.paging import PageQuery
from server.api.permissions import May, may
from server.api.read_before import ReadBefore
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in
from server.recovery.actions.ask_drill import ask_drill, stop_drill
from server.recovery.actions.set_drill_rules import set_drill_rules
from server.recovery.drills import drill_of, drill_rules, drills
from server.recovery.models import Drill, DrillRules, DrillState
from server.storage.queries import store_or_none


class FindingNamedSerializer(serializers.Serializer):
    """A part of `DrillFindingsSerializer`."""

    kind = serializers.SerializerMethodField(help_text="As people call it.")
    name = serializers.CharField(allow_blank=True)
    says = serializers.CharField()

    def get_kind(self, opened: dict[str, str]) -> str:
        return KINDS[opened["kind"]].label if opened["kind"] in KINDS else opened["kind"]


class DrillFindingsSerializer(serializers.Serializer):
    """A part of `DrillSerializer`."""

    count = serializers.IntegerField(default=0)
    named = FindingNamedSerializer(many=True, help_text="The first of them; without names for who may not look inside backups.")


class OpenedFormSerializer(serializers.Serializer):
    """A part of `DrillSerializer`."""

    form = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    count = serializers.IntegerField()


class DrillProgressSerializer(serializers.Serializer):
    """A part of `DrillSerializer`."""

    done_bytes = serializers.IntegerField(required=False)
    total_bytes = serializers.IntegerField(required=False)


class DrillSerializer(serializers.ModelSerializer):
    """What `ask_drill` answers."""

    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    store_name = serializers.CharField(source="store.name")
    backup_at = serializers.DateTimeField(source="backup.finished_at", allow_null=True, default=None)
    by_name = serializers.SerializerMethodField()
    state = serializers.ChoiceField(choices=DrillState.choices)
    progress = DrillProgressSerializer()
    lost = serializers.SerializerMethodField()
    differing = serializers.SerializerMethodField()
    unopened = serializers.SerializerMethodField()
    opened = serializers.SerializerMethodField()
    out_of_time = serializers.SerializerMethodField()

    class Meta:
        model = Drill
        fields = (
            "id", "device_id", "device_name", "holder", "backup_id", "backup_at", "store_id", "store_name", "by_name", "state", "asked_at",
            "started_at", "finished_at", "stop_asked", "progress", "of_items", "of_bytes", "items", "size_bytes", "lost", "differing",
            "unopened", "opened", "out_of_time", "cause", "remedy",
        )  # fmt: skip
        read_only_fields = fields

    def get_by_name(self, drill: Drill) -> str:
        return drill.by.shown_name if drill.by else "Old Attic"

    def _findings(self, drill: Drill, of: str) -> Any:
        fields = drill.report.get(of, {"count": 0, "named": []})
        if not self.context.get("names"):
            fields = {**fields, "named": [{**one, "name": ""} for one in fields["named"]]}
        return DrillFindingsSerializer(fields).data

    @extend_schema_field(DrillFindingsSerializer)
    def get_lost(self, drill: Drill) -> Any:
        return self._findings(drill, "lost")

    @extend_schema_field(DrillFindingsSerializer)
    def get_differing(self, drill: Drill) -> Any:
        return self._findings(drill, "differing")

    @extend_schema_field(DrillFindingsSerializer)
    def get_unopened(self, drill: Drill) -> Any:
        return self._findings(drill, "unopened")

    @extend_schema_field(OpenedFormSerializer(many=True))
    def get_opened(self, drill: Drill) -> Any:
        opened = drill.report.get("opened", {})
        return [{"form": form, "label": FORM_WORDS[Form(form)][count != 1], "count": count} for form, count in opened.items()]

    def get_out_of_time(self, drill: Drill) -> bool:
        return bool(drill.report.get("out_of_time"))


class AskDrillSerializer(serializers.Serializer):
    """What `ask_drill` is sent."""

    device = serializers.UUIDField()
    store = serializers.UUIDField(required=False, allow_null=True, default=None, help_text="Empty: the nearest that holds its newest.")


class DrillsQuery(PageQuery):
    """What `drills` can be asked for."""

    device = serializers.UUIDField(required=False, allow_null=True, default=None)
    state = serializers.ChoiceField(required=False, choices=["", *DrillState.values], default="")


class DrillRulesSerializer(ReadBefore, serializers.ModelSerializer):
    """What `drill_rules` answers."""

    a_day = serializers.IntegerField()
    most_minutes = serializers.IntegerField()
    most_bytes = BytesField()
    limit_bytes_per_second = BytesField(allow_null=True)
    wanted_days = serializers.IntegerField(allow_null=True)

    class Meta:
        model = DrillRules
        fields = ("a_day", "most_minutes", "most_bytes", "limit_bytes_per_second", "wanted_days", "read")


def _shown(request: Request) -> dict[str, Any]:
    return {"names": May.LOOK_INSIDE in may(signed_in(request))}


class DrillsView(generics.ListAPIView):
    """Answers `drills`, `ask_drill`."""

    own_transactions = True
    serializer_class = DrillSerializer
    writes = May.KEEP

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        asked = DrillsQuery(data=self.request.query_params)
        asked.is_valid(raise_exception=True)
        return drills(device=asked.validated_data["device"], state=asked.validated_data["state"])

    def get_serializer_context(self) -> dict[str, Any]:
        """What each row needs beside itself."""
        return {**super().get_serializer_context(), **_shown(self.request)}

    @extend_schema(operation_id="drills", parameters=[DrillsQuery])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)

    @extend_schema(operation_id="ask_drill", request=AskDrillSerializer, responses={201: DrillSerializer})
    def post(self, request: Request) -> Response:
        body = AskDrillSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        asked = ask_drill(device_by_id(fields["device"]), store=store_or_none(fields["store"]), by=signed_in(request))
        return Response(DrillSerializer(drill_of(asked.id), context=_shown(request)).data, status=201)


class DrillView(APIView):
    """Answers `drill`."""

    @extend_schema(operation_id="drill", responses=DrillSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(DrillSerializer(drill_of(id), context=_shown(request)).data)


class StopDrillView(APIView):
    """Answers `stop_drill`."""

    writes = May.KEEP

    @extend_schema(operation_id="stop_drill", request=None, responses=DrillSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        stop_drill(drill_of(id), by=signed_in(request))
        return Response(DrillSerializer(drill_of(id), context=_shown(request)).data)


class DrillRulesView(APIView):
    """Answers `drill_rules`, `set_drill_rules`."""

    @extend_schema(operation_id="drill_rules", responses=DrillRulesSerializer)
    def get(self, request: Request) -> Response:
        return Response(DrillRulesSerializer(drill_rules()).data)

    @extend_schema(operation_id="set_drill_rules", request=DrillRulesSerializer, responses=DrillRulesSerializer)
    def put(self, request: Request) -> Response:
        body = DrillRulesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed("drill rules", lambda: DrillRulesSerializer(drill_rules()).data)
        return Response(DrillRulesSerializer(set_drill_rules(**body.validated_data, by=signed_in(request))).data)
