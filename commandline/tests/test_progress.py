"""Progress: a bar on a terminal, lines elsewhere, never on standard output."""

import contextlib
import errno
import io
import os
import pty
import sys
from unittest import TestCase, mock

from commandline.progress import Meter


def everything(terminal: int) -> str:
    """What was written to the other side of a terminal that has been closed: as many reads as that takes."""
    pieces = []
    try:
        while piece := os.read(terminal, 100_000):
            pieces.append(piece)
    except OSError as error:
        if error.errno != errno.EIO:  # how Linux says that the other side is closed and nothing is left
            raise
    finally:
        os.close(terminal)
    return b"".join(pieces).decode()


class OnATerminal(TestCase):
    def test_a_bar_with_what_how_much_and_the_end(self):
        ours, theirs = pty.openpty()
        with os.fdopen(theirs, "w") as terminal, mock.patch.object(sys, "stderr", terminal):
            meter = Meter("Backing up")
            for done in (0, 30 << 20, 60 << 20):
                meter(done, 60 << 20)
            meter.close()
            terminal.flush()
        shown = everything(ours)
        self.assertIn("Backing up", shown)
        self.assertIn("100%", shown)
        self.assertIn("60.0M", shown)


class Elsewhere(TestCase):
    def shown(self, seconds: list[float]) -> str:
        errors = io.StringIO()
        with mock.patch("time.monotonic", side_effect=seconds + [seconds[-1]] * 20), contextlib.redirect_stderr(errors):
            meter = Meter("Copying")
            for done in (10, 20, 30):
                meter(done << 20, 40 << 20)
            meter.close()
        return errors.getvalue()

    def test_a_line_every_few_seconds_and_none_for_what_is_quick(self):
        self.assertEqual(self.shown([0.0, 1.0, 2.0, 3.0]), "")
        self.assertEqual(self.shown([0.0, 6.0, 6.0, 7.0, 12.0, 12.0]), "Copying: 10 MiB of 40 MiB, 25 %\nCopying: 30 MiB of 40 MiB, 75 %\n")

    def test_nothing_to_do_shows_nothing(self):
        errors = io.StringIO()
        with contextlib.redirect_stderr(errors):
            Meter("Checking")(0, 0)
        self.assertEqual(errors.getvalue(), "")
