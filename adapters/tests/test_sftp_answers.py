"""What a server of files may answer, packet by packet, played here: short reads, lies, ends, and requests that it does not know.

Packets as in draft-ietf-secsh-filexfer-02; limits@openssh.com and statvfs@openssh.com as OpenSSH's PROTOCOL file lays them out.
"""

from collections import deque
from collections.abc import Iterable
from datetime import UTC, datetime
from types import SimpleNamespace
from typing import Any
from unittest import TestCase

import paramiko
from paramiko.message import Message
from paramiko.sftp import (
    CMD_ATTRS,
    CMD_CLOSE,
    CMD_DATA,
    CMD_EXTENDED,
    CMD_FSTAT,
    CMD_HANDLE,
    CMD_NAME,
    CMD_OPEN,
    CMD_READ,
    CMD_READDIR,
    CMD_STATUS,
    CMD_WRITE,
    SFTP_EOF,
    SFTP_FAILURE,
    SFTP_OK,
    SFTP_PERMISSION_DENIED,
)

from adapters.links.sftp_reading import Fetch, SftpReading
from adapters.links.sftp_session import LEAST_PIECE_BYTES, MOST_PIECE_BYTES, Session
from adapters.stores.sftp_pool import _AHEAD, fetched, send
from core.content.errors import ItemNotTaken
from core.content.items import Item
from core.vault.errors import StoreUnreachable

MTIME = 0x69A51234
Answer = tuple[int, Message]


def packet(*parts: int | bytes) -> Message:
    made = Message()
    for part in parts:
        made.add_int(part) if isinstance(part, int) else made.add_string(part)
    return Message(made.asbytes())


def facts(size: int, mtime: int = MTIME) -> Message:
    attributes: Any = paramiko.SFTPAttributes()
    attributes.st_size, attributes.st_atime, attributes.st_mtime = size, mtime, mtime
    made = Message()
    attributes._pack(made)
    return Message(made.asbytes())


def status(code: int) -> Message:
    return packet(code, b"said by the server", b"en")


class Server:
    """One file, and what goes wrong with it. Answers wait until somebody reads them."""

    def __init__(self, content: bytes = b"", **odd: Any) -> None:
        self.content, self.odd, self.written = content, odd, bytearray()
        self.commands: list[int] = []
        self.asked_at_once = 0
        self._waiting: deque[tuple[Any, int, Answer]] = deque()

    def _async_request(self, wants: Any, command: int, *arguments: Any) -> int:
        self.commands.append(command)
        number = len(self.commands)
        if wants is not type(None):
            self._waiting.append((wants, number, self.answer(command, arguments)))
            self.asked_at_once = max(self.asked_at_once, len(self._waiting))
        return number

    def _read_response(self) -> None:
        wants, number, (sort, content) = self._waiting.popleft()
        wants._async_response(sort, content, number)

    def _convert_status(self, answer: Message) -> None:
        paramiko.SFTPClient._convert_status(self, answer)  # type: ignore[attr-defined]  # its stubs leave it out

    def answer(self, command: int, arguments: tuple[Any, ...]) -> Answer:
        if command in self.odd:
            return self.odd[command]  # type: ignore[no-any-return]
        if command == CMD_OPEN:
            return CMD_HANDLE, packet(b"h")
        if command == CMD_FSTAT:
            looks = self.commands.count(CMD_FSTAT)
            return CMD_ATTRS, facts(len(self.content), MTIME + (looks > self.odd.get("changes_after", 1000)))
        if command == CMD_WRITE:
            at = int.from_bytes(bytes(arguments[1]), "big") if isinstance(arguments[1], bytes) else int(arguments[1])
            self.written[at : at + len(arguments[2])] = arguments[2]
            return CMD_STATUS, status(SFTP_OK)
        at, length = int(arguments[1]), int(arguments[2])
        piece = self.content[at : at + min(length, self.odd.get("most", length))] + self.odd.get("more", b"")
        return (CMD_DATA, packet(piece)) if piece or self.odd.get("empty") else (CMD_STATUS, status(SFTP_EOF))


def item(size: int, id: str = "a") -> Item:
    return Item(kind="documents", id=id, name=id, size_bytes=size, modified=datetime(2026, 3, 2, tzinfo=UTC), tag=f"{MTIME:x}-{size:x}")


class Reading(TestCase):
    def reading(self, server: Server, following: Iterable[Item] = ()) -> SftpReading:
        def fetch(one: Item, start: int) -> Fetch:
            return Fetch(server, b"a", start=start, size_bytes=one.size_bytes, tag=one.tag, request_bytes=100)

        return SftpReading(server, iter(following), fetch)

    def read(self, server: Server, size: int | None = None, start: int = 0) -> bytes:
        return b"".join(self.reading(server).pieces(item(len(server.content) if size is None else size), start))

    def refused(self, why: str, server: Server, size: int | None = None) -> None:
        with self.assertRaises(ItemNotTaken) as raised:
            self.read(server, size)
        self.assertEqual(raised.exception.why, why)
        if CMD_FSTAT in server.commands:
            self.assertIn(CMD_CLOSE, server.commands, "what was opened is closed")

    def test_whole_from_some_byte_on_and_in_as_many_answers_as_the_server_likes(self) -> None:
        content = bytes(range(256)) * 4
        for odd in ({}, {"most": 7}, {"most": 99}):
            self.assertEqual(self.read(Server(content, **odd)), content)
            self.assertEqual(self.read(Server(content, **odd), start=1000), content[1000:])
        self.assertEqual(self.read(Server(b"")), b"")

    def test_it_is_looked_at_before_and_after(self) -> None:
        server = Server(b"x" * 250)
        self.read(server)
        self.assertEqual((server.commands.count(CMD_FSTAT), server.commands.count(CMD_READ), server.commands.count(CMD_CLOSE)), (2, 3, 1))
        self.refused("changed", Server(b"x" * 250, changes_after=0))
        self.refused("changed", Server(b"x" * 250, changes_after=1))
        self.refused("changed", Server(b"x" * 250), size=251)

    def test_what_is_no_answer_to_what_was_asked_is_a_lie(self) -> None:
        self.refused("lied", Server(b"x" * 50, more=b"y" * 51))
        self.refused("lied", Server(b"x" * 50, most=0, empty=True))
        self.refused("lied", odd(b"x" * 50, {CMD_READ: (CMD_NAME, packet(1, b"a"))}))
        self.refused("lied", odd(b"x" * 50, {CMD_OPEN: (CMD_DATA, packet(b"x"))}))

    def test_a_file_that_became_shorter_and_one_that_may_not_be_read(self) -> None:
        self.refused("changed", odd(b"x" * 50, {CMD_READ: (CMD_STATUS, status(SFTP_EOF))}))
        for code, error in ((SFTP_PERMISSION_DENIED, PermissionError), (SFTP_FAILURE, OSError)):
            for command in (CMD_OPEN, CMD_READ):
                with self.assertRaises(error):
                    self.read(odd(b"x" * 50, {command: (CMD_STATUS, status(code))}))

    def test_what_is_under_way_stays_below_a_limit_and_what_nobody_wants_any_more_is_closed(self) -> None:
        many = [item(50, str(number)) for number in range(40)]
        server = Server(b"x" * 50)
        reading = self.reading(server, many)
        self.assertEqual(b"".join(reading.pieces(many[0], 0)), b"x" * 50)
        left = list(reading.left())
        self.assertEqual([one.id for one in left], [str(number) for number in range(1, 40)])
        self.assertLess(server.commands.count(CMD_OPEN), 20)
        reading = self.reading(server, many)
        list(reading.pieces(many[0], 0))
        closed = server.commands.count(CMD_CLOSE)
        self.assertEqual(b"".join(reading.pieces(many[5], 0)), b"x" * 50)
        self.assertGreater(server.commands.count(CMD_CLOSE), closed + 1, "those that were passed over")


def odd(content: bytes, answers: dict[int, Answer]) -> Server:
    server = Server(content)
    server.odd = dict(answers)  # type: ignore[arg-type]
    return server


class OfAStore(TestCase):
    def session(self, server: Server, most: int = 100) -> Any:
        return SimpleNamespace(
            client=server,
            host="attic.example",
            most_bytes=lambda: (most, most),
            facts_of=lambda _: SimpleNamespace(st_size=len(server.content)),
        )

    def test_an_object_is_read_whole_or_in_part_however_little_comes_at_once(self) -> None:
        content = bytes(range(256)) * 4
        for most in (100, 7):
            session = self.session(Server(content, most=most))
            for offset, length in ((0, None), (0, 1024), (10, 30), (1000, 500), (1000, None), (2000, 5), (0, 0)):
                wanted = content[offset:] if length is None else content[offset : offset + length]
                self.assertEqual(fetched(session, b"h", offset=offset, length=length), wanted, (most, offset, length))

    def test_one_that_became_shorter_is_no_object(self) -> None:
        server = Server(b"x" * 250)
        session = self.session(server)
        session.facts_of = lambda _: SimpleNamespace(st_size=251)
        with self.assertRaisesRegex(StoreUnreachable, "became shorter"):
            fetched(session, b"h", offset=0, length=None)

    def test_no_more_requests_are_under_way_than_were_agreed_and_a_refusal_ends_it(self) -> None:
        server = Server(b"x" * 1000)
        fetched(self.session(server, most=4), b"h", offset=0, length=None)
        self.assertEqual(server.asked_at_once, _AHEAD)
        content = bytes(range(250))
        server = Server()
        send(self.session(server), b"h", content)
        self.assertEqual((bytes(server.written), server.commands), (content, [CMD_WRITE] * 3))
        server = odd(b"", {CMD_WRITE: (CMD_STATUS, status(SFTP_FAILURE))})
        with self.assertRaises(OSError):
            send(self.session(server, most=1), b"h", bytes(1000))
        self.assertLess(server.commands.count(CMD_WRITE), 2 * _AHEAD, "the rest is not sent")


class Asked(TestCase):
    def session(self, *answers: Answer | Exception) -> Session:
        session = Session.__new__(Session)
        self.waiting, self.commands = list(answers), list[int]()

        def request(command: int, *_: Any) -> Answer:
            self.commands.append(command)
            said = self.waiting.pop(0)
            if isinstance(said, Exception):
                raise said
            return said

        session.client = SimpleNamespace(_request=request, get_channel=lambda: SimpleNamespace(closed=False))
        session._transport = SimpleNamespace(is_active=lambda: True)  # type: ignore[assignment]
        session.root, session._most = b"/", None
        return session

    def test_a_folder_is_listed_without_itself_and_closed(self) -> None:
        names = packet(3)
        whole = Message(
            names.asbytes() + b"".join(packet(name, b"long").asbytes() + facts(5).asbytes() for name in (b".", b"..", b"a\xff"))
        )
        session = self.session((CMD_HANDLE, packet(b"h")), (CMD_NAME, whole), EOFError(), (CMD_STATUS, status(SFTP_OK)))
        self.assertEqual([(name, one.st_size) for name, one in session.listed(b"/")], [(b"a\xff", 5)])
        self.assertEqual(self.commands[-1], CMD_CLOSE)
        with self.assertRaisesRegex(OSError, "does not open"):
            list(self.session((CMD_STATUS, status(SFTP_OK))).listed(b"/"))
        session = self.session((CMD_HANDLE, packet(b"h")), (CMD_DATA, packet(b"x")), (CMD_STATUS, status(SFTP_OK)))
        with self.assertRaisesRegex(OSError, "does not list"):
            list(session.listed(b"/"))
        self.assertEqual(self.commands, [11, CMD_READDIR, CMD_CLOSE])

    def test_a_name_is_one_name_and_facts_are_facts(self) -> None:
        self.assertEqual(self.session((CMD_NAME, packet(1, b"/a"))).real_path(b"."), b"/a")
        for answer in ((CMD_NAME, packet(2, b"/a", b"/b")), (CMD_NAME, packet(0)), (CMD_STATUS, status(SFTP_OK))):
            with self.assertRaisesRegex(OSError, "else than a name"):
                self.session(answer).link_target(b"l")
        self.assertEqual(self.session((CMD_ATTRS, facts(7))).facts_of(b"h").st_size, 7)
        self.assertIsNone(self.session(FileNotFoundError()).facts_at(b"gone"))
        with self.assertRaisesRegex(OSError, "else than facts"):
            self.session((CMD_DATA, packet(b"x"))).facts_of(b"h")

    def test_what_it_gives_in_one_answer_is_as_it_tells_within_reason(self) -> None:
        def limits(reads: int, writes: int) -> Answer:
            return CMD_EXTENDED, Message(b"".join(number.to_bytes(8, "big") for number in (1 << 20, reads, writes, 0)))

        least, most = LEAST_PIECE_BYTES, MOST_PIECE_BYTES
        for told, used in (((least + 1, least + 2), (least + 1, least + 2)), ((0, 1), (least, least)), ((1 << 40, most + 1), (most, most))):
            session = self.session(limits(*told))
            self.assertEqual((session.most_bytes(), session.most_bytes()), (used, used), "it is asked once")
        self.assertEqual(self.session(OSError("unknown")).most_bytes(), (least, least))

    def test_its_room_is_told_in_fragments_and_what_cannot_be_is_not_believed(self) -> None:
        def room(fragment: int, blocks: int, available: int) -> Answer:
            return CMD_EXTENDED, Message(b"".join(number.to_bytes(8, "big") for number in (4096, fragment, blocks, 9, available)))

        self.assertEqual(self.session(room(512, 100, 40)).room(), (51_200, 20_480))
        self.assertEqual(self.session(room(512, 100, 100)).room(), (51_200, 51_200))
        for told in (room(512, 100, 101), room(1 << 40, 1 << 40, 1)):
            self.assertIsNone(self.session(told).room())
        self.assertIsNone(self.session(OSError("unknown")).room())
