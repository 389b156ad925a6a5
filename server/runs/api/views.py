"""Runs: ask, watch, stop, look back; and the live line to the browser."""

import time
from collections.abc import AsyncIterator
from uuid import UUID

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.api.fields import DayField
from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.fleet.queries import device as device_by_id
from server.live import hub
from server.people.moments import moment_of
from server.people.sessions import still_signed_in
from server.people.signed_in import signed_in
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.check_store import ask_check
from server.runs.actions.copy_backup import ask_copy
from server.runs.actions.hold_backup import hold_backup, release_backup
from server.runs.actions.note_backup import MAX_CHARACTERS, note_backup
from server.runs.actions.settle_dates import settle_date
from server.runs.actions.stop_run import stop_run
from server.runs.api.serializers import RunDetailSerializer
from server.runs.models import Occasion
from server.runs.queries import backup as backup_by_id
from server.runs.queries import run as run_by_id
from server.storage.queries import store as store_by_id

SESSION_TOPIC = '{"topic":"session"'
ASK_SESSION_SECONDS = 5.0
"""Sessions also end by their age, of which nobody tells."""


class AskRunSerializer(serializers.Serializer):
    """A run for an occasion makes a backup on hold."""

    note = serializers.CharField(max_length=200, allow_blank=True, default="")
    occasion = serializers.ChoiceField(choices=Occasion.choices, allow_blank=True, default="")
    hold_until = DayField(allow_null=True, default=None)


class ReasonSerializer(serializers.Serializer):
    """What `hold_backup` is sent."""

    reason = serializers.CharField(max_length=200, allow_blank=True)
    until = DayField(allow_null=True, required=False, default=None)


class CheckSerializer(serializers.Serializer):
    """What `check_store` is sent."""

    percent = serializers.IntegerField(min_value=0, max_value=100)


class RunView(APIView):
    """Answers `run`."""

    @extend_schema(operation_id="run", responses=RunDetailSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return Response(RunDetailSerializer(run_by_id(id)).data)


class AskRunView(APIView):
    """Answers `ask_run`."""

    writes = May.RUN

    @extend_schema(operation_id="ask_run", request=AskRunSerializer, responses={201: RunDetailSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        body = AskRunSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        run = ask_run_by_hand(device_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(RunDetailSerializer(run_by_id(run.id)).data, status=201)


class StopRunView(APIView):
    """Answers `stop_run`."""

    writes = May.RUN

    @extend_schema(operation_id="stop_run", request=None, responses=RunDetailSerializer)
    def post(self, request: Request, id: UUID) -> Response:
        stop_run(run_by_id(id), by=signed_in(request))
        return Response(RunDetailSerializer(run_by_id(id)).data)


class HoldView(APIView):
    """Answers `hold_backup`, `release_backup`."""

    writes = May.KEEP

    @extend_schema(operation_id="hold_backup", request=ReasonSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = ReasonSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        hold_backup(backup_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)

    @extend_schema(operation_id="release_backup", request=None, responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        release_backup(backup_by_id(id), by=signed_in(request))
        return Response(status=204)


class NoteSerializer(ReadBefore):
    """What `note_backup` is sent."""

    note = serializers.CharField(max_length=MAX_CHARACTERS, allow_blank=True)


class NoteBackupView(APIView):
    """Answers `note_backup`."""

    writes = May.KEEP

    @extend_schema(operation_id="note_backup", request=NoteSerializer, responses={204: None})
    def put(self, request: Request, id: UUID) -> Response:
        body = NoteSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"note {id}", lambda: {"note": backup_by_id(id).note})
        note_backup(backup_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)


class DateSerializer(serializers.Serializer):
    """What `settle_date` is sent."""

    at = serializers.CharField(
        max_length=40, allow_null=True, help_text="When it was made, in the office's zone without an offset; empty when its date is right."
    )


class SettleDateView(APIView):
    """The date of a backup that was made while the server's clock was in doubt."""

    @extend_schema(operation_id="settle_date", request=DateSerializer, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = DateSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        at = body.validated_data["at"]
        settle_date(backup_by_id(id), at=moment_of(at, field="at") if at else None, by=signed_in(request))
        return Response(status=204)


class CopyToSerializer(serializers.Serializer):
    """What `copy_backup` is sent."""

    store = serializers.UUIDField()


class CopyBackupView(APIView):
    """Puts a copy into a second store into the queue."""

    writes = May.KEEP

    @extend_schema(operation_id="copy_backup", request=CopyToSerializer, responses={202: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = CopyToSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        ask_copy(backup_by_id(id), store_by_id(body.validated_data["store"]), by=signed_in(request))
        return Response(status=202)


class CheckStoreView(APIView):
    """Puts a check into the queue; what it found is shown with the store."""

    writes = May.KEEP

    @extend_schema(operation_id="check_store", request=CheckSerializer, responses={202: None})
    def post(self, request: Request, id: UUID) -> Response:
        body = CheckSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        ask_check(store_by_id(id), percent=body.validated_data["percent"], by=signed_in(request))
        return Response(status=202)


async def live(request: HttpRequest) -> HttpResponseBase:
    """Server-sent events: `{topic, id, state}` for everything that changes. For anybody who is signed in, and as long as they are."""
    user = await request.auser()
    if not user.is_authenticated:
        return HttpResponse(status=401)
    key = request.session.session_key or ""

    async def lines() -> AsyncIterator[bytes]:
        yield b"retry: 1500\n\n"
        asked_at = time.monotonic()
        async for event in hub.events():
            if SESSION_TOPIC in event or time.monotonic() - asked_at >= ASK_SESSION_SECONDS:
                asked_at = time.monotonic()
                if not await still_signed_in(key):
                    return
            if SESSION_TOPIC not in event:
                yield f"data: {event}\n\n".encode() if event else b": still here\n\n"

    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingHttpResponse(lines(), content_type="text/event-stream", headers=headers)
