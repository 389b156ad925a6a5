"""The secret link under which a plan's dates can be subscribed to."""

import hashlib
from base64 import urlsafe_b64encode

from django.db import transaction

from server import ports
from server.people.actions.journal import write_journal
from server.people.models import User
from server.plans.models import Plan


def digest_of(secret: str) -> str:
    """What is kept of a secret; whoever reads the database cannot subscribe."""
    return hashlib.sha256(secret.encode()).hexdigest()


@transaction.atomic
def open_feed(plan: Plan, *, by: User) -> str:
    """A new secret, shown this once; an older one stops working."""
    secret = urlsafe_b64encode(ports.keys().random(24)).decode()
    Plan.objects.filter(id=plan.id).update(feed_digest=digest_of(secret))
    write_journal(who=by, what="feed.opened", facts={"plan": plan.name}, at=ports.clock().now())
    return secret


@transaction.atomic
def close_feed(plan: Plan, *, by: User) -> None:
    """The link stops working at once."""
    Plan.objects.filter(id=plan.id).update(feed_digest="")
    write_journal(who=by, what="feed.closed", facts={"plan": plan.name}, at=ports.clock().now())
