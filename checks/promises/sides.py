"""Several people and machines at once, on the real database: each in a thread and a connection of its own."""

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.db import connection
from django.test import TransactionTestCase, override_settings
from procrastinate.contrib.django.models import ProcrastinateJob

from server.tests.outside import PretendOutside
from server.tests.pretend import Furnished


@override_settings(
    ATTIC_OUTSIDE="server.tests.outside.waiting",
    PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"],
)
class Sides(Furnished, TransactionTestCase):
    """A furnished office whose transactions are real."""

    def setUp(self) -> None:
        super().setUp()
        self.begin(PretendOutside())
        self.furnish()

    def tearDown(self) -> None:
        ProcrastinateJob.objects.all().delete()  # its table is not one that Django empties
        super().tearDown()

    def aside(self, deed: Callable[[], Any]) -> Any:
        """What somebody else gets who does this at this very moment, on another connection. Raises what they get."""

        def alone() -> Any:
            try:
                return deed()
            finally:
                connection.close()

        with ThreadPoolExecutor(1) as other:
            return other.submit(alone).result(30)

    def begins(self, deed: Callable[[], Any]) -> "Going":
        """Let somebody else begin; it may have to wait for what goes on here."""
        return Going(deed)

    def at_once(self, *deeds: Callable[[], Any]) -> list[Any]:
        """Results or errors of deeds that begin at the same moment."""
        gate = threading.Barrier(len(deeds))

        def alone(deed: Callable[[], Any]) -> Any:
            try:
                gate.wait(20)
                return deed()
            except Exception as error:
                return error
            finally:
                connection.close()

        with ThreadPoolExecutor(len(deeds)) as others:
            return list(others.map(alone, deeds))


class Going:
    """Something that somebody else has begun."""

    def __init__(self, deed: Callable[[], Any]) -> None:
        self._hands = ThreadPoolExecutor(1)
        self._job = self._hands.submit(self._alone, deed)

    def _alone(self, deed: Callable[[], Any]) -> Any:
        try:
            return deed()
        finally:
            connection.close()

    def waits(self, seconds: float = 0.4) -> bool:
        """Whether it has not ended after so long."""
        try:
            self._job.result(seconds)
        except TimeoutError:
            return True
        except Exception:
            return False
        return False

    def ends(self) -> Any:
        """What came of it. Raises what it raised."""
        try:
            return self._job.result(30)
        finally:
            self._hands.shutdown()
