"""What of keeping and letting go needs a person: holds that nobody looked at for long, and requests to erase that cannot go on."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from server.oversight.cause import Cause
from server.retention.holding import LOOKED_AT_AGAIN, holds
from server.retention.models import Erasure, ErasureState, StepState

STUCK_AFTER = timedelta(days=3)


def causes_of_keeping(now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Two queries."""
    return [*_holds(now), *_erasures(now, zone)]


def _holds(now: datetime) -> list[Cause]:
    count = holds(unseen_since=now - LOOKED_AT_AGAIN).count()
    if not count:
        return []
    label = "Say whether they are still needed"
    return [Cause(code="holds_unseen", mark="odd", kind="holds_unseen", facts={"count": count}, step="holds", step_label=label)]


def _erasures(now: datetime, zone: ZoneInfo) -> list[Cause]:
    """Some days after they began, so that what passes by itself is no news."""
    began = now.astimezone(zone).date() - STUCK_AFTER
    open_ones = Erasure.objects.filter(state=ErasureState.UNDER_WAY, begins_on__lte=began, steps__state=StepState.WAITING).distinct()
    names = list(open_ones.values_list("reference", flat=True)[:3])
    if not names:
        return []
    label = "Look what is in the way"
    return [Cause(code="erasing_stuck", mark="odd", kind="erasing_stuck", facts={"names": names}, step="erasing", step_label=label)]
