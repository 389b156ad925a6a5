"""The agent link: a paired device over the agent protocol (`docs/agent-protocol.md` §3).

Everything that comes is checked: frames by their seal, items by `core.content.items`. A read that is cut off goes
on where it ended; small items that are expected come many in one answer; large ones are written in parts that the
device keeps, so that a cut costs one part and not the whole.
"""

import itertools
import json
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any
from urllib.parse import quote

from adapters.guard import port
from adapters.links.agent_http import PATIENCE_SECONDS, Exchange
from adapters.links.agent_seal import framed
from core.content.accounts import Account, announced_accounts
from core.content.digests import DIGEST_BYTES
from core.content.errors import DeviceLied, ItemNotTaken, LinkCut, LinkFault, LinkSlow
from core.content.families import FAMILIES
from core.content.items import MAX_ITEMS, Item, announced, checked_inventory, clean_name
from core.content.kinds import KINDS
from core.content.link import Card, DeviceReport, SmallItem
from core.content.own_cloud import OwnCloud, announced_own_cloud

PROTOCOL = 3
"""The newest version that this link speaks; a device says in its state which one it does."""
MAX_JSON_BYTES = 64 << 20
MAX_PAGES = 100_000
TOGETHER_ITEMS = 256
TOGETHER_BYTES = 1 << 20
SMALL_BYTES = 64 * 1024
"""Items up to this size come together with others; at most so many and so many bytes in one answer."""
PART_BYTES = 4 << 20
TRIES = 4
"""How often a read goes on after a cut before the run is told."""


@port(LinkFault, "The device")
class AgentLink:
    """A paired device."""

    def __init__(
        self,
        address: str,
        key: bytes,
        *,
        random: Callable[[int], bytes],
        timeout_seconds: float = 20,
        patience_seconds: float = PATIENCE_SECONDS,
    ) -> None:
        self._exchange = Exchange(address, key, random=random, timeout_seconds=timeout_seconds, patience_seconds=patience_seconds)
        self._told_version: int | None = None
        self._expected: Iterator[Item] = iter(())
        self._coming: deque[Item] = deque()
        self._came: dict[tuple[str, str], bytes | ItemNotTaken] = {}
        self._arriving: Iterator[tuple[tuple[str, str], bytes | ItemNotTaken]] | None = None

    def _version(self) -> int:
        """Of the protocol, as the device and this link both know it."""
        if self._told_version is None:
            self.state()
        return self._told_version or 1

    def state(self) -> DeviceReport:
        fields = self._json("GET", "/agent/v1/state")
        version = fields.get("protocol")
        self._told_version = min(PROTOCOL, version) if isinstance(version, int) and version >= 1 else 1
        if fields.get("family") not in list(FAMILIES):
            raise DeviceLied("The device names a family that does not exist.")
        return DeviceReport(
            make=_short(fields.get("make")),
            model=_short(fields.get("model")),
            family=_short(fields.get("family")),
            os_version=_short(fields.get("os_version")),
            serial=_short(fields.get("serial")),
            storage_total_bytes=_count(fields.get("storage_total_bytes")),
            storage_used_bytes=_count(fields.get("storage_used_bytes")),
            battery_percent=_count(fields.get("battery_percent")),
            on_power=_flag(fields.get("on_power")),
            locked=_flag(fields.get("locked")),
            accepted=_flag(fields.get("accepted")),
            data_access=_flag(fields.get("data_access")),
            finder_lock=_flag(fields.get("finder_lock")),
            network=fields["network"] if fields.get("network") in ("office", "elsewhere") else None,
            card=_card(fields.get("card")),
            clock=_clock(fields.get("clock")),
            last_used_at=_clock(fields.get("last_used")),
            update_pending=_short(fields.get("update_pending")),
        )

    def kinds(self) -> list[str]:
        kinds = self._json("GET", "/agent/v1/kinds").get("kinds")
        return [kind for kind in KINDS if isinstance(kinds, list) and kind in kinds]

    def accounts(self) -> list[Account]:
        return announced_accounts(self._json("GET", "/agent/v1/accounts").get("accounts"))

    def tells_own_cloud(self) -> bool:
        return self._version() >= 3

    def own_cloud(self) -> OwnCloud | None:
        return announced_own_cloud(self._json("GET", "/agent/v3/own-cloud").get("own_cloud"))

    def inventory(self, kind: str) -> list[Item]:
        items: list[Item] = []
        after = ""
        for _ in range(MAX_PAGES):
            fields = self._json("GET", f"/agent/v1/inventory/{kind}?after={quote(after, safe='')}")
            try:
                items += [_item(kind, entry) for entry in fields["items"]]
                if fields["next"] is None:
                    return checked_inventory(items, kind=kind)
                if not isinstance(fields["next"], str) or fields["next"] <= after:
                    raise DeviceLied(f"The inventory of {kind} does not end.")
                after = fields["next"]
            except (KeyError, TypeError, AttributeError):
                raise DeviceLied(f"The inventory of {kind} cannot be read.") from None
            if len(items) > MAX_ITEMS:
                raise DeviceLied(f"The device announces more than {MAX_ITEMS} items of {kind}.")
        raise DeviceLied(f"The inventory of {kind} does not end.")

    def expect(self, items: Iterable[Item]) -> None:
        self._expected = (item for item in items if item.size_bytes <= SMALL_BYTES)
        self._coming, self._came, self._arriving = deque(), {}, None

    def read(self, item: Item) -> Iterator[bytes]:
        came = self._from_many(item) if item.size_bytes <= SMALL_BYTES else None
        if isinstance(came, ItemNotTaken):
            raise came
        return iter((came,) if came else ()) if came is not None else self._read_on(item)

    def tells_digests(self) -> bool:
        return self._version() >= 2

    def digests(self, kind: str, ids: Sequence[str]) -> list[bytes | None]:
        digests = self._json("POST", "/agent/v2/digest", [json.dumps({"kind": kind, "ids": list(ids)}).encode()]).get("digests")
        if not isinstance(digests, list) or len(digests) != len(ids):
            raise DeviceLied("The device tells other digests than it was asked for.")
        return [_digest(entry) for entry in digests]

    def writes_many(self) -> bool:
        return self._version() >= 2

    def write_many(self, kind: str, items: Sequence[SmallItem]) -> list[str]:
        heads = [json.dumps({"kind": kind, "id": item.id, "name": item.name, "size_bytes": len(item.content)}).encode() for item in items]
        pieces = (len(head).to_bytes(4, "big") + head + item.content for head, item in zip(heads, items, strict=True))
        ids = self._json("POST", "/agent/v2/write", list(framed(pieces))).get("ids")
        if not isinstance(ids, list) or len(ids) > len(items) or not all(isinstance(id, str) for id in ids):
            raise DeviceLied("The device did not say where it wrote the items.")
        return [str(id) for id in ids]

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        return self._write(kind, None, name, pieces, size_bytes)

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        self._write(kind, id, name, pieces, size_bytes)

    def unpair(self) -> None:
        """Make the device forget this server."""
        self._json("DELETE", "/agent/v1/pair")

    def close(self) -> None:
        self._exchange.close()

    def _read_on(self, item: Item) -> Iterator[bytes]:
        """One item; after a cut it goes on at the byte where it ended, if it is still the same item."""
        done, tries = 0, 0
        where = f"/agent/v1/items/{item.kind}/{quote(item.id, safe='')}"
        while True:
            try:
                for piece in self._exchange.ask("GET", f"{where}?from={done}&tag={quote(item.tag, safe='')}"):
                    done += len(piece)
                    yield piece
                    tries = 0
                return
            except LinkSlow:
                raise
            except LinkCut:
                tries += 1
                if tries >= TRIES or done > item.size_bytes:
                    raise

    def _from_many(self, item: Item) -> bytes | ItemNotTaken | None:
        """The item's content out of the answer that is coming in, if it was expected; None when it has to be asked for alone."""
        place = (item.kind, item.id)
        if place in self._came:
            return self._came.pop(place)
        while self._coming and self._coming[0] != item:
            self._coming.popleft()
        if not self._coming:
            self._coming.extend(self._next_lot(item))
            self._arriving = None
        if not self._coming or self._coming[0] != item:
            return None
        if self._arriving is None:
            self._came, self._arriving = {}, self._lot(list(self._coming))
        self._coming.popleft()
        for arrived, content in self._arriving:
            if arrived == place:
                return content
            self._came[arrived] = content
        self._arriving = None
        return None

    def _next_lot(self, item: Item) -> list[Item]:
        """Expected items from this one on, as many as come in one answer; none when it was not expected."""
        first = next((one for one in self._expected if one == item), None)
        if first is None:
            return []
        lot, size_bytes = [first], first.size_bytes
        while len(lot) < TOGETHER_ITEMS and size_bytes < TOGETHER_BYTES:
            following = next(self._expected, None)
            if following is None:
                break
            lot.append(following)
            size_bytes += following.size_bytes
        return lot

    def _lot(self, lot: list[Item]) -> Iterator[tuple[tuple[str, str], bytes | ItemNotTaken]]:
        """Items as they come in one answer; a cut in the middle ends it, and the rest is asked for again."""
        wanted = {(item.kind, item.id) for item in lot}
        asked = json.dumps({"items": [[item.kind, item.id, item.tag] for item in lot]}).encode()
        came = False
        try:
            for head, content in _parted(self._exchange.ask("POST", "/agent/v1/read", [asked])):
                place = (str(head.get("kind")), str(head.get("id")))
                if place not in wanted:
                    raise DeviceLied("The device sends items that nobody asked for.")
                says = {"gone": "The item is gone from the device.", "changed": "The item changed while it was read."}
                trouble = says.get(str(head.get("error")))
                came = True
                yield place, ItemNotTaken(trouble, why=str(head["error"])) if trouble else content
        except LinkSlow:
            raise
        except LinkCut:
            if not came:
                raise

    def _write(self, kind: str, id: str | None, name: str, pieces: Iterable[bytes], size_bytes: int) -> str:
        fields = {"name": name, "size_bytes": size_bytes}
        if size_bytes > PART_BYTES:
            return self._write_in_parts(kind, id, fields, pieces)
        method, target = ("POST", f"/agent/v1/items/{kind}") if id is None else ("PUT", f"/agent/v1/items/{kind}/{quote(id, safe='')}")
        return _written(self._json(method, target, [json.dumps(fields).encode(), *framed(pieces)]))

    def _write_in_parts(self, kind: str, id: str | None, fields: dict[str, Any], pieces: Iterable[bytes]) -> str:
        asked = json.dumps(fields | {"kind": kind, "id": id}).encode()
        upload = self._json("POST", "/agent/v1/uploads", [asked]).get("upload")
        if not isinstance(upload, str) or not upload.isalnum():
            raise DeviceLied("The device did not say where it takes the item.")
        where, start = f"/agent/v1/uploads/{upload}", 0
        for part in _parts(pieces):
            self._write_part(where, start, part)
            start += len(part)
        return _written(self._json("POST", f"{where}/finish"))

    def _write_part(self, where: str, start: int, part: bytes) -> None:
        """Until the device has it: after a cut it is asked how much has come."""
        done = 0
        for tries in itertools.count(1):
            try:
                fields = self._json("PUT", f"{where}?from={start + done}", list(framed([part[done:]])))
            except LinkCut:
                if tries >= TRIES:
                    raise
                fields = self._json("GET", where)
            have = fields.get("have")
            if not isinstance(have, int) or not start <= have <= start + len(part):
                raise DeviceLied("The device says that it has what nobody sent.")
            done = have - start
            if done == len(part):
                return
            if tries >= 4 * TRIES:
                raise LinkCut("The device takes nothing more.")

    def _json(self, method: str, target: str, body: list[bytes] | None = None) -> dict[str, Any]:
        content = bytearray()
        for piece in self._exchange.ask(method, target, body):
            content += piece
            if len(content) > MAX_JSON_BYTES:
                raise DeviceLied("The device sends an answer without end.")
        return _object(bytes(content))


def _parted(pieces: Iterable[bytes]) -> Iterator[tuple[dict[str, Any], bytes]]:
    """(head, content) of each item in one answer: `length of head (4) | head | content`. Bounded by what fits in a lot."""
    waiting = bytearray()
    head: dict[str, Any] | None = None
    size_bytes = total = 0
    for piece in pieces:
        waiting += piece
        total += len(piece)
        if total > 2 * TOGETHER_BYTES + TOGETHER_ITEMS * 2048:
            raise DeviceLied("The device sends more than it was asked for.")
        while True:
            if head is None:
                length = int.from_bytes(waiting[:4], "big")
                if length > 4096:
                    raise DeviceLied("An answer of the device cannot be read.")
                if len(waiting) < 4 or len(waiting) < 4 + length:
                    break
                head = _object(bytes(waiting[4 : 4 + length]))
                size_bytes = head["size_bytes"] if isinstance(head.get("size_bytes"), int) else 0
                if not 0 <= size_bytes <= 2 * TOGETHER_BYTES:
                    raise DeviceLied("The device sends more than it was asked for.")
                del waiting[: 4 + length]
            if len(waiting) < size_bytes:
                break
            yield head, bytes(waiting[:size_bytes])
            del waiting[:size_bytes]
            head = None


def _parts(pieces: Iterable[bytes]) -> Iterator[bytes]:
    waiting = bytearray()
    for piece in pieces:
        waiting += piece
        while len(waiting) >= PART_BYTES:
            yield bytes(waiting[:PART_BYTES])
            del waiting[:PART_BYTES]
    if waiting:
        yield bytes(waiting)


def _written(answer: dict[str, Any]) -> str:
    if not isinstance(answer.get("id"), str):
        raise DeviceLied("The device did not say where it wrote the item.")
    return str(answer["id"])


def _digest(value: object) -> bytes | None:
    try:
        content = bytes.fromhex(value) if isinstance(value, str) else None
    except ValueError:
        return None
    return content if content is not None and len(content) == DIGEST_BYTES else None


def _object(content: bytes) -> dict[str, Any]:
    try:
        answer = json.loads(content)
    except (ValueError, RecursionError):
        raise DeviceLied("An answer of the device cannot be read.") from None
    if not isinstance(answer, dict):
        raise DeviceLied("An answer of the device cannot be read.")
    return answer


def _item(kind: str, entry: dict[str, Any]) -> Item:
    names = ("id", "name", "size_bytes", "modified", "tag")
    return announced(kind=kind, **{name: entry.get(name) for name in names})


def _short(value: object) -> str:
    return clean_name(str(value)[:100]) if isinstance(value, str) and value else ""


def _count(value: object) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 <= value < 1 << 62 else None


def _flag(value: object) -> bool | None:
    return value if isinstance(value, bool) else None


def _card(value: object) -> Card | None:
    if not isinstance(value, dict) or not isinstance(value.get("present"), bool):
        return None
    sizes = {"size_bytes": _count(value.get("size_bytes")), "used_bytes": _count(value.get("used_bytes"))}
    return Card(present=value["present"], encrypted=_flag(value.get("encrypted")), **sizes)


def _clock(value: object) -> datetime | None:
    try:
        moment = datetime.fromisoformat(value) if isinstance(value, str) else None
    except ValueError:
        return None
    return moment if moment is not None and moment.tzinfo is not None else None
