#!/usr/bin/env python3
"""Get files out of an Old Attic store with nothing but this file. Written from vault-format.md; § cites it.

    pip install argon2-cffi blake3 cryptography zstandard
    python3 rescue.py list STORE                       what backups there are
    python3 rescue.py restore STORE BACKUP FOLDER      write one into a new folder

STORE is a folder (copy a bucket into one first). The passphrase or the recovery code is asked for, or read from the file
that --passphrase-file names; --device-passphrase-file is that of a sealed device. Damaged items are named and left out.
"""

import argparse
import getpass
import json
import os
import re
import sys
import unicodedata
from pathlib import Path

import zstandard
from argon2.low_level import Type, hash_secret_raw
from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

ALPHABET = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"
ZERO_NONCE = bytes(12)


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
        header = json.loads((folder / "header").read_bytes())
        if header.get("format") != "old-attic-vault" or header.get("version") != 2:
            raise SystemExit("This is no Old Attic store of version 2.")
        self.store = bytes.fromhex(header["store"])
        self.slots = [json.loads(path.read_bytes()) | {"id": path.name} for path in sorted((folder / "keys").iterdir())]
        keys = self.unlock(header["vault"], secret)
        if keys is None:
            raise SystemExit("This passphrase does not open the store.")
        self.keys = keys
        told = json.dumps({name: value for name, value in header.items() if name != "seal"}, sort_keys=True)
        if blake3(told.encode(), key=keys.header).hexdigest() != header["seal"]:
            raise SystemExit("The header of this store was changed.")
        self.removed = self.read_removed()
        self.device: Keys | None = None
        self.damaged = self.read_damage()
        self.places = self.read_footers()

    def unlock(self, id: str, secret: str) -> Keys | None:
        """§3.2."""
        for slot in self.slots:
            for key in wrapping_keys(slot, secret) if slot["opens"] == id else []:
                bound = {name: value for name, value in slot.items() if name not in ("wrapped", "told", "id")}
                try:
                    master = AESGCM(key).decrypt(ZERO_NONCE, bytes.fromhex(slot["wrapped"]), json.dumps(bound, sort_keys=True).encode())
                except InvalidTag:
                    continue
                return Keys(bytes.fromhex(id), master)
        return None

    def object(self, name: str) -> bytes:
        """§4.2, §4.3."""
        place = b"shared " + name.encode() if name.startswith("manifests/") else b"local " + self.store + name.encode()
        return unframe(self.keys.open(place, (self.folder / name).read_bytes()), 256 << 20)

    def names(self, kind: str) -> list[str]:
        folder = self.folder / kind
        return sorted(path.name for path in folder.iterdir() if re.fullmatch("[0-9a-f]{32}", path.name)) if folder.is_dir() else []

    def read_removed(self) -> set[str]:
        """§9.4, §9.5: what was removed and has not come back."""
        begun: dict[str, int] = {}
        ended: dict[str, int] = {}

        def tell(numbers: dict[str, int], id: str, stay: int) -> None:
            numbers[id] = max(stay, numbers.get(id, 0))

        for name in self.names("rolls"):
            roll = json.loads(self.object(f"rolls/{name}"))
            for at in range(0, len(roll["removed"]), 32):
                tell(ended, roll["removed"][at : at + 32], 1)
            for id, (first, _, last) in roll.get("stays", {}).items():
                tell(begun, id, first)
                tell(ended, id, last)
        for name in self.names("stays"):
            note = json.loads(self.object(f"stays/{name}"))
            if note["what"] != "seen":
                tell(begun if note["what"] == "begun" else ended, note["backup"], note["stay"])
        for name in self.names("removed"):
            try:
                self.object(f"removed/{name}")
                tell(ended, name, 1)
            except Broken:
                print(f"removed/{name} is damaged and not believed", file=sys.stderr)
        return {id for id, stay in ended.items() if stay >= max(1, begun.get(id, 1))}

    def read_damage(self) -> set[tuple[str, bytes]]:
        """§10.2. Only a hint where two packs have a chunk: a chunk that opens is whole."""
        found = set()
        for name in self.names("damage"):
            for pack, text in json.loads(self.object(f"damage/{name}"))["packs"].items():
                found |= {(pack, bytes.fromhex(text[at : at + 32])) for at in range(0, len(text), 32)}
        return found

    def read_footers(self) -> dict[bytes, list[tuple[Path, int, int]]]:
        """§6.1: where each chunk lies. The index objects are not needed."""
        places: dict[bytes, list[tuple[Path, int, int]]] = {}
        for path in sorted((self.folder / "packs").glob("*/*")) if (self.folder / "packs").is_dir() else []:
            if not re.fullmatch("[0-9a-f]{32}", path.name):
                continue
            name = f"packs/{path.parent.name}/{path.name}"
            with path.open("rb") as file:
                size = file.seek(0, os.SEEK_END)
                file.seek(max(0, size - 4))
                length = int.from_bytes(file.read(4), "big")
                file.seek(max(0, size - 4 - length))
                try:
                    footer = self.keys.open(b"local " + self.store + name.encode() + b"#footer", file.read(length))
                except Broken:
                    print(f"the footer of {name} is damaged", file=sys.stderr)
                    continue
            offset = 0
            for at in range(0, len(footer), 20):
                chunk, sealed = footer[at : at + 16], int.from_bytes(footer[at + 16 : at + 20], "big")
                if (path.name, chunk) not in self.damaged:
                    places.setdefault(chunk, []).append((path, offset, sealed))
                offset += sealed
        return places

    def chunk(self, id: bytes) -> bytes:
        """§4.1, §5.2."""
        for path, offset, length in self.places.get(id, []):
            with path.open("rb") as file:
                file.seek(offset)
                try:
                    return unframe(self.keys.open(b"chunk " + id, file.read(length)))
                except Broken:
                    continue
        raise Broken(f"chunk {id.hex()} is damaged or missing")

    def inner(self, content: bytes) -> bytes:
        """§3.6."""
        return content if self.device is None else unframe(self.device.open(b"chunk " + self.device.id, content))

    def manifests(self) -> list[tuple[str, dict]]:
        """§7.1, newest first."""
        found = []
        for name in self.names("manifests"):
            if name in self.removed:
                continue
            try:
                found.append((name, json.loads(self.object(f"manifests/{name}"))))
            except Broken:
                print(f"backup {name} cannot be read", file=sys.stderr)
        return sorted(found, key=lambda entry: entry[1]["finished_at"], reverse=True)

    def items(self, tree: dict):
        """§7.2: (id, name, content's spans, microseconds, attributes) of each item; a branch that is lost is said."""
        ids = [tree["tops"][at : at + 32] for at in range(0, len(tree["tops"]), 32)]
        for _ in range(tree["depth"]):
            below = []
            for fork in ids:
                try:
                    text = self.chunk(bytes.fromhex(fork)).hex()
                except Broken as error:
                    print(f"a part of {tree['kind']} is lost: {error}", file=sys.stderr)
                    continue
                below += [text[at : at + 32] for at in range(0, len(text), 32)]
            ids = below
        for branch in ids:
            try:
                content = self.chunk(bytes.fromhex(branch))
                count = int.from_bytes(content[:4], "big")
                chunks = [content[4 + 16 * n : 20 + 16 * n] for n in range(count)]
                rows = json.loads(self.inner(content[4 + 16 * count :]))
            except Broken as error:
                print(f"a part of {tree['kind']} is lost: {error}", file=sys.stderr)
                continue
            for id, name, _, modified, _, flat, attributes in rows:
                spans = [(chunks[flat[at]], flat[at + 1], flat[at + 2]) for at in range(0, len(flat), 3)]
                yield id, name or id, spans, modified, attributes or {}


def safe(path: bytes) -> bytes | None:
    """A path below the folder, or nothing: a store is not trusted to name places on this machine."""
    parts = path.split(b"/")
    return None if b"\0" in path or any(part in (b"", b".", b"..") or len(part) > 255 for part in parts) else path


def bytes_of(attributes: dict, name: str, text: str) -> bytes:
    """§7.2: `name_bytes` and `link_bytes` stand for what is no UTF-8."""
    return bytes.fromhex(attributes[name]) if name in attributes else text.encode("utf-8", "replace")


def set_facts(target: Path, modified: int, attributes: dict, usual: int) -> None:
    ns = modified * 1000 + attributes.get("ns", 0)
    os.chmod(target, attributes.get("mode", usual) & 0o777)
    os.utime(target, ns=(ns, ns))


def write(store: Store, manifest: dict, into: Path) -> int:
    """How many items were lost."""
    lost, links = 0, []
    from_folder = manifest["device_told"].get("family") == "folder"
    for tree in manifest["kinds"]:
        for id, name, spans, modified, attributes in store.items(tree):
            shown = f"{tree['kind']}/{name.replace('/', '_')}"
            own = bytes_of(attributes, "name_bytes", id) if from_folder else shown.encode("utf-8", "replace")
            path = safe(own)
            target = into / os.fsdecode(path or b"")
            if path is None or target.exists():
                print(f"left out: {name!r}", file=sys.stderr)
                lost += 1
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            if "link" in attributes:
                links.append((target, bytes_of(attributes, "link_bytes", attributes["link"])))
                continue
            try:
                with target.open("xb") as file:
                    for chunk, offset, length in spans:
                        content = store.inner(store.chunk(chunk))
                        if offset + length > len(content):
                            raise Broken("a chunk is shorter than it should be")
                        file.write(content[offset : offset + length])
            except Broken as error:
                target.unlink()
                print(f"lost: {name!r}: {error}", file=sys.stderr)
                lost += 1
                continue
            set_facts(target, modified, attributes, 0o600)
    for target, points_to in links:  # last, so that nothing is written through one
        target.symlink_to(os.fsdecode(points_to))
    folders = list(store.items(manifest["folders"])) if manifest["folders"] else []
    for id, _, _, modified, attributes in sorted(folders, key=lambda row: bytes_of(row[4], "name_bytes", row[0]), reverse=True):
        path = safe(bytes_of(attributes, "name_bytes", id))
        if path is not None and not any(part.is_symlink() for part in (into / os.fsdecode(path), *(into / os.fsdecode(path)).parents)):
            (into / os.fsdecode(path)).mkdir(parents=True, exist_ok=True)
            set_facts(into / os.fsdecode(path), modified, attributes, 0o700)
    return lost


def secret_from(file: str | None, ask: str) -> str:
    return Path(file).read_text().removesuffix("\n") if file else getpass.getpass(f"{ask}: ")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("what", choices=["list", "restore"])
    parser.add_argument("store", type=Path)
    parser.add_argument("backup", nargs="?")
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--passphrase-file")
    parser.add_argument("--device-passphrase-file")
    given = parser.parse_args()
    store = Store(given.store, secret_from(given.passphrase_file, "Passphrase or recovery code"))
    found = store.manifests()
    if given.what == "list":
        for id, manifest in found:
            items, size = (sum(tree[field] for tree in manifest["kinds"]) for field in ("items", "bytes"))
            print(f"{id}  {manifest['finished_at']}  {items:>8} items  {size:>14} bytes  {manifest['device_told'].get('name')}")
        return 0
    if given.folder is None or given.folder.exists():
        parser.error("restore needs a BACKUP and a FOLDER that does not exist yet")
    wanted = [manifest for id, manifest in found if given.backup and id.startswith(given.backup)]
    if len(wanted) != 1:
        parser.error(f"{len(wanted)} backups begin with {given.backup}")
    if wanted[0]["sealed"]:
        store.device = store.unlock(wanted[0]["sealed"], secret_from(given.device_passphrase_file, "Passphrase of the device"))
        if store.device is None:
            raise SystemExit("This passphrase does not open the device.")
    given.folder.mkdir(parents=True)
    return 1 if write(store, wanted[0], given.folder) else 0


if __name__ == "__main__":
    sys.exit(main())
