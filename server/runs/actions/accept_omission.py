"""Accept that something is left out, by its path or by its reason; or take that back. It stays counted and named."""

from django.db import transaction

from core.content.left_out import REASONS, reason_of
from core.errors import BadInput
from server import ports
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Omission, Run


@transaction.atomic
def accept_omission(run: Run, *, path: str, code: str, alike: bool, why: str, by: User) -> None:
    """`path`: this thing and everything below it; `code`: everything of the reason; both: what of the reason lies there.
    Raises BadInput when the run left nothing out that fits."""
    if not path and not code:
        raise BadInput("Nothing is chosen.", field="path", remedy="Choose something that was left out, or a reason.")
    if code and code not in REASONS:
        raise BadInput("There is no such reason.", field="code", remedy="Choose one of those that the run names.")
    fits = [one for one in run.skipped if (not path or one["name"].startswith(path)) and (not code or one.get("code") == code)]
    if not fits:
        raise BadInput("The run left out nothing of that kind.", field="path", remedy="Choose something that it names.")
    if not why.strip():
        raise BadInput("It needs a reason.", field="why", remedy="Say why it may be missing, for example “the app's own cache”.")
    now, device = ports.clock().now(), run.device
    omission = Omission.objects.create(device=device, alike=alike, path=path, code=code, why=why.strip()[:200], by=by, at=now)
    facts = {"device": device.name, "alike": alike, "path": path[:300], "reason": "" if path else reason_of(code), "why": omission.why}
    write_journal(who=by, what="omission.accepted", facts=facts, at=now, device=device.id)
    publish("run", str(run.id))
    publish("changed", "devices")


@transaction.atomic
def take_back_omission(omission: Omission, *, by: User) -> None:
    """From the next look on it counts again. Nothing happens when it was taken back already."""
    row, now = Omission.objects.select_for_update().get(id=omission.id), ports.clock().now()
    if row.ended_at is None:
        row.ended_at = now
        row.save(update_fields=["ended_at"])
        facts = {"device": omission.device.name, "path": row.path[:300] or reason_of(row.code)}
        write_journal(who=by, what="omission.taken_back", facts=facts, at=now, device=omission.device_id)
        publish("changed", "devices")
