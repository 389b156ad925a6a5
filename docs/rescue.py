#!/usr/bin/env python3
"""Get files out of an Old Attic store with nothing but this file. Written from vault-format.md; § cites it.

    pip install argon2-cffi blake3 cryptography zstandard
    python3 rescue.py list STORE                       what backups there are
    python3 rescue.py restore STORE BACKUP FOLDER      write one into a new folder

STORE is a folder (copy a bucket into one first, object by object). The passphrase or the recovery code is asked for, or read from
the file that --passphrase-file names; --device-passphrase-file is that of a sealed device. What is damaged is named and left
out. Exit code 0: everything that was asked for is there; 1: something is lost, and named; 2: usage.
"""

import argparse
import contextlib
import getpass
import json
import os
import re
import sys
import unicodedata
from collections import OrderedDict
from pathlib import Path

import zstandard
from argon2.exceptions import HashingError
from argon2.low_level import Type, hash_secret_raw
from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

ALPHABET = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"
ZERO_NONCE = bytes(12)
KEPT_CHUNKS, KEPT_HANDLES = 64, 100


def say(text: str) -> None:
    print(text, file=sys.stderr)


class Broken(Exception):
    """Something does not open."""


def derive(secret: bytes, salt: bytes, info: str) -> bytes:
    return HKDF(SHA256(), 32, salt, info.encode()).derive(secret)


class Keys:
    """§3.4."""

    def __init__(self, id: bytes, master: bytes) -> None:
        self.id = id
        self.salts, self.seals, self.header = (derive(master, id, "old attic vault 2 " + name) for name in ("salts", "seals", "header"))

    def open(self, place: bytes, sealed: bytes) -> bytes:
        """§4.1."""
        salt = sealed[:16]
        try:
            return AESGCM(blake3(salt + place, key=self.seals).digest()).decrypt(ZERO_NONCE, sealed[16:], place)
        except (InvalidTag, ValueError):
            raise Broken("bytes are not what was sealed") from None


def unframe(frame: bytes, most: int = 16 << 20) -> bytes:
    """§5.2."""
    if frame[:1] == b"\0":
        return frame[1:]
    try:
        if frame[:1] != b"\1" or not 0 <= zstandard.frame_content_size(frame[1:]) <= most:
            raise Broken("a frame is not what it should be")
        return zstandard.ZstdDecompressor().decompress(frame[1:], max_output_size=most)
    except zstandard.ZstdError:
        raise Broken("a frame cannot be decompressed") from None


def wrapping_keys(slot: dict, secret: str) -> list[bytes]:
    """§3.3, for what a person can type."""
    salt = bytes.fromhex(slot["salt"])
    if slot["kind"] == "passphrase":
        cost = (slot["passes"], slot["memory_bytes"] // 1024, slot["lanes"])
        spelt = dict.fromkeys((unicodedata.normalize("NFC", secret), secret))
        return [hash_secret_raw(each.encode(), salt, *cost, 32, Type.ID, version=0x13) for each in spelt]
    code = re.sub(r"[\s-]", "", secret).upper()
    if slot["kind"] == "recovery_code" and len(code) == 30 and all(letter in ALPHABET for letter in code):
        return [derive(code.encode(), salt, "old attic recovery code slot 2")]
    return []


class Store:
    def __init__(self, folder: Path, secret: str) -> None:
        self.folder = folder
        try:
            header = json.loads((folder / "header").read_bytes())
            if header["format"] != "old-attic-vault" or header["version"] != 2:
                raise ValueError
            self.store, fields = bytes.fromhex(header["store"]), {name: header[name] for name in header if name != "seal"}
        except (OSError, ValueError, KeyError, TypeError):
            raise SystemExit("This is no Old Attic store of version 2, or its header is damaged.") from None
        self.slots = [slot for name in self.names("keys") if (slot := self.slot(name))]
        keys = self.unlock(header["vault"], secret)
        if keys is None:
            raise SystemExit("This passphrase does not open the store.")
        self.keys = keys
        if blake3(json.dumps(fields, sort_keys=True).encode(), key=keys.header).hexdigest() != header["seal"]:
            raise SystemExit("The header of this store was changed.")
        self.broken = 0
        """Objects that could not be read and of which a list of backups depends."""
        self.device: Keys | None = None
        self.opened: OrderedDict[bytes, bytes] = OrderedDict()
        self.files: OrderedDict[Path, int] = OrderedDict()
        self.removed, self.stays = self.read_ledger()
        self.revisions = self.read_revisions()
        self.damaged = self.read_damage()
        self.places = self.read_footers()

    def slot(self, name: str) -> dict | None:
        """§3.2. One that cannot be read keeps nobody else out."""
        try:
            slot = json.loads((self.folder / "keys" / name).read_bytes())
            if {"kind", "opens", "salt", "wrapped"} <= slot.keys():
                return slot
        except (OSError, ValueError, AttributeError):
            pass
        say(f"keys/{name} is damaged")
        return None

    def unlock(self, id: str, secret: str) -> Keys | None:
        """§3.2."""
        for slot in self.slots:
            try:
                keys = wrapping_keys(slot, secret) if slot["opens"] == id else []
                bound = {name: value for name, value in slot.items() if name not in ("wrapped", "told")}
                for key in keys:
                    try:
                        master = AESGCM(key).decrypt(ZERO_NONCE, bytes.fromhex(slot["wrapped"]), json.dumps(bound, sort_keys=True).encode())
                    except InvalidTag:
                        continue
                    return Keys(bytes.fromhex(id), master)
            except (ValueError, TypeError, KeyError, HashingError):
                say("a key slot is damaged")
        return None

    def object(self, name: str) -> bytes:
        """§4.2, §4.3."""
        place = b"shared " + name.encode() if name.startswith("manifests/") else b"local " + self.store + name.encode()
        try:
            return unframe(self.keys.open(place, (self.folder / name).read_bytes()), 256 << 20)
        except OSError as error:
            raise Broken(f"{name} cannot be read: {error.strerror}") from None

    def told(self, kind: str):
        """JSON objects of a kind; those that are damaged are said."""
        for name in self.names(kind):
            try:
                yield name, json.loads(self.object(f"{kind}/{name}"))
            except (Broken, ValueError):
                say(f"{kind}/{name} is damaged")
                self.broken += 1

    def names(self, kind: str) -> list[str]:
        """Of objects; whatever else lies there is not ours."""
        folder = self.folder / kind
        paths = folder.iterdir() if folder.is_dir() else ()
        return sorted(path.name for path in paths if re.fullmatch("[0-9a-f]{32}", path.name) and path.is_file())

    def read_ledger(self) -> tuple[set[str], dict[str, int]]:
        """§9.4, §9.5: what was removed and has not come back; and the present stay of what came back."""
        begun: dict[str, int] = {}
        ended: dict[str, int] = {}

        def tell(numbers: dict[str, int], id: str, stay: int) -> None:
            numbers[id] = max(stay, numbers.get(id, 0))

        for _, ledger in self.told("rolls"):
            for at in range(0, len(ledger["removed"]), 32):
                tell(ended, ledger["removed"][at : at + 32], 1)
            for id, (first, _, last) in ledger.get("stays", {}).items():
                tell(begun, id, first)
                tell(ended, id, last)
        for _, note in self.told("stays"):
            if note["what"] != "seen":
                tell(begun if note["what"] == "begun" else ended, note["backup"], note["stay"])
        for name in self.names("removed"):
            try:
                self.object(f"removed/{name}")
                tell(ended, name, 1)
            except Broken:
                say(f"removed/{name} is damaged and not believed")
                self.broken += 1
        return {id for id, stay in ended.items() if stay >= max(1, begun.get(id, 1))}, begun

    def read_revisions(self) -> dict[str, dict]:
        """§7.4."""
        revisions: dict[str, dict] = {}
        for _, record in self.told("revisions"):
            for id, revision in record["backups"].items():
                if revision["stay"] == max(1, self.stays.get(id, 1)) and revision["number"] >= revisions.get(id, {"number": 0})["number"]:
                    revisions[id] = revision
        return revisions

    def read_damage(self) -> set[tuple[str, bytes]]:
        """§10.2. Only a hint where two packs have a chunk: a chunk that opens is whole."""
        damaged = set()
        for _, record in self.told("damage"):
            for pack, text in record["packs"].items():
                damaged |= {(pack, bytes.fromhex(text[at : at + 32])) for at in range(0, len(text), 32)}
        return damaged

    def read_footers(self) -> dict[bytes, list[tuple[Path, int, int]]]:
        """§6.1: where each chunk lies. The index objects are asked only for packs whose footer is damaged."""
        places: dict[bytes, list[tuple[Path, int, int]]] = {}
        indexed: dict[str, bytes] | None = None
        for path in sorted((self.folder / "packs").glob("*/*")) if (self.folder / "packs").is_dir() else []:
            if not re.fullmatch("[0-9a-f]{32}", path.name) or not path.is_file():
                continue
            name = f"packs/{path.parent.name}/{path.name}"
            try:
                size = path.stat().st_size
                length = int.from_bytes(self.read(path, max(0, size - 4), 4), "big")
                sealed = self.read(path, max(0, size - 4 - length), length)
                footer = self.keys.open(b"local " + self.store + name.encode() + b"#footer", sealed)
            except (Broken, OSError):
                indexed = self.read_indexes() if indexed is None else indexed
                footer = indexed.get(path.name, b"")
                say(f"the footer of {name} is damaged" + ("; an index object knows it" if footer else ""))
            offset = 0
            for at in range(0, len(footer), 20):
                chunk, sealed_bytes = footer[at : at + 16], int.from_bytes(footer[at + 16 : at + 20], "big")
                if (path.name, chunk) not in self.damaged:
                    places.setdefault(chunk, []).append((path, offset, sealed_bytes))
                offset += sealed_bytes
        return places

    def read_indexes(self) -> dict[str, bytes]:
        """§6.2: what footers of packs say, once more."""
        entries, at = {}, 0
        for name in self.names("indexes"):
            try:
                content, at = self.object(f"indexes/{name}"), 0
            except Broken:
                say(f"indexes/{name} is damaged")
                continue
            while at + 20 <= len(content):
                end = at + 20 + 20 * int.from_bytes(content[at + 16 : at + 20], "big")
                entries[content[at : at + 16].hex()], at = content[at + 20 : end], end
        return entries

    def read(self, path: Path, offset: int, length: int) -> bytes:
        """A part of a pack; the last few stay open."""
        if path not in self.files:
            self.files[path] = os.open(path, os.O_RDONLY)
            if len(self.files) > KEPT_HANDLES:
                os.close(self.files.popitem(last=False)[1])
        return os.pread(self.files[path], length, offset)

    def chunk(self, id: bytes) -> bytes:
        """§4.1, §5.2."""
        for path, offset, length in self.places.get(id, []):
            try:
                return unframe(self.keys.open(b"chunk " + id, self.read(path, offset, length)))
            except (Broken, OSError):
                continue
        raise Broken(f"chunk {id.hex()} is damaged or missing")

    def content(self, id: bytes) -> bytes:
        """§3.6: of an item's chunk; the last few stay at hand, since tiny items share one (§5.3)."""
        inner = self.opened.get(id)
        if inner is None:
            inner = self.opened[id] = self.inner(self.chunk(id))
            if len(self.opened) > KEPT_CHUNKS:
                self.opened.popitem(last=False)
        return inner

    def inner(self, content: bytes) -> bytes:
        """§3.6."""
        return content if self.device is None else unframe(self.device.open(b"chunk " + self.device.id, content))

    def manifests(self) -> list[tuple[str, dict]]:
        """§7.1, newest first."""
        manifests = []
        for name in self.names("manifests"):
            if name in self.removed:
                continue
            try:
                manifest = json.loads(self.object(f"manifests/{name}"))
            except (Broken, ValueError):
                say(f"backup {name} cannot be read")
                self.broken += 1
                continue
            tops = self.revisions[name]["tops"] if name in self.revisions else {}
            for tree in (*manifest["kinds"], *([manifest["folders"]] if manifest.get("folders") else [])):
                tree["tops"] = tops.get(tree["kind"], tree["tops"])
            manifests.append((name, manifest))
        return sorted(manifests, key=lambda entry: entry[1]["finished_at"], reverse=True)

    def items(self, tree: dict):
        """§7.2: (id, name, content's spans, microseconds, attributes) of each item; a branch that is lost is said."""
        ids = [tree["tops"][at : at + 32] for at in range(0, len(tree["tops"]), 32)]
        for _ in range(tree["depth"]):
            below = []
            for fork in ids:
                try:
                    text = self.chunk(bytes.fromhex(fork)).hex()
                except Broken:
                    continue
                below += [text[at : at + 32] for at in range(0, len(text), 32)]
            ids = below
        for branch in ids:
            try:
                content = self.chunk(bytes.fromhex(branch))
                count = int.from_bytes(content[:4], "big")
                chunks = [content[4 + 16 * n : 20 + 16 * n] for n in range(count)]
                rows = json.loads(self.inner(content[4 + 16 * count :]))
            except (Broken, ValueError):
                continue
            for id, name, _, modified, _, flat, attributes in rows:
                spans = [(chunks[flat[at]], flat[at + 1], flat[at + 2]) for at in range(0, len(flat), 3)]
                yield id, name or id, spans, modified, attributes or {}


class Into:
    """The folder that is written: by handles, one name at a time, so that no path is too long and none leads through a link."""

    def __init__(self, root: Path) -> None:
        root.mkdir(parents=True)
        self.root, self.open = root, OrderedDict()

    def folder(self, path: bytes) -> int:
        at = path
        while at not in self.open and at:
            at = at.rpartition(b"/")[0]
        if at not in self.open:
            self.keep(b"", os.open(self.root, os.O_RDONLY | os.O_DIRECTORY))
        handle = self.open[at]
        self.open.move_to_end(at)
        for name in path[len(at) :].strip(b"/").split(b"/") if at != path else ():
            with contextlib.suppress(FileExistsError):
                os.mkdir(name, dir_fd=handle)
            handle, at = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=handle), at + b"/" + name if at else name
            self.keep(at, handle)
        return handle

    def keep(self, path: bytes, handle: int) -> None:
        self.open[path] = handle
        if len(self.open) > KEPT_HANDLES:
            os.close(self.open.popitem(last=False)[1])

    def place(self, path: bytes) -> tuple[int, bytes]:
        """A path below the folder, or an error: a store is not trusted to name places on this machine."""
        if b"\0" in path or any(part in (b"", b".", b"..") or len(part) > 255 for part in path.split(b"/")):
            raise OSError("its path leads nowhere")
        above, _, name = path.rpartition(b"/")
        return self.folder(above), name


def bytes_of(attributes: dict, name: str, text: str) -> bytes:
    """§7.2: `name_bytes` and `link_bytes` stand for what is no UTF-8."""
    return bytes.fromhex(attributes[name]) if name in attributes else text.encode("utf-8", "replace")


def set_facts(handle: int, modified: int, attributes: dict, usual: int) -> None:
    ns = modified * 1000 + attributes.get("ns", 0)
    os.fchmod(handle, attributes.get("mode", usual) & 0o777)
    os.utime(handle, ns=(ns, ns))


def write_file(store: Store, folder: int, name: bytes, spans: list, modified: int, attributes: dict) -> None:
    handle = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600, dir_fd=folder)
    try:
        for chunk, offset, length in spans:
            rest = memoryview(store.content(chunk))[offset : offset + length]
            if len(rest) != length:
                raise Broken("a chunk is shorter than it should be")
            while rest:
                rest = rest[os.write(handle, rest) :]
        set_facts(handle, modified, attributes, 0o600)
    except Broken:
        os.unlink(name, dir_fd=folder)
        raise
    finally:
        os.close(handle)


def write(store: Store, manifest: dict, into: Into) -> int:
    """How many items were lost."""
    lost, links, taken = 0, [], set()
    from_folder = manifest["device_told"].get("family") == "folder"
    for tree in manifest["kinds"]:
        seen = 0
        for id, name, spans, modified, attributes in store.items(tree):
            seen += 1
            path = bytes_of(attributes, "name_bytes", id) if from_folder else unique(f"{tree['kind']}/{name.replace('/', '_')}", taken)
            if "link" in attributes:
                links.append((path, bytes_of(attributes, "link_bytes", attributes["link"]), modified, attributes))
                continue
            try:
                write_file(store, *into.place(path), spans, modified, attributes)
            except (Broken, OSError) as error:
                say(f"lost: {name!r}: {error}")
                lost += 1
        if seen < tree["items"]:
            say(f"lost: {tree['items'] - seen} of {tree['items']} items of {tree['kind']}, which cannot even be named")
            lost += tree["items"] - seen
    for path, points_to, modified, attributes in links:  # last, so that nothing is written through one
        try:
            folder, name = into.place(path)
            os.symlink(points_to, name, dir_fd=folder)
            ns = modified * 1000 + attributes.get("ns", 0)
            os.utime(name, ns=(ns, ns), dir_fd=folder, follow_symlinks=False)
        except OSError as error:
            say(f"lost: {path!r}: {error}")
            lost += 1
    return lost + write_folders(store, manifest, into)


def write_folders(store: Store, manifest: dict, into: Into) -> int:
    """Deepest first, so that nothing changes their times afterwards."""
    tree, lost = manifest.get("folders"), 0
    entries = [(bytes_of(entry[4], "name_bytes", entry[0]), *entry[3:]) for entry in store.items(tree)] if tree else []
    for path, modified, attributes in sorted(entries, key=lambda entry: entry[0], reverse=True):
        try:
            into.place(path)
            set_facts(into.folder(path), modified, attributes, 0o700)
        except OSError as error:
            say(f"lost: the folder {path!r}: {error}")
            lost += 1
    if tree and len(entries) < tree["items"]:
        say(f"lost: times and modes of {tree['items'] - len(entries)} folders")
        lost += tree["items"] - len(entries)
    return lost


def unique(path: str, taken: set[str]) -> bytes:
    """Names of phones need not differ."""
    stem, dot, ending = path.rpartition(".")
    number, free = 1, path
    while free in taken:
        number += 1
        free = f"{stem} ({number}){dot}{ending}" if stem else f"{path} ({number})"
    taken.add(free)
    return free.encode("utf-8", "replace")


def secret_from(file: str | None, ask: str) -> str:
    if file is None:
        return getpass.getpass(f"{ask}: ")
    return Path(file).read_bytes().decode("utf-8-sig").removesuffix("\n").removesuffix("\r")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("what", choices=["list", "restore"])
    parser.add_argument("store", type=Path)
    parser.add_argument("backup", nargs="?")
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--passphrase-file")
    parser.add_argument("--device-passphrase-file")
    options = parser.parse_args()
    store = Store(options.store, secret_from(options.passphrase_file, "Passphrase or recovery code"))
    manifests = store.manifests()
    if options.what == "list":
        for id, manifest in manifests:
            items, size = (sum(tree[field] for tree in manifest["kinds"]) for field in ("items", "bytes"))
            print(f"{id}  {manifest['finished_at']}  {items:>8} items  {size:>14} bytes  {manifest['device_told'].get('name')}")
        return 1 if store.broken else 0
    if options.folder is None or options.folder.exists():
        parser.error("restore needs a BACKUP and a FOLDER that does not exist yet")
    wanted = [manifest for id, manifest in manifests if options.backup and id.startswith(options.backup)]
    if len(wanted) != 1:
        parser.error(f"{len(wanted)} backups begin with {options.backup}")
    if wanted[0]["sealed"]:
        store.device = store.unlock(wanted[0]["sealed"], secret_from(options.device_passphrase_file, "Passphrase of the device"))
        if store.device is None:
            raise SystemExit("This passphrase does not open the device.")
    lost = write(store, wanted[0], Into(options.folder))
    if lost:
        say(f"{lost} items are lost; everything else is in {options.folder}")
    return 1 if lost else 0


if __name__ == "__main__":
    sys.exit(main())
