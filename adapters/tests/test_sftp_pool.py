"""Which of the sessions that wait is used again: without a server, whose answers are played here."""

from typing import Any
from unittest import TestCase, mock

from adapters.links.sftp_session import Sftp
from adapters.stores.sftp_pool import _IDLE_SECONDS, SftpPool
from core.vault.errors import BlobMissing, StoreUnreachable

WHERE = Sftp(host="attic.example", port=22, username="attic", password="x", private_key="", folder="/", host_key="")


class Played:
    """A session that lives until it is closed, and answers while it is told to."""

    root = "/"

    def __init__(self, *arguments: Any, **options: Any) -> None:
        self.alive, self.answers, self.asked = True, True, 0

    def facts_at(self, path: str) -> None:
        self.asked += 1
        if not self.answers:
            raise EOFError

    def close(self) -> None:
        self.alive = False


class Waiting(TestCase):
    def setUp(self) -> None:
        self.now = 100.0
        self.enterContext(mock.patch("adapters.stores.sftp_pool.Session", Played))
        self.enterContext(mock.patch("adapters.stores.sftp_pool.time.monotonic", lambda: self.now))
        self.pool = SftpPool(WHERE, most=2, timeout_seconds=1)

    def once(self) -> Any:
        with self.pool.session() as session:
            return session

    def test_one_that_waited_shortly_is_used_again_unasked(self):
        first = self.once()
        self.now += _IDLE_SECONDS - 0.1
        self.assertIs(self.once(), first)
        self.assertEqual(first.asked, 0)  # type: ignore[attr-defined]

    def test_one_that_waited_long_is_asked_first_and_replaced_where_it_is_silent(self):
        first = self.once()
        self.now += _IDLE_SECONDS
        self.assertIs(self.once(), first)
        self.assertEqual(first.asked, 1)  # type: ignore[attr-defined]
        self.now += _IDLE_SECONDS
        first.answers = False  # type: ignore[attr-defined]
        self.assertIsNot(self.once(), first)
        self.assertFalse(first.alive)

    def test_one_that_ended_is_not_used_again(self):
        first = self.once()
        first.close()
        self.assertIsNot(self.once(), first)

    def test_it_outlives_what_a_store_says_and_not_a_line_that_broke(self):
        for error, outlives in ((BlobMissing("gone"), True), (StoreUnreachable("cut"), False)):
            with self.assertRaises(type(error)), self.pool.session() as session:
                raise error
            self.assertEqual((session.alive, self.once() is session), (outlives, outlives))

    def test_two_threads_have_one_each(self):
        with self.pool.session() as one, self.pool.session() as other:
            self.assertIsNot(one, other)
