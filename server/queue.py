"""Put a job into the queue unless one of its name waits there already."""

from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued


def defer_once(name: str, *, queue: str, **told: Any) -> bool:
    """Whether it was put there; a waiting one will do the same work."""
    try:
        with transaction.atomic():
            app.configure_task(name, queue=queue, queueing_lock=name).defer(**told)
    except AlreadyEnqueued:
        return False
    return True
