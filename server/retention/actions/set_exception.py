"""Make an exception from the plans' rules, change it, or end it. Nothing leaves by it that was not shown."""

from typing import Any

from django.db import transaction

from server import ports
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import User
from server.plans.actions.rule_versions import note_version
from server.retention.consequences import agreed
from server.retention.exceptions import Whose, checked, consequences_of


@transaction.atomic
def set_exception(of: Whose, rule: dict[str, Any] | None, *, by: User, seen: str = "", word: str = "", why: str = "") -> None:
    """Nothing happens when it says what it said. Raises BadInput, Unseen."""
    lock_alone("rules")
    now, rule = ports.clock().now(), checked(rule)
    agreed(consequences_of(of, rule, now=now), seen=seen, word=word)
    row = note_version(rule, by=by, now=now, why=why, **of.rows())
    if row is not None:
        facts = {"of": of.words, "number": None if rule is None else row.number, "why": why.strip()[:200]}
        write_journal(who=by, what="rule.exception", facts=facts, at=now, device=row.device_id, store=row.store_id)
        publish("changed", "devices")
