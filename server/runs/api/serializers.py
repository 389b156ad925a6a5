"""Runs, backups and copies as the API shows them."""

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from core.content.kinds import KINDS
from server.runs.copies import COMING_CODES
from server.runs.history import stage_lengths
from server.runs.left_out import accepted_of, read_skipped
from server.runs.models import Backup, Copy, Run, RunState
from server.runs.queries import id_of_run_before
from server.runs.sentences import closing_sentence, stage_words


class KindProgressSerializer(serializers.Serializer):
    """A part of `RunProgressSerializer`."""

    kind = serializers.CharField()
    items = serializers.IntegerField()
    unchanged = serializers.IntegerField()
    read_items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    to_read_bytes = serializers.IntegerField()
    read_bytes = serializers.IntegerField()


class RunProgressSerializer(serializers.Serializer):
    """Empty before the run has begun."""

    stage = serializers.CharField(required=False)
    kind = serializers.CharField(required=False)
    says = serializers.CharField(required=False)
    read_bytes = serializers.IntegerField(required=False)
    to_read_bytes = serializers.IntegerField(required=False)
    stored_bytes = serializers.IntegerField(required=False)
    bytes_per_second = serializers.IntegerField(required=False)
    remaining_seconds = serializers.IntegerField(allow_null=True, required=False)
    remaining_least = serializers.IntegerField(allow_null=True, required=False)
    remaining_most = serializers.IntegerField(allow_null=True, required=False)
    read_items = serializers.IntegerField(required=False)
    to_read_items = serializers.IntegerField(required=False)
    kinds = KindProgressSerializer(many=True, required=False)


class RunSerializer(serializers.ModelSerializer):
    """One line of the history."""

    device_id = serializers.UUIDField()
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    plan_name = serializers.SerializerMethodField()
    store_name = serializers.CharField(source="store.name")
    state = serializers.ChoiceField(choices=RunState.choices)
    backup_id = serializers.SerializerMethodField()
    items = serializers.SerializerMethodField()
    size_bytes = serializers.SerializerMethodField()
    encrypted = serializers.SerializerMethodField()

    class Meta:
        model = Run
        fields: tuple[str, ...] = (
            "id", "device_id", "device_name", "holder", "plan_name", "store_name", "trigger", "note", "occasion",
            "state", "night", "planned_for",
            "asked_at", "started_at", "finished_at", "read_bytes", "stored_bytes", "cause", "remedy", "backup_id", "items", "size_bytes",
            "encrypted",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields

    def get_plan_name(self, run: Run) -> str:
        return run.plan.name if run.plan else ""

    @extend_schema_field(serializers.UUIDField(allow_null=True))
    def get_backup_id(self, run: Run) -> Any:
        return run.backup.id if hasattr(run, "backup") else None

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_items(self, run: Run) -> Any:
        return run.backup.items if hasattr(run, "backup") else None

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_size_bytes(self, run: Run) -> Any:
        return run.backup.size_bytes if hasattr(run, "backup") else None

    @extend_schema_field(serializers.BooleanField(allow_null=True))
    def get_encrypted(self, run: Run) -> Any:
        return run.backup.encrypted if hasattr(run, "backup") else None


class SkippedSerializer(serializers.Serializer):
    """Something that could not be taken."""

    kind = serializers.CharField()
    name = serializers.CharField()
    code = serializers.CharField(help_text="Of the reason; empty for runs of older versions.")
    reason = serializers.CharField()
    counts = serializers.BooleanField(help_text="Whether the backup is a partial one because of it: false once it is accepted.")


class LeftOutSerializer(serializers.Serializer):
    """Items that were left out on purpose."""

    kind = serializers.CharField()
    reason = serializers.CharField()
    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()


class StageSerializer(serializers.Serializer):
    """A part of `RunDetailSerializer`."""

    stage = serializers.CharField()
    says = serializers.CharField()
    at = serializers.DateTimeField()
    seconds = serializers.FloatField(allow_null=True, help_text="Empty while it lasts.")


class LogSerializer(serializers.Serializer):
    """A part of `RunDetailSerializer`."""

    at = serializers.DateTimeField()
    says = serializers.CharField()


class RunDetailSerializer(RunSerializer):
    """A run detail, as the API tells it."""

    says = serializers.SerializerMethodField()
    progress = RunProgressSerializer()
    skipped = serializers.SerializerMethodField()
    skipped_count = serializers.SerializerMethodField(help_text="Of them all; at most 1,000 are named.")
    left_out = LeftOutSerializer(many=True)
    log = LogSerializer(many=True)
    attempts = serializers.IntegerField()
    stop_asked = serializers.BooleanField()
    stages = serializers.SerializerMethodField()
    before_id = serializers.SerializerMethodField(help_text="The device's run before this one, to compare with.")
    fell_over_from = serializers.CharField(
        source="fell_over_from.name", default="", help_text="The store of its plan that could not take it; empty when that one took it."
    )

    class Meta(RunSerializer.Meta):
        fields: tuple[str, ...] = (
            "fell_over_from",
            *RunSerializer.Meta.fields, "says", "progress", "skipped", "skipped_count", "left_out", "hold_until", "log", "attempts",
            "stop_asked", "next_try_at", "gives_up_at", "expected_seconds", "worked_seconds", "stages", "before_id",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields

    def get_says(self, run: Run) -> str:
        return closing_sentence(run)

    @extend_schema_field(SkippedSerializer(many=True))
    def get_skipped(self, run: Run) -> Any:
        return read_skipped(run, accepted_of(run.device)) if run.skipped else []

    def get_skipped_count(self, run: Run) -> int:
        return run.skipped_count or len(run.skipped)

    @extend_schema_field(StageSerializer(many=True))
    def get_stages(self, run: Run) -> Any:
        lengths = stage_lengths(run)
        return [
            {"stage": stage, "says": stage_words(stage, ""), "at": at, "seconds": seconds}
            for stage, at, seconds in lengths
            if stage != "done"
        ]

    @extend_schema_field(serializers.UUIDField(allow_null=True))
    def get_before_id(self, run: Run) -> Any:
        return id_of_run_before(run)


class KindInBackupSerializer(serializers.Serializer):
    """A part of `BackupSerializer`."""

    kind = serializers.CharField()
    label = serializers.SerializerMethodField()  # type: ignore[assignment]
    items = serializers.IntegerField()
    size_bytes = serializers.IntegerField()
    newest_name = serializers.CharField()
    newest_at = serializers.DateTimeField(allow_null=True)

    def get_label(self, entry: dict[str, Any]) -> str:
        return KINDS[entry["kind"]].label


class CopySerializer(serializers.ModelSerializer):
    """A part of `BackupSerializer`."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField(source="store.name")

    class Meta:
        model = Copy
        fields: tuple[str, ...] = ("store_id", "store_name", "intact", "checked_at", "copied_at")
        read_only_fields: tuple[str, ...] = fields


class ComingSerializer(serializers.ModelSerializer):
    """Where it is to lie as well, and does not yet."""

    store_id = serializers.UUIDField()
    store_name = serializers.CharField(source="store.name")
    state = serializers.ChoiceField(choices=COMING_CODES)

    class Meta:
        model = Copy
        fields: tuple[str, ...] = ("store_id", "store_name", "state", "asked_at", "due_at", "cause")
        read_only_fields: tuple[str, ...] = fields


class BackupSerializer(serializers.ModelSerializer):
    """A backup, as the API tells it."""

    device_id = serializers.UUIDField()
    device_name = serializers.CharField(source="device.name")
    holder = serializers.CharField(source="device.holder.name")
    run_id = serializers.UUIDField(allow_null=True)
    kinds = KindInBackupSerializer(many=True)
    copies = CopySerializer(many=True, source="present")
    coming = ComingSerializer(many=True)

    class Meta:
        model = Backup
        fields: tuple[str, ...] = (
            "id", "device_id", "device_name", "holder", "run_id", "finished_at", "items", "size_bytes", "kinds", "family", "encrypted",
            "hold_reason", "hold_until", "occasion", "note", "imported_from", "in_doubt", "suspect", "os_version",
            "update_pending", "copies", "coming",
        )  # fmt: skip
        read_only_fields: tuple[str, ...] = fields
