"""Write down that a part which works by itself has just worked."""

from datetime import datetime

from server.runs.models import Heartbeat


def heartbeat(name: str, *, now: datetime) -> None:
    """A sign of life of a process, instead of its last one."""
    Heartbeat.objects.bulk_create([Heartbeat(name=name, at=now)], update_conflicts=True, unique_fields=["name"], update_fields=["at"])


def last_heartbeat(name: str) -> datetime | None:
    """None when it never worked."""
    return Heartbeat.objects.filter(name=name).values_list("at", flat=True).first()
