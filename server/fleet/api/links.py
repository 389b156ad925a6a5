"""How a device is reached, and whether it is ready: settings of its link, a preview of its rules, findings."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.errors import LinkError
from core.content.families import FAMILIES
from core.content.kinds import KINDS
from core.content.link import DeviceReport as Told
from core.content.links import LINKS
from core.content.readiness import readiness
from server import ports
from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.fleet.actions.change_device import note_told
from server.fleet.actions.change_link import change_link, preview_rules
from server.fleet.api.findings import FindingSerializer
from server.fleet.api.pairing import SftpPlaceSerializer
from server.fleet.convert import link_to
from server.fleet.models import Device
from server.fleet.queries import device as device_by_id
from server.people.signed_in import signed_in


class RuleSerializer(serializers.Serializer):
    """A part of `LinkSerializer`."""

    pattern = serializers.CharField(max_length=300)
    kind = serializers.CharField(max_length=20, allow_blank=True, help_text="Empty leaves the files out.")


class LinkSerializer(ReadBefore):
    """Settings of one device's link; a password is never sent out."""

    link = serializers.CharField(read_only=True)
    label = serializers.CharField(read_only=True)  # type: ignore[assignment]
    limits = serializers.ListField(child=serializers.CharField(), read_only=True, help_text="What this link cannot do.")
    rules = RuleSerializer(many=True)
    limit_bytes_per_second = serializers.IntegerField(allow_null=True, max_value=1 << 40)
    folder = serializers.CharField(max_length=1000, allow_blank=True)
    sftp = SftpPlaceSerializer(allow_null=True)
    fingerprint = serializers.CharField(read_only=True)
    agent_id = serializers.CharField(read_only=True)
    address = serializers.CharField(read_only=True)
    paired = serializers.BooleanField(read_only=True)


class RulesSerializer(serializers.Serializer):
    """What `preview_rules` is sent."""

    rules = RuleSerializer(many=True)


class SortedSerializer(serializers.Serializer):
    """What `preview_rules` answers."""

    pattern = serializers.CharField(allow_blank=True)
    kind = serializers.CharField(allow_blank=True)
    label = serializers.SerializerMethodField()  # type: ignore[assignment]
    files = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    examples = serializers.ListField(child=serializers.CharField())

    def get_label(self, entry: Any) -> str:
        return KINDS[entry.kind].label if entry.kind else "left out"


class ReadinessSerializer(serializers.Serializer):
    """Findings in the order in which to resolve them, and the guides that may be needed."""

    reachable = serializers.BooleanField()
    findings = FindingSerializer(many=True)
    not_seen = serializers.ListField(child=serializers.CharField(), help_text="What to look at when it is not seen at all.")
    first_time = serializers.ListField(child=serializers.CharField())
    cannot_tell = serializers.ListField(child=serializers.CharField(), help_text="What this link cannot tell.")


class LinkView(APIView):
    """Answers `link`, `change_link`."""

    own_transactions = True

    @extend_schema(operation_id="link", responses=LinkSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(_told(device_by_id(id)))

    @extend_schema(operation_id="change_link", request=LinkSerializer, responses=LinkSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = LinkSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        sftp = SftpPlaceSerializer().place(fields["sftp"]) if fields["sftp"] else None
        device = change_link(
            device_by_id(id), rules=fields["rules"], limit_bytes_per_second=fields["limit_bytes_per_second"], folder=fields["folder"],
            sftp=sftp, same=body.heeding(f"link {id}", lambda: _told(device_by_id(id))), by=signed_in(request),
        )  # fmt: skip
        return Response(_told(device))


class PreviewRulesView(APIView):
    """Reaches for the device and counts its files; changes nothing."""

    own_transactions = True

    @extend_schema(operation_id="preview_rules", request=RulesSerializer, responses=SortedSerializer(many=True))
    def post(self, request: Request, id: UUID) -> Response:
        body = RulesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(SortedSerializer(preview_rules(device_by_id(id), body.validated_data["rules"]), many=True).data)


class ReadinessView(APIView):
    """Reaches for the device; takes as long as that takes."""

    own_transactions = True
    reads = May.RUN

    @extend_schema(operation_id="readiness", responses=ReadinessSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        device = device_by_id(id)
        state, trouble = _asked(device)
        findings = readiness(state, link=device.link, family=device.family, now=ports.clock().now(), trouble=trouble)
        family, facts = FAMILIES[device.family], LINKS[device.link]
        fields = {
            "reachable": state is not None,
            "findings": findings,
            "not_seen": list(family.not_seen),
            "first_time": list(family.first_time),
            "cannot_tell": list(facts.limits),
        }
        return Response(ReadinessSerializer(fields).data)


def _asked(device: Device) -> tuple[Told | None, LinkError | None]:
    try:
        link = link_to(device)
        try:
            state = link.state()
        finally:
            link.close()
        note_told(device, state, now=ports.clock().now())
    except LinkError as error:
        return None, error
    return state, None


def _told(device: Device) -> dict[str, Any]:
    sftp = None
    if device.sftp_host:
        sftp = {
            "host": device.sftp_host, "port": device.sftp_port, "username": device.sftp_username, "folder": device.sftp_folder,
            "host_key": device.sftp_host_key, "use_key": device.sftp_uses_key,
        }  # fmt: skip
    facts = LINKS[device.link]
    return {
        "link": device.link, "label": facts.label, "limits": list(facts.limits), "rules": device.file_rules,
        "limit_bytes_per_second": device.limit_bytes_per_second, "folder": device.folder, "sftp": sftp,
        "fingerprint": ports.devices().fingerprint(device.sftp_host_key) if device.sftp_host_key else "",
        "agent_id": device.agent_id, "address": device.address, "paired": bool(device.agent_key),
    }  # fmt: skip
