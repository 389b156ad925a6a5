"""Say that nothing leaves, and take that back. It holds from this moment on, for what is leaving already as well."""

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import Team, User
from server.retention.models import Freeze
from server.storage.models import Store
from server.transition import held


def words_of(freeze: Freeze) -> str:
    """Of what nothing leaves: `the office`, `Server room`, `Shore Crew's devices`."""
    if freeze.store is not None:
        return freeze.store.name
    return f"{freeze.team.name}’s devices" if freeze.team is not None else "the office"


@transaction.atomic
def freeze(*, reason: str, by: User, store: Store | None = None, team: Team | None = None) -> Freeze:
    """Of the office, when neither is given. Raises BadInput, Conflict."""
    if not reason.strip():
        raise BadInput("This needs a reason.", field="reason", remedy="Say why nothing may leave: whoever lifts it has to know.")
    if store is not None and team is not None:
        raise BadInput("Of a store or of a team, not of both.", field="store", remedy="Choose one; say it twice for both.")
    lock_alone("freeze")
    if Freeze.objects.filter(store=store, team=team, ended_at=None).exists():
        raise Conflict("Nothing leaves there already.", remedy="Lift what holds before you say it anew.")
    now = ports.clock().now()
    row = Freeze.objects.create(store=store, team=team, reason=reason.strip()[:200], by=by, at=now)
    write_journal(
        who=by, what="retention.frozen", facts={"what": words_of(row), "reason": row.reason}, at=now, store=store.id if store else None
    )
    publish("changed", "freezes")
    return row


@transaction.atomic
def lift(freeze: Freeze, *, why: str, by: User) -> None:
    """The rules go on where they stopped, each with its undo period. Raises BadInput, Conflict."""
    if not why.strip():
        raise BadInput("Lifting it needs a reason.", field="why", remedy="Say why things may leave again.")
    row = held(Freeze, freeze.id, "store", "team")
    if row.ended_at is not None:
        raise Conflict("It was lifted already.", remedy="Load the page again.")
    row.ended_at, row.ended_by, row.ended_why = ports.clock().now(), by, why.strip()[:200]
    row.save(update_fields=["ended_at", "ended_by", "ended_why"])
    write_journal(
        who=by, what="retention.lifted", facts={"what": words_of(row), "ended_why": row.ended_why}, at=row.ended_at, store=row.store_id
    )
    publish("changed", "freezes")
