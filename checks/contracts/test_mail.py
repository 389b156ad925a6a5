"""Mail through a real SMTP server, read back by Python's own `mailbox` and `email`."""

import mailbox
import tempfile
import time
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from unittest import TestCase

from django.core.mail import EmailMessage, get_connection

from standins.mailbox import Mailbox


class Mail(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.box = Mailbox(self.folder)
        self.port = self.box.listen(0)
        self.addCleanup(self.box.close)

    def send(self, subject: str, body: str, *, timeout: float = 5) -> None:
        backend = "django.core.mail.backends.smtp.EmailBackend"
        line = get_connection(backend, host="127.0.0.1", port=self.port, username="", password="", timeout=timeout, use_tls=False)
        letter = EmailMessage(subject, body, "old-attic@office.example", ["ines@office.example"], connection=line)
        letter.send()

    def test_what_was_said_arrives_whole(self) -> None:
        self.send("Küstenbüro: 31 von 35", "Nicht gesehen:\n- Orlo P4, Zoë\n.\nFrom here on, a line that begins like a separator")
        box = mailbox.mbox(self.folder / "mailbox.mbox")
        letter = message_from_bytes(box.get_bytes(box.keys()[0]), policy=default)
        self.assertEqual(letter["Subject"], "Küstenbüro: 31 von 35")
        body = letter.get_body(("plain",)).get_content()
        self.assertIn("Zoë\n.\n", body)
        self.assertIn("From here on", body)
        self.assertEqual(len(box), 1)

    def test_a_line_end_in_a_subject_opens_no_second_header(self) -> None:
        with self.assertRaises(ValueError):
            self.send("x\nBcc: all@office.example", "body")

    def test_a_server_that_hangs_is_left_and_one_that_refuses_is_told_apart(self) -> None:
        self.box.hangs = True
        began = time.monotonic()
        with self.assertRaises(OSError):
            self.send("x", "body", timeout=0.5)
        self.assertLess(time.monotonic() - began, 3)
        self.box.hangs, self.box.refuses = False, True
        with self.assertRaises(OSError) as caught:
            self.send("x", "body")
        self.assertIn("full", str(caught.exception))
