"""Write down that a part which works by itself has just worked."""

from datetime import datetime

from server.runs.models import Beat


def beat(name: str, *, now: datetime) -> None:
    Beat.objects.bulk_create([Beat(name=name, at=now)], update_conflicts=True, unique_fields=["name"], update_fields=["at"])


def last_beat(name: str) -> datetime | None:
    """None when it never worked."""
    return Beat.objects.filter(name=name).values_list("at", flat=True).first()
