"""Is everything up? Database, migrations, workers, the devices' network, the front end."""

from datetime import datetime, timedelta

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.utils import timezone

from core.content.errors import LinkError
from server import ports
from server.oversight.causes import SILENT_AFTER
from server.people.clock import clock_state, clock_words
from server.runs.models import Heartbeat

BEATS = {
    "scheduler": (SILENT_AFTER, "The scheduler has stopped: nothing starts by itself until it works again."),
    "watch": (timedelta(minutes=5), "Nobody looks after the office: what goes wrong is not told."),
    "maintenance": (timedelta(minutes=10), "Nobody looks after the stores: no rule is applied, no room comes back."),
}
"""Name → (longest silence, what it means)."""
HEARTBEAT_SECONDS = 40
"""Workers give a sign every ten seconds."""


def troubles(*, workers: bool = True) -> list[str]:
    """What is not up, in plain words; nothing when all is well."""
    sentences: list[str] = []
    try:
        executor = MigrationExecutor(connection)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            sentences.append("The database is not migrated: run ./attic manage migrate.")
        elif workers:
            sentences += _workers()
    except DatabaseError:
        sentences.append("The database does not answer: see the log of PostgreSQL in the data folder.")
    if not (settings.WEB_DIST / "index.html").is_file():
        sentences.append("The front end is not built: run ./attic start.")
    if workers and settings.ATTIC_ENV.announcements_url:
        try:
            ports.devices().offers()
        except LinkError as error:
            sentences.append(f"{error.message} {error.remedy}")
    return sentences


def silences(*, now: datetime) -> list[str]:
    """Parts that work by themselves and have given no sign for too long. A part that has never worked is not silent yet."""
    try:
        held = dict(Heartbeat.objects.values_list("name", "at"))
    except DatabaseError:
        return []  # `troubles` has said so
    return [says for name, (limit, says) in BEATS.items() if name in held and now - held[name] > limit]


def doubts() -> list[str]:
    """What makes that nothing is removed until somebody looks."""
    try:
        state = clock_state()
    except DatabaseError:
        return []  # `troubles` has said so
    key = ports.keys().key_state()
    sentences = [f"Nothing runs: {key.trouble} {key.remedy}"] if key.trouble else []
    if state is not None and state.doubt_since:
        sentences.append(f"{clock_words(state)}: nothing is removed until that is settled.")
    return sentences


def _workers() -> list[str]:
    with connection.cursor() as cursor:
        since = timezone.now() - timedelta(seconds=HEARTBEAT_SECONDS)
        cursor.execute("select count(*) from procrastinate_workers where last_heartbeat > %s", [since])
        count = cursor.fetchone()[0]
    return [] if count else ["No worker is running: nothing is backed up until one is."]
