"""Trying a place: one line of JSON a result, as it comes."""

import json
from collections.abc import Iterator
from dataclasses import asdict

from django.http import StreamingHttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.views import APIView

from core.vault.address import address_of
from core.vault.trial import Result, TrialStep
from server.api.permissions import May
from server.api.streaming import pieces_of
from server.people.signed_in import signed_in
from server.storage.actions.try_place import try_place
from server.storage.api.views import PlaceSerializer
from server.storage.convert import changed_address
from server.storage.queries import store_or_none


class TrialSerializer(PlaceSerializer):
    """What `try_place` is sent."""

    store = serializers.UUIDField(
        required=False, allow_null=True, default=None, help_text="When it is one already: what is left out stays."
    )


class TrialResultSerializer(serializers.Serializer):
    """One line of the answer."""

    step = serializers.ChoiceField(choices=[(step.value, step.value) for step in TrialStep])
    well = serializers.BooleanField()
    says = serializers.CharField()
    remedy = serializers.CharField(allow_blank=True)
    needed = serializers.BooleanField(help_text="Whether nothing can be kept there as long as this is not well.")
    lacks_right = serializers.BooleanField(help_text="Whether the key was refused: a right to ask the provider for.")


class TryPlaceView(APIView):
    """Answers `try_place`."""

    own_transactions = True
    writes = May.SET_UP

    @extend_schema(operation_id="try_place", request=TrialSerializer, responses={(200, "application/x-ndjson"): TrialResultSerializer})
    def post(self, request: Request) -> StreamingHttpResponse:
        body = TrialSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        data = dict(body.validated_data)
        of = store_or_none(data.pop("store"))
        settings = dict(data["address"]) | ({"path": data["path"]} if data["path"] else {})
        address = (changed_address(of, settings) if of else None) or address_of(data["medium"], settings)
        results = try_place(address, by=signed_in(request), of=of)
        return StreamingHttpResponse(pieces_of(_lines(results)), content_type="application/x-ndjson", headers={"Cache-Control": "no-store"})


def _lines(results: Iterator[Result]) -> Iterator[bytes]:
    for result in results:
        yield json.dumps(asdict(result)).encode() + b"\n"
