"""The machine's counter, the kernel's flag, and the date in a mail server's greeting."""

import socket
import subprocess
import threading
import time
from datetime import UTC, datetime
from typing import Any
from unittest import TestCase, mock

from adapters.clocks.machine import synchronised, ticks
from adapters.clocks.mail import date_in, mail_date


class TheMachine(TestCase):
    def test_the_counter_goes_on_and_says_which_start_it_counts_from(self):
        first = ticks()
        time.sleep(0.02)
        second = ticks()
        self.assertGreaterEqual(second.seconds - first.seconds, 0.02)
        self.assertEqual((first.boot, len(first.boot)), (second.boot, 36))
        with open("/proc/uptime") as file:
            self.assertLess(abs(float(file.read().split()[0]) - second.seconds), 5)

    def test_the_kernels_flag_is_what_another_program_reads(self):
        """`timedatectl` and `adjtimex` read the same flag; where neither is there, only its type can be looked at."""
        shown = (
            subprocess.run(["timedatectl", "show", "-p", "NTPSynchronized"], capture_output=True, text=True, check=False)
            if _there()
            else None
        )
        if shown is not None and shown.returncode == 0:
            self.assertEqual(synchronised(), shown.stdout.strip() == "NTPSynchronized=yes")
        self.assertIn(synchronised(), (True, False, None))

    def test_what_the_kernel_says_is_read_as_its_manual_has_it(self):
        """`man 2 adjtimex`: STA_UNSYNC is 0x0040, TIME_ERROR is 5, -1 is an error."""
        for state, status, expected in ((0, 0, True), (0, 0x40, False), (0, 0x2001, True), (5, 0, False), (5, 0x40, False), (-1, 0, None)):
            with self.subTest(state=state, status=status), mock.patch("adapters.clocks.machine.ctypes.CDLL", Kernel(state, status)):
                self.assertIs(synchronised(), expected)
        with mock.patch("adapters.clocks.machine.ctypes.CDLL", side_effect=OSError("no C library")):
            self.assertIsNone(synchronised())


class Kernel:
    """A C library whose kernel says this."""

    def __init__(self, state: int, status: int) -> None:
        self._state, self._status = state, status

    def __call__(self, name: None, use_errno: bool) -> "Kernel":
        return self

    def adjtimex(self, timex: Any) -> int:
        timex._obj.status = self._status
        return self._state


def _there() -> bool:
    return subprocess.run(["which", "timedatectl"], capture_output=True, check=False).returncode == 0


class AMailServersGreeting(TestCase):
    def greeted(self, greeting: bytes, *, timeout: float = 2) -> datetime | None:
        with socket.create_server(("127.0.0.1", 0)) as server:

            def serve() -> None:
                line, _ = server.accept()
                with line:
                    if greeting:
                        line.sendall(greeting)
                    line.settimeout(3)
                    try:
                        line.recv(100)
                    except OSError:
                        return

            threading.Thread(target=serve, daemon=True).start()
            return mail_date("127.0.0.1", server.getsockname()[1], timeout_seconds=timeout)

    def test_a_date_of_rfc_5322_is_read_with_its_zone(self):
        # the date of RFC 5322, appendix A.1.1, typed from memory
        self.assertEqual(
            date_in(b"220 mail ESMTP ready; Fri, 21 Nov 1997 09:55:06 -0600\r\n"), datetime(1997, 11, 21, 15, 55, 6, tzinfo=UTC)
        )
        self.assertEqual(self.greeted(b"220 x ESMTP Thu,  5 Nov 2026 08:00:00 +0100\r\n"), datetime(2026, 11, 5, 7, tzinfo=UTC))

    def test_no_date_nonsense_silence_and_nobody_say_nothing(self):
        for greeting in (
            b"220 mail ESMTP ready\r\n",
            b"Fri, 99 Nov 1997 99:55:06 -0600",
            b"\xff" * 5000,
            b"Mon, 31 Feb 2026 08:00:00 +0100",
        ):
            self.assertIsNone(date_in(greeting), greeting[:30])
        self.assertIsNone(self.greeted(b"", timeout=0.3))
        self.assertIsNone(mail_date("127.0.0.1", 9))
