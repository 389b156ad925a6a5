"""The history of runs: what is filtered, what it adds up to, and how two runs differ."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Avg, Count, Q, QuerySet, Sum

from core.content.kinds import KINDS
from server.fleet.models import Device
from server.fleet.queries import matching
from server.runs.models import ACTIVE, CAME, Run
from server.runs.queries import runs

STRAIGHT = {
    "device": "device", "holder": "device__holder", "team": "device__team", "plan": "plan",
    "store": "store", "night": "night", "state": "state",
    "cause": "cause_code", "trigger": "trigger", "first": "night__gte", "last": "night__lte", "at_least_bytes": "stored_bytes__gte",
    "at_most_bytes": "stored_bytes__lte",
}  # fmt: skip
"""Name of a filter → column."""
OUTCOMES = {"came": Q(state__in=CAME), "did_not": ~Q(state__in=[*CAME, *ACTIVE]), "active": Q(state__in=ACTIVE)}


def filtered(wanted: Mapping[str, Any]) -> QuerySet[Run]:
    """Runs that fit, newest first. Unknown names are passed over; empty values filter nothing."""
    rows = runs().filter(**{STRAIGHT[name]: value for name, value in wanted.items() if name in STRAIGHT and value not in (None, "")})
    if wanted.get("outcome"):
        rows = rows.filter(OUTCOMES[wanted["outcome"]])
    if wanted.get("words"):
        rows = rows.filter(device__in=matching(Device.objects.all(), wanted["words"]))
    return rows


@dataclass(frozen=True, slots=True, kw_only=True)
class Totals:
    """Of everything that is filtered, not of a page."""

    runs: int
    came: int
    did_not: int
    read_bytes: int
    stored_bytes: int
    average_seconds: float | None


def totals(runs: QuerySet[Run]) -> Totals:
    """One query."""
    row = runs.order_by().aggregate(
        runs=Count("id"), came=Count("id", filter=OUTCOMES["came"]), did_not=Count("id", filter=OUTCOMES["did_not"]),
        read_bytes=Sum("read_bytes"), stored_bytes=Sum("stored_bytes"), average_seconds=Avg("worked_seconds"),
    )  # fmt: skip
    return Totals(**row | {"read_bytes": row["read_bytes"] or 0, "stored_bytes": row["stored_bytes"] or 0})


@dataclass(frozen=True, slots=True, kw_only=True)
class KindDifference:
    """One kind in two runs; None where a run has no backup of it."""

    kind: str
    label: str
    items: tuple[int | None, int | None]
    size_bytes: tuple[int | None, int | None]


def compared(one: Run, two: Run) -> list[KindDifference]:
    """Kind by kind, in the order of the table of kinds."""
    sides = [{entry["kind"]: entry for entry in (run.backup.kinds if hasattr(run, "backup") else [])} for run in (one, two)]
    stages = []
    for code in [code for code in KINDS if code in sides[0] or code in sides[1]]:
        entries = [side.get(code) for side in sides]
        items = tuple(entry["items"] if entry else None for entry in entries)
        sizes = tuple(entry["size_bytes"] if entry else None for entry in entries)
        stages.append(KindDifference(kind=code, label=KINDS[code].label, items=items, size_bytes=sizes))  # type: ignore[arg-type]
    return stages


def stage_lengths(run: Run) -> list[tuple[str, datetime, float | None]]:
    """(stage, when it was entered, seconds until the next one) of the last attempt."""
    entered = [(entry["stage"], datetime.fromisoformat(entry["at"])) for entry in run.stages]
    if not entered:
        return []
    ends = [at for _, at in entered[1:]] + [run.finished_at]
    return [
        (stage, at, None if end is None else max(0.0, (end - at).total_seconds())) for (stage, at), end in zip(entered, ends, strict=True)
    ]
