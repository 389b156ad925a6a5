"""Start-up checks: a wrong set-up is named with its remedy before anything runs."""

import os
from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error, register

LOOPBACK = ("http://127.0.0.1", "http://localhost", "http://[::1]")


@register()
def set_up(app_configs: Any, **more: Any) -> list[CheckMessage]:
    """Django's own check: what is wrong with this installation, each with its remedy."""
    messages: list[CheckMessage] = []
    env = settings.ATTIC_ENV
    if env.production and env.announcements_url.startswith(LOOPBACK):
        messages.append(Error("Stand-ins are configured in production.", hint="Unset ATTIC_ANNOUNCEMENTS_URL.", id="attic.E001"))
    if not os.access(env.data, os.W_OK):
        messages.append(Error(f"The data folder {env.data} cannot be written.", hint="Correct ATTIC_DATA or its owner.", id="attic.E002"))
    if not 1 <= env.tick_seconds <= 59:
        messages.append(Error("ATTIC_TICK_SECONDS must lie between 1 and 59.", hint="Leave it unset for 10.", id="attic.E003"))
    return messages
