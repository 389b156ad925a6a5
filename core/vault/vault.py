"""An opened vault: its keys, its index, and everything that only reads.

Writing is `writer`'s, removal `sweep`'s, proof `check`'s. The index is built on `refresh` from the index
objects and from the footers of packs that no index object mentions, so a writer that was killed loses
nothing that it uploaded.
"""

import contextlib
import json
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

import zstandard
from blake3 import blake3

from core.units import HOURS, MIB, aware
from core.vault import blobs as names
from core.vault.blobs import BlobStore, id_in, pack_name
from core.vault.chunking import unframed
from core.vault.errors import BlobExists, BlobMissing, Damaged, NewerVault, NoSuchBackup, NotAVault, VaultExists
from core.vault.index import ChunkIndex, Entry, decode_entries, decode_packs
from core.vault.keys import Cost, Randomness, VaultKeys, key_file_slot, opened, passphrase_slot
from core.vault.manifests import Manifest, Span, Stored, decode_branch, decode_manifest
from core.vault.sealing import open_chunk, open_object, seal_object

FORMAT, VERSION = "old-attic-vault", 1
FOOTER_SUFFIX = "#footer"
LENGTH_BYTES = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class VaultLimits:
    """Sizes and periods that a writer and a sweep keep to."""

    pack_bytes: int = 16 * MIB
    """A pack is closed once it holds this much."""
    bundle_bytes: int = 128 * 1024
    """Tiny items are stored together up to this size."""
    tiny_bytes: int = 4 * 1024
    """Items up to this size are tiny."""
    grace_seconds: int = 24 * HOURS
    """How long a marked pack stays before it is removed; longer than any run takes."""
    waste_percent: int = 40
    """A pack with more unneeded bytes than this is rewritten."""
    cached_bytes: int = 32 * MIB
    """Opened chunks that are kept at hand while reading."""


class Vault:
    """Reads. One object a thread."""

    def __init__(self, blobs: BlobStore, keys: VaultKeys, *, random: Randomness, limits: VaultLimits) -> None:
        self.blobs, self.keys, self.random, self.limits = blobs, keys, random, limits
        self.index = ChunkIndex()
        self.unreadable: dict[str, str] = {}
        """Index objects and packs that could not be read at the last refresh, each with why."""
        self._cache: OrderedDict[bytes, bytes] = OrderedDict()
        self._cached_bytes = 0
        self._index_objects: dict[str, list[tuple[bytes, list[Entry]]]] = {}

    # -- objects

    def read_object(self, name: str) -> bytes:
        """The opened, decompressed content of a sealed object. Raises BlobMissing, Damaged."""
        plain = open_object(self.keys, name, self.blobs.read(name))
        try:
            return zstandard.ZstdDecompressor().decompress(plain, max_output_size=1 << 30)
        except zstandard.ZstdError:
            raise Damaged(f"Object {name} cannot be decompressed.") from None

    def write_object(self, prefix: str, plain: bytes, *, id: bytes | None = None) -> str:
        """Seal and store; the new object's name."""
        name = prefix + (id or self.random(16)).hex()
        self.blobs.create(name, seal_object(self.keys, name, zstandard.compress(plain, 3), random=self.random))
        return name

    # -- index

    def refresh(self) -> None:
        """Learn what the store holds now. What cannot be read is left out and named in `unreadable`."""
        self.unreadable = {}
        index = ChunkIndex()
        index.marked = {pack for _, packs in self.marks().values() for pack in packs}
        sizes = {pack: size for name, size in self.blobs.list(names.PACKS) if (pack := id_in(name))}
        held: dict[str, list[tuple[bytes, list[Entry]]]] = {}
        for name, _ in sorted(self.blobs.list(names.INDEXES)):
            try:
                held[name] = self._index_objects.get(name) or list(decode_packs(self.read_object(name)))
            except BlobMissing:
                continue  # another sweep has just replaced it
            except Damaged as error:
                self.unreadable[name] = error.message
                continue
            for pack, entries in held[name]:
                if pack in sizes:
                    index.add(pack, entries)
        self._index_objects = held
        for pack in sizes.keys() - index.packs.keys():
            try:
                index.add(pack, self.footer(pack, sizes[pack]))
            except BlobMissing:
                continue
            except Damaged as error:
                self.unreadable[pack_name(pack)] = error.message
        self.index = index

    def index_objects(self) -> list[str]:
        """Names of the index objects that the last refresh could read."""
        return list(self._index_objects)

    def footer(self, pack: bytes, size_bytes: int) -> list[Entry]:
        """The entries of a pack, from its own footer (§6.1). Raises Damaged, BlobMissing."""
        name = pack_name(pack)
        if size_bytes < LENGTH_BYTES:
            raise Damaged(f"Pack {name} is cut short.")
        length = int.from_bytes(self.blobs.read(name, offset=size_bytes - LENGTH_BYTES, length=LENGTH_BYTES), "big")
        if length > size_bytes - LENGTH_BYTES:
            raise Damaged(f"Pack {name} is cut short.")
        sealed = self.blobs.read(name, offset=size_bytes - LENGTH_BYTES - length, length=length)
        entries = decode_entries(open_object(self.keys, name + FOOTER_SUFFIX, sealed))
        if sum(entry.sealed_bytes for entry in entries) != size_bytes - LENGTH_BYTES - length:
            raise Damaged(f"Pack {name} does not hold what its footer says.")
        return entries

    def marks(self) -> dict[str, tuple[datetime, list[bytes]]]:
        """Marks of sweeps: object name → (when, packs). Damaged ones are named in `unreadable`."""
        found = {}
        for name, _ in self.blobs.list(names.MARKS):
            try:
                told = json.loads(self.read_object(name))
                found[name] = (datetime.fromisoformat(told["at"]), [bytes.fromhex(pack) for pack in told["packs"]])
            except BlobMissing:
                continue
            except Damaged as error:
                self.unreadable[name] = error.message
        return found

    # -- chunks and items

    def chunk(self, chunk: bytes) -> bytes:
        """The content of a chunk. Raises Damaged when it is missing, damaged or not what it claims to be."""
        if chunk in self._cache:
            self._cache.move_to_end(chunk)
            return self._cache[chunk]
        content = self.proven(chunk, self.sealed_chunk(chunk))
        self._cache[chunk] = content
        self._cached_bytes += len(content)
        while self._cached_bytes > self.limits.cached_bytes:
            self._cached_bytes -= len(self._cache.popitem(last=False)[1])
        return content

    def sealed_chunk(self, chunk: bytes) -> bytes:
        place = self.index.place(chunk)
        if place is None:
            raise Damaged(f"Chunk {chunk.hex()} is missing from the store.")
        try:
            return self.blobs.read(pack_name(place.pack), offset=place.offset, length=place.sealed_bytes)
        except BlobMissing:
            raise Damaged(f"Pack {pack_name(place.pack)} is missing from the store.") from None

    def proven(self, chunk: bytes, sealed: bytes) -> bytes:
        """The content of a sealed chunk, after its id has been computed again."""
        content = unframed(open_chunk(self.keys, chunk, sealed))
        if self.keys.chunk_id(content) != chunk:
            raise Damaged(f"Chunk {chunk.hex()} holds other content than its id says.")
        return content

    def read(self, stored: Stored) -> Iterator[bytes]:
        """The content of an item, in pieces of at most a chunk."""
        for span in stored.spans:
            yield self._part(span)

    def _part(self, span: Span) -> bytes:
        content = self.chunk(span.chunk)
        if span.offset + span.length_bytes > len(content):
            raise Damaged(f"Chunk {span.chunk.hex()} is shorter than the manifest says.")
        return content[span.offset : span.offset + span.length_bytes]

    # -- backups

    def backup_ids(self) -> list[bytes]:
        return [id for name, _ in self.blobs.list(names.MANIFESTS) if (id := id_in(name))]

    def manifest(self, id: bytes) -> Manifest:
        """The root of a backup. Raises NoSuchBackup, Damaged."""
        try:
            return decode_manifest(self.read_object(names.MANIFESTS + id.hex()), id=id)
        except BlobMissing:
            raise NoSuchBackup(f"The store holds no backup {id.hex()}.") from None

    def manifests(self) -> list[Manifest]:
        """Every readable backup, newest first; unreadable ones are named in `unreadable`."""
        found = []
        for id in self.backup_ids():
            try:
                found.append(self.manifest(id))
            except NoSuchBackup:
                continue
            except Damaged as error:
                self.unreadable[names.MANIFESTS + id.hex()] = error.message
        return sorted(found, key=lambda manifest: (manifest.finished_at, manifest.id), reverse=True)

    def items(self, manifest: Manifest, kind: str) -> Iterator[Stored]:
        """Items of one kind, sorted by id. Nothing for a kind that the backup does not hold."""
        summary = manifest.summary(kind)
        for branch in summary.branches if summary else ():
            yield from decode_branch(self.chunk(branch), kind=kind)

    def chunks_of(self, manifest: Manifest) -> set[bytes]:
        """Ids of every chunk that the backup needs, branches included."""
        needed: set[bytes] = set()
        for summary in manifest.kinds:
            needed.update(summary.branches)
            needed.update(span.chunk for stored in self.items(manifest, summary.kind) for span in stored.spans)
        return needed

    def remove(self, id: bytes) -> None:
        """Forget a backup at once; its bytes go with a later sweep. Nothing happens when it is gone."""
        self.blobs.delete(names.MANIFESTS + id.hex())

    def stored_bytes(self) -> int:
        """Everything that lies in the store, down to headers and keys."""
        return sum(size for _, size in self.blobs.list(""))


def create_vault(
    blobs: BlobStore, *, passphrase: str, key_file: bytes | None, now: datetime, random: Randomness, cost: Cost, limits: VaultLimits
) -> Vault:
    """Prepare an empty place. The header is written last, so a half-made vault is none. Raises VaultExists."""
    if any(True for _ in blobs.list("")):
        raise VaultExists("This place is not empty.")
    keys = VaultKeys(vault=random(16), master=random(32))
    blobs.create(names.KEYS + random(16).hex(), passphrase_slot(keys, passphrase, random=random, cost=cost))
    if key_file is not None:
        blobs.create(names.KEYS + random(16).hex(), key_file_slot(keys, key_file, random=random))
    with contextlib.suppress(BlobExists):
        blobs.create(names.HEADER, _header(keys, aware(now)))
    return Vault(blobs, keys, random=random, limits=limits)


def open_vault(
    blobs: BlobStore, *, passphrase: str | None = None, key_file: bytes | None = None, random: Randomness, limits: VaultLimits
) -> Vault:
    """Open with a passphrase or a key file. Raises NotAVault, NewerVault, WrongPassphrase, Damaged."""
    try:
        told = json.loads(blobs.read(names.HEADER))
        if not isinstance(told, dict) or told.get("format") != FORMAT:
            raise NotAVault("There is no vault here.")
        if told["version"] != VERSION:
            raise NewerVault(f"This vault is of version {told['version']}; this program reads version {VERSION}.")
        vault, seal = bytes.fromhex(told["vault"]), bytes.fromhex(told["seal"])
    except BlobMissing:
        raise NotAVault("There is no vault here.") from None
    except (ValueError, KeyError, TypeError):
        raise NotAVault("The header of this vault cannot be read.") from None
    slots = [blobs.read(name) for name, _ in sorted(blobs.list(names.KEYS))]
    keys = opened(slots, vault=vault, passphrase=passphrase, key_file=key_file)
    if _seal_of(keys, told) != seal:
        raise Damaged("The header of this vault was changed.")
    return Vault(blobs, keys, random=random, limits=limits)


def add_key_file(vault: Vault, key_file: bytes) -> None:
    """Give the server's key file a slot of its own in an opened vault."""
    vault.blobs.create(names.KEYS + vault.random(16).hex(), key_file_slot(vault.keys, key_file, random=vault.random))


def _header(keys: VaultKeys, now: datetime) -> bytes:
    told = {"format": FORMAT, "version": VERSION, "vault": keys.vault.hex(), "created_at": now.isoformat()}
    return json.dumps(told | {"seal": _seal_of(keys, told).hex()}, sort_keys=True).encode()


def _seal_of(keys: VaultKeys, told: dict[str, object]) -> bytes:
    content = json.dumps({name: value for name, value in told.items() if name != "seal"}, sort_keys=True).encode()
    return blake3(content, key=keys.header).digest()
