"""The history: filters, totals, exports, and two runs side by side."""

import json
from collections.abc import AsyncIterator, Iterator
from typing import Any, cast
from uuid import UUID

from asgiref.sync import sync_to_async
from django.core.paginator import Paginator
from django.db.models import QuerySet
from django.http import StreamingHttpResponse
from django.utils.functional import cached_property
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from core.exchange.tables import csv_line
from server.api.fields import BytesField, DayField
from server.api.paging import Pages
from server.runs.api.serializers import RunSerializer
from server.runs.history import OUTCOMES, compared, filtered, totals
from server.runs.models import Run, RunState, Trigger
from server.runs.queries import known_causes
from server.runs.queries import run as run_by_id

EXPORTED = 200_000
COUNTED = 10_000
BATCH = 500
COLUMNS = (
    "id", "night", "device_name", "holder", "plan_name", "store_name", "trigger", "state", "planned_for", "asked_at", "started_at",
    "finished_at", "read_bytes", "stored_bytes", "items", "size_bytes", "encrypted", "cause_code", "cause", "occasion", "note",
)  # fmt: skip


class RunFilter(serializers.Serializer):
    """Filters of the history."""

    device = serializers.UUIDField(required=False)
    holder = serializers.IntegerField(required=False)
    team = serializers.IntegerField(required=False)
    plan = serializers.UUIDField(required=False)
    store = serializers.UUIDField(required=False)
    night = DayField(required=False)
    first = DayField(required=False, help_text="First night.")
    last = DayField(required=False, help_text="Last night.")
    state = serializers.ChoiceField(choices=RunState.choices, required=False)
    outcome = serializers.ChoiceField(choices=list(OUTCOMES), required=False)
    trigger = serializers.ChoiceField(choices=Trigger.choices, required=False)
    cause = serializers.CharField(required=False, max_length=60)
    at_least_bytes = BytesField(required=False, min_value=0, help_text="New in the store.")
    at_most_bytes = BytesField(required=False, min_value=0)
    words = serializers.CharField(required=False, max_length=200)


class TotalsSerializer(serializers.Serializer):
    """What `run_totals` answers."""

    runs = serializers.IntegerField()
    came = serializers.IntegerField()
    did_not = serializers.IntegerField()
    read_bytes = serializers.IntegerField()
    stored_bytes = serializers.IntegerField()
    average_seconds = serializers.FloatField(allow_null=True)


class KnownCauseSerializer(serializers.Serializer):
    """What `run_causes` answers."""

    code = serializers.CharField()
    says = serializers.CharField(help_text="What a run said that ended with it.")
    runs = serializers.IntegerField()


class DifferenceSerializer(serializers.Serializer):
    """A part of `ComparedSerializer`."""

    kind = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    items = serializers.ListField(child=serializers.IntegerField(allow_null=True))
    size_bytes = serializers.ListField(child=serializers.IntegerField(allow_null=True))


class ComparedSerializer(serializers.Serializer):
    """What `compare_runs` answers."""

    one = RunSerializer()
    two = RunSerializer()
    kinds = DifferenceSerializer(many=True)


def _wanted(request: Request) -> dict[str, Any]:
    query = RunFilter(data=request.query_params)
    query.is_valid(raise_exception=True)
    return dict(query.validated_data)


class BoundedPaginator(Paginator):
    """Counts no further than anybody turns pages; who wants older rows filters."""

    @cached_property
    def count(self) -> int:
        """No further than anybody turns pages."""
        rows = cast("QuerySet[Any]", self.object_list)
        return int(rows.order_by()[: COUNTED + 1].count())


class RunPages(Pages):
    """Pages of a history that has no end."""

    django_paginator_class = BoundedPaginator


class RunsView(generics.ListAPIView):
    """A count of 10,001 means: more than 10,000."""

    serializer_class = RunSerializer
    pagination_class = RunPages

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return filtered(_wanted(self.request))

    @extend_schema(operation_id="runs", parameters=[RunFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)


class TotalsView(APIView):
    """Answers `run_totals`."""

    @extend_schema(operation_id="run_totals", parameters=[RunFilter], responses=TotalsSerializer)
    def get(self, request: Request) -> Response:
        return Response(TotalsSerializer(totals(filtered(_wanted(request)))).data)


class CausesView(APIView):
    """Causes that runs of the last year ended with, the commonest first."""

    @extend_schema(operation_id="run_causes", responses=KnownCauseSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(KnownCauseSerializer(known_causes(), many=True).data)


class CompareView(APIView):
    """Answers `compare_runs`."""

    @extend_schema(operation_id="compare_runs", parameters=[], responses=ComparedSerializer)
    def get(self, request: Request, one: UUID, two: UUID) -> Response:
        first, second = run_by_id(one), run_by_id(two)
        return Response(ComparedSerializer({"one": first, "two": second, "kinds": compared(first, second)}).data)


class ExportView(APIView):
    """What is filtered, as CSV (RFC 4180) or JSON lines in one array; streamed, the newest 200,000."""

    @extend_schema(
        operation_id="export_runs",
        parameters=[RunFilter],
        responses={(200, "text/csv"): OpenApiTypes.STR, (200, "application/json"): OpenApiTypes.STR},
    )
    def get(self, request: Request, kind: str) -> StreamingHttpResponse:
        rows = filtered(_wanted(request))[:EXPORTED]
        pieces = _csv(rows) if kind == "csv" else _json(rows)
        headers = {"Content-Disposition": f'attachment; filename="runs.{kind}"'}
        return StreamingHttpResponse(
            _async(pieces), content_type="text/csv; charset=utf-8" if kind == "csv" else "application/json", headers=headers
        )


def _rows(runs: QuerySet[Run]) -> Iterator[dict[str, Any]]:
    for row in runs.iterator(chunk_size=BATCH):
        yield dict(RunSerializer(row).data) | {"cause_code": row.cause_code}


def _csv(runs: QuerySet[Run]) -> Iterator[str]:
    yield csv_line(COLUMNS)
    for row in _rows(runs):
        yield csv_line(["" if row[name] is None else str(row[name]) for name in COLUMNS])


def _json(runs: QuerySet[Run]) -> Iterator[str]:
    mark = "["
    for row in _rows(runs):
        yield mark + json.dumps({name: row[name] for name in COLUMNS}, default=str)
        mark = ",\n"
    yield "[]" if mark == "[" else "]"


async def _async(pieces: Iterator[str]) -> AsyncIterator[bytes]:
    """Batches of rows, each read in a thread, so that a long export neither fills memory nor holds up others."""

    def batch() -> bytes:
        held: list[str] = []
        for piece in pieces:
            held.append(piece)
            if len(held) >= BATCH:
                break
        return "".join(held).encode()

    while data := await sync_to_async(batch, thread_sensitive=True)():
        yield data
