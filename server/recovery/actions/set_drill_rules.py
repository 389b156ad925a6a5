"""Say how the office drills by itself."""

from django.db import transaction

from core.errors import BadInput
from core.units import iec
from server import ports
from server.people.actions.journal import write_journal
from server.people.models import User
from server.recovery.models import DrillRules

MOST_A_DAY, MOST_MINUTES, MOST_DAYS = 50, 600, 1000
LEAST_BYTES, SLOWEST = 16 << 20, 16 * 1024


@transaction.atomic
def set_drill_rules(
    *, a_day: int, most_minutes: int, most_bytes: int, limit_bytes_per_second: int | None, wanted_days: int | None, by: User
) -> DrillRules:
    """Raises BadInput."""
    if not 0 <= a_day <= MOST_A_DAY:
        raise BadInput("That many drills a day are not possible.", field="a_day", remedy=f"Use a number from 0 to {MOST_A_DAY}.")
    if not 1 <= most_minutes <= MOST_MINUTES:
        raise BadInput("A drill cannot take that long.", field="most_minutes", remedy=f"Use a number of minutes from 1 to {MOST_MINUTES}.")
    if most_bytes < LEAST_BYTES:
        raise BadInput("That proves next to nothing.", field="most_bytes", remedy=f"Use at least {iec(LEAST_BYTES)}.")
    if limit_bytes_per_second is not None and limit_bytes_per_second < SLOWEST:
        remedy = "Use at least 16 KiB a second, or leave it empty."
        raise BadInput("No drill would ever end at that speed.", field="limit_bytes_per_second", remedy=remedy)
    if wanted_days is not None and not 1 <= wanted_days <= MOST_DAYS:
        remedy = f"Use a number of days from 1 to {MOST_DAYS}, or leave it empty."
        raise BadInput("No device can be proven in that time.", field="wanted_days", remedy=remedy)
    row, _ = DrillRules.objects.select_for_update().get_or_create(id=1)
    row.a_day, row.most_minutes, row.most_bytes = a_day, most_minutes, most_bytes
    row.limit_bytes_per_second, row.wanted_days = limit_bytes_per_second, wanted_days
    row.save(update_fields=["a_day", "most_minutes", "most_bytes", "limit_bytes_per_second", "wanted_days"])
    facts = {"a_day": a_day, "most_minutes": most_minutes, "size": iec(most_bytes)}
    write_journal(who=by, what="drill.rules", way="" if a_day else "none", facts=facts, at=ports.clock().now())
    return row
