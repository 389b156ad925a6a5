"""A mail server that keeps what it is given, readable on a page; and an address that takes webhooks.

Mails lie in one mbox file (RFC 4155), so that any mail program can open them. It can be told to hang, as a mail
server in trouble does, and to refuse.
"""

import asyncio
import html
import json
import mailbox
import socket
import threading
import time
from datetime import datetime
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

SHOWN = 100
HANGS_SECONDS = 60


class Mailbox:
    """Takes mail on loopback. `hangs` and `refuses` may be switched while it runs."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._path = folder / "mailbox.mbox"
        self._lock = threading.Lock()
        self._controller: Controller | None = None
        self.hangs = self.refuses = False
        self.hooked: list[dict[str, Any]] = []

    def listen(self, port: int) -> int:
        """The port it listens on; 0 takes a free one."""
        if port == 0:
            with socket.socket() as probe:
                probe.bind(("127.0.0.1", 0))
                port = int(probe.getsockname()[1])
        self._controller = Controller(self, hostname="127.0.0.1", port=port)
        self._controller.start()
        return port

    def close(self) -> None:
        if self._controller is not None:
            self._controller.stop()

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        if self.hangs:
            await asyncio.sleep(HANGS_SECONDS)
        if self.refuses:
            return "451 The disk of the mail server is full"
        letter = mailbox.mboxMessage(message_from_bytes(envelope.original_content or b""))
        letter.set_from("old-attic", time.gmtime())
        with self._lock:
            box = mailbox.mbox(self._path)
            try:
                box.lock()
                box.add(letter)
                box.flush()
            finally:
                box.close()
        return "250 Kept"

    def take_hook(self, headers: dict[str, str], body: bytes) -> None:
        with self._lock:
            self.hooked.append({"at": datetime.now().astimezone().isoformat(), "headers": headers, "body": body.decode(errors="replace")})
            del self.hooked[:-SHOWN]

    def letters(self) -> list[dict[str, str]]:
        """The newest first."""
        with self._lock:
            box = mailbox.mbox(self._path)
            held = [message_from_bytes(box.get_bytes(key), policy=default) for key in box.keys()[-SHOWN:]]
            box.close()
        mails = []
        for letter in reversed(held):
            body = letter.get_body(("plain",))
            text = body.get_content() if body is not None else ""
            mails.append({"to": str(letter["To"]), "subject": str(letter["Subject"]), "date": str(letter["Date"]), "body": text})
        return mails

    def page(self) -> str:
        rows = [
            f"<details><summary><b>{html.escape(one['subject'])}</b> to {html.escape(one['to'])}, {html.escape(one['date'])}</summary>"
            f"<pre>{html.escape(one['body'])}</pre></details>"
            for one in self.letters()
        ]
        hooks = [f"<li><code>{html.escape(one['at'])}</code> {html.escape(one['body'])}</li>" for one in reversed(self.hooked)]
        switches = "".join(
            f"<form method=post action=/mailbox style='display:inline'><input type=hidden name={name} value={json.dumps(not value)}>"
            f"<button>{name}: {'yes' if value else 'no'}</button></form> "
            for name, value in (("hangs", self.hangs), ("refuses", self.refuses))
        )
        return (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Mailbox</title>"
            "<style>body { font: 15px/1.45 sans-serif; margin: 24px; max-width: 900px } pre { white-space: pre-wrap }</style>"
            f"<h1>Mailbox of the office</h1><p>{switches}</p>{''.join(rows) or '<p>No mail yet.</p>'}"
            f"<h2>Webhooks taken at /hooked</h2><ul>{''.join(hooks) or '<li>none yet</li>'}</ul></html>"
        )
