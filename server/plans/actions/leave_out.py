"""Leave kinds out of a plan from its next runs on. Backups that were made stay what they are."""

from collections.abc import Collection

from django.db import transaction
from django.db.models import F

from core.content.kinds import KINDS
from core.content.scope import Reach, kinds_of
from core.units import listed
from server import ports
from server.jobs import defer_line_up
from server.people.actions.journal import write_journal
from server.people.models import User
from server.plans.models import Plan


@transaction.atomic
def leave_out(plan: Plan, kinds: Collection[str], *, why: str, by: User) -> Plan:
    """Raises BadInput when nothing would be left. What it does not take anyway changes nothing."""
    now = ports.clock().now()
    row = Plan.objects.select_for_update().get(id=plan.id)
    if row.reach == Reach.ONLY:
        reach, named = Reach.ONLY, [code for code in row.kinds if code not in kinds]
    else:
        before = set(row.kinds) if row.reach == Reach.ALL_BUT else set()
        reach, named = Reach.ALL_BUT, [code for code in KINDS if code in before | set(kinds)]
    kinds_of(reach, named)
    first = [code for code in row.first_kinds if code not in kinds]
    Plan.objects.filter(id=row.id).update(
        reach=reach, kinds=named, first_kinds=first, revision=F("revision") + 1, changed_at=now, changed_by=by
    )
    words = listed([KINDS[code].label.lower() for code in KINDS if code in kinds])
    write_journal(who=by, what="plan.leaves_out", facts={"name": row.name, "words": words, "why": why.strip()[:200]}, at=now)
    defer_line_up()
    return Plan.objects.get(id=row.id)
