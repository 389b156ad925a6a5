"""Django's test runner on machines of any speed: property tests are judged by what they find, not by how long a draw takes."""

from typing import Any

from django.test.runner import DiscoverRunner
from hypothesis import HealthCheck, settings


class Runner(DiscoverRunner):
    """See the module."""

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        # on a busy machine the first draw of a text, which builds tables, takes longer than the limit of a second
        settings.register_profile(
            "any speed",
            settings.get_profile(settings.get_current_profile_name()),
            deadline=None,
            suppress_health_check=[HealthCheck.too_slow],
        )
        settings.load_profile("any speed")
