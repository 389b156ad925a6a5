"""Where the server's key lies, and what a thief of the disk gets."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.permissions import May


class ServerKeySerializer(serializers.Serializer):
    """What `server_key` answers."""

    kind = serializers.ChoiceField(choices=[(kind, kind) for kind in ("beside", "medium", "credential", "typed")])
    where = serializers.CharField()
    thief = serializers.CharField(help_text="What somebody gets who carries the disk away.")
    fingerprint = serializers.CharField(allow_blank=True)
    trouble = serializers.CharField(allow_blank=True)
    remedy = serializers.CharField(allow_blank=True)


class ServerKeyView(APIView):
    """Answers `server_key`."""

    reads = May.SEE_KEYS

    @extend_schema(operation_id="server_key", responses=ServerKeySerializer)
    def get(self, request: Request) -> Response:
        return Response(ServerKeySerializer(ports.keys().key_state()).data)
