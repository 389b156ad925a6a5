"""Work on several things, on several threads or on none."""

from concurrent.futures import ThreadPoolExecutor
from threading import get_ident
from unittest import TestCase

from core.vault.parallel import InTurn, at_once, hands


class Hands(TestCase):
    def test_one_worker_is_the_callers_own_thread_and_several_are_not(self):
        with hands(1) as own, hands(2) as others:
            self.assertEqual(own.submit(get_ident).result(), get_ident())
            self.assertNotEqual(others.submit(get_ident).result(), get_ident())
            self.assertIsInstance(others, ThreadPoolExecutor)

    def test_what_goes_wrong_is_raised_where_the_result_is_asked_for(self):
        future = InTurn().submit(lambda: 1 // 0)
        with self.assertRaises(ZeroDivisionError):
            future.result()

    def test_what_ends_the_process_is_raised_at_once(self):
        def stopped() -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            InTurn().submit(stopped)

    def test_results_come_in_the_order_of_the_things(self):
        for workers in (1, 3):
            self.assertEqual(list(at_once(lambda n: n * n, range(7), workers)), [(n, n * n) for n in range(7)])
