"""Meeting devices: offers on the network, pairing and its end, folders, SFTP. The list itself belongs to oversight."""

from dataclasses import replace
from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.content.families import FAMILIES
from server import ports
from server.fleet.actions.add_device import add_folder, add_sftp, pair_again, pair_device
from server.fleet.actions.ssh_key import own_ssh_key
from server.fleet.actions.unpair_device import unpair_device
from server.fleet.convert import private_ssh_key
from server.fleet.queries import device as device_by_id
from server.fleet.queries import unlinked_devices, unpaired_offers
from server.people.signed_in import signed_in
from server.ports import SftpPlace


class OfferSerializer(serializers.Serializer):
    """What `offers` answers."""

    device = serializers.CharField()
    name = serializers.CharField()
    family = serializers.CharField()
    make = serializers.CharField()
    model = serializers.CharField()
    os_version = serializers.CharField()
    serial = serializers.CharField()
    first_time = serializers.SerializerMethodField()

    def get_first_time(self, offer: Any) -> list[str]:
        return list(FAMILIES[offer.family].first_time)


class AddedSerializer(serializers.Serializer):
    """What `pair_device` answers."""

    id = serializers.UUIDField()
    name = serializers.CharField()


class NewDeviceSerializer(serializers.Serializer):
    """Either a new entry of the register, or one that has no link yet."""

    name = serializers.CharField(max_length=120, allow_blank=True)
    holder = serializers.CharField(max_length=120, allow_blank=True)
    team = serializers.CharField(max_length=80, allow_blank=True)
    registered = serializers.UUIDField(allow_null=True, required=False, default=None)


class PairSerializer(NewDeviceSerializer):
    """What `pair_device` is sent."""

    agent_id = serializers.CharField(max_length=200)
    code = serializers.CharField(max_length=20)


class FolderDeviceSerializer(NewDeviceSerializer):
    """What `add_folder` is sent."""

    path = serializers.CharField(max_length=1000)


class MeetSerializer(serializers.Serializer):
    """What `meet_sftp` is sent."""

    host = serializers.CharField(max_length=200)
    port = serializers.IntegerField(min_value=1, max_value=65535)


class MetSerializer(serializers.Serializer):
    """The key that answers there, for a person to compare with what the device shows."""

    host_key = serializers.CharField()
    fingerprint = serializers.CharField()


class SftpPlaceSerializer(MeetSerializer):
    """A sftp place, as the API tells it."""

    username = serializers.CharField(max_length=100)
    password = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True, write_only=True)
    folder = serializers.CharField(max_length=1000)
    host_key = serializers.CharField(max_length=2000, allow_blank=True)
    use_key = serializers.BooleanField(default=False, help_text="Sign in with this server's own key instead of a password.")

    def place(self, fields: dict[str, Any]) -> SftpPlace:
        """What was typed, as the actions want it."""
        sftp_place = SftpPlace(**{name: fields[name] for name in ("host", "port", "username", "password", "folder", "host_key")})
        return replace(sftp_place, password="", private_key=private_ssh_key()) if fields["use_key"] else sftp_place


class SshKeySerializer(serializers.Serializer):
    """What `ssh_key` answers."""

    public = serializers.CharField(help_text="A line for the authorized_keys of a device.")
    made_at = serializers.DateTimeField()


class SftpSerializer(SftpPlaceSerializer, NewDeviceSerializer):
    """What `add_sftp` is sent."""

    family = serializers.CharField(max_length=20)


class CodeSerializer(serializers.Serializer):
    """What `pair_again` is sent."""

    code = serializers.CharField(max_length=20)


class UnpairedSerializer(serializers.Serializer):
    """What `unpair_device` answers."""

    told_device = serializers.BooleanField(help_text="Whether the device has forgotten this server, too.")


class GuideSerializer(serializers.Serializer):
    """What `guides` answers."""

    code = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    first_time = serializers.ListField(child=serializers.CharField())
    not_seen = serializers.ListField(child=serializers.CharField())


class UnlinkedSerializer(serializers.Serializer):
    """What `unlinked_devices` answers."""

    id = serializers.UUIDField()
    name = serializers.CharField()
    holder = serializers.CharField(source="holder.name")
    serial = serializers.CharField()
    family = serializers.CharField()


class OffersView(APIView):
    """Answers `offers`."""

    @extend_schema(operation_id="offers", responses=OfferSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(OfferSerializer(unpaired_offers()[:200], many=True).data)


class GuidesView(APIView):
    """For each family: what is done the first time, and what to look at when a device is not seen at all."""

    @extend_schema(operation_id="guides", responses=GuideSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(GuideSerializer(FAMILIES.values(), many=True).data)


class UnlinkedView(APIView):
    """Devices of the register that have no link yet."""

    @extend_schema(operation_id="unlinked_devices", responses=UnlinkedSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(UnlinkedSerializer(unlinked_devices()[:200], many=True).data)


class PairView(APIView):
    """Answers `pair_device`."""

    own_transactions = True

    @extend_schema(operation_id="pair_device", request=PairSerializer, responses={201: AddedSerializer})
    def post(self, request: Request) -> Response:
        body = PairSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(AddedSerializer(pair_device(**body.validated_data, by=signed_in(request))).data, status=201)


class FolderView(APIView):
    """Answers `add_folder`."""

    @extend_schema(operation_id="add_folder", request=FolderDeviceSerializer, responses={201: AddedSerializer})
    def post(self, request: Request) -> Response:
        body = FolderDeviceSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(AddedSerializer(add_folder(**body.validated_data, by=signed_in(request))).data, status=201)


class MeetView(APIView):
    """Answers `meet_sftp`."""

    own_transactions = True

    @extend_schema(operation_id="meet_sftp", request=MeetSerializer, responses=MetSerializer)
    def post(self, request: Request) -> Response:
        body = MeetSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        key, fingerprint = ports.devices().meet_sftp(**body.validated_data)
        return Response(MetSerializer({"host_key": key, "fingerprint": fingerprint}).data)


class SshKeyView(APIView):
    """This server's public key; the pair is made when somebody first wants it."""

    @extend_schema(operation_id="ssh_key", request=None, responses=SshKeySerializer)
    def post(self, request: Request) -> Response:
        return Response(SshKeySerializer(own_ssh_key()).data)


class SftpView(APIView):
    """Answers `add_sftp`."""

    own_transactions = True

    @extend_schema(operation_id="add_sftp", request=SftpSerializer, responses={201: AddedSerializer})
    def post(self, request: Request) -> Response:
        body = SftpSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = body.validated_data
        entry = {name: fields[name] for name in ("name", "holder", "team", "family", "registered")}
        return Response(AddedSerializer(add_sftp(body.place(fields), **entry, by=signed_in(request))).data, status=201)


class PairAgainView(APIView):
    """Answers `pair_again`."""

    own_transactions = True

    @extend_schema(operation_id="pair_again", request=CodeSerializer, responses=AddedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        body = CodeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(AddedSerializer(pair_again(device_by_id(id), code=body.validated_data["code"], by=signed_in(request))).data)


class UnpairView(APIView):
    """Answers `unpair_device`."""

    own_transactions = True

    @extend_schema(operation_id="unpair_device", request=None, responses=UnpairedSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        warning = unpair_device(device_by_id(id), by=signed_in(request))
        return Response(UnpairedSerializer({"told_device": warning}).data)
