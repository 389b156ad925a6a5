"""Joins ports and adapters. The only file that names both."""

import secrets
from collections.abc import Callable, Sequence
from dataclasses import asdict
from datetime import UTC, datetime, tzinfo
from pathlib import Path
from uuid import UUID

from django.conf import settings

from adapters.clocks.machine import synchronised, ticks
from adapters.clocks.mail import mail_date
from adapters.destinations.downloads import SealedDownloads
from adapters.destinations.lying import FolderOnServer
from adapters.destinations.scratch import ScratchFolder
from adapters.hooks.http import checked_address, post
from adapters.keys.files import KeyFiles
from adapters.keys.server_key import KeyKind, OtherKey, make_key, place_in, read_key
from adapters.keys.server_key import fingerprint as fingerprint_of_key
from adapters.links.agent import AgentLink
from adapters.links.agent_pairing import offers, pair
from adapters.links.folder import FolderLink
from adapters.links.gathered import GatheredLink
from adapters.links.paced import PacedLink
from adapters.links.sftp import SftpLink
from adapters.links.sftp_session import Sftp, fingerprint, host_key, new_key
from adapters.places import StorePlaces
from adapters.stores.drives import PLACES, Drives
from adapters.stores.places import blobs_at, make_room
from core.content.classify import FileRule
from core.content.errors import LinkError
from core.content.link import DeviceLink
from core.errors import AtticError
from core.exchange.folders import LyingFolder
from core.recovery.drill import Scratch
from core.schedule.clock import Ticks
from core.vault.address import SftpAddress, StoreAddress
from core.vault.blobs import BlobStore
from core.vault.chunks import VaultLimits
from core.vault.errors import WrongPassphrase
from core.vault.key_slots import STRICT, add_key_file
from core.vault.opening import create_vault, open_vault
from core.vault.vault import Vault
from server.fleet.convert import private_ssh_key
from server.people.queries import key_fingerprint
from server.ports import DriveSeen, FilesLink, KeyTold, NetworkOffer, OldLink, Paired, SftpPlace
from server.storage.queries import store_paths


class Wiring:
    """The real outside."""

    def __init__(self, known_fingerprint: Callable[[], str] = key_fingerprint) -> None:
        env = settings.ATTIC_ENV
        self._env, self._known_fingerprint = env, known_fingerprint
        self._key_place = place_in(env.key, data=env.data, credentials=env.credentials)
        self._keys = KeyFiles(env.data / "keys", self._server_key)
        keys = (env.data / "keys", self._key_place.path.parent) if self._key_place.kind is KeyKind.MEDIUM else (env.data / "keys",)
        self._places = StorePlaces(data=env.data, program=settings.ROOT, keys=keys, roots=env.roots)
        self.limits = VaultLimits(pack_bytes=env.pack_bytes, grace_seconds=env.grace_seconds, waste_percent=env.waste_percent)
        self._drives = Drives(env.drives or PLACES)
        self.slot_policy = STRICT
        self.downloads = SealedDownloads(env.data / "exports", key=self._server_key, word=env.start, random=self.random)
        self.incoming = env.data / "incoming"
        self.remembered = env.data / "remembered"

    def now(self) -> datetime:
        return datetime.now(UTC)

    def random(self, count: int) -> bytes:
        return secrets.token_bytes(count)

    def _server_key(self) -> bytes:
        """The one that the database knows. Raises KeyMissing, OtherKey."""
        content, known = read_key(self._key_place), self._known_fingerprint()
        if known and fingerprint_of_key(content) != known:
            raise OtherKey(f"The key at {self._key_place.path} is not that of this server.")
        return content

    def key_state(self) -> KeyTold:
        place = self._key_place
        try:
            print_ = fingerprint_of_key(self._server_key())
            return KeyTold(kind=place.kind, where=str(place.path), thief=place.thief, fingerprint=print_, trouble="", remedy="")
        except AtticError as error:
            return KeyTold(
                kind=place.kind, where=str(place.path), thief=place.thief, fingerprint="", trouble=error.message, remedy=error.remedy
            )

    def make_key(self) -> str:
        return fingerprint_of_key(make_key(self._key_place))

    def ticks(self) -> Ticks:
        return ticks()

    def outer_clocks(self) -> Sequence[tuple[str, str, datetime]]:
        references = [("the kernel's time service", "kernel", self.now())] if synchronised() else []
        if self._env.mail_host:
            there = mail_date(self._env.mail_host, self._env.mail_port)
            references += [(f"the mail server {self._env.mail_host}", "mail", there)] if there is not None else []
        return references

    def offers(self) -> Sequence[NetworkOffer]:
        if not self._env.announcements_url:
            return []
        names = NetworkOffer.__dataclass_fields__
        return [NetworkOffer(**{name: getattr(offer, name) for name in names}) for offer in offers(self._env.announcements_url)]

    def pair(self, address: str, code: str) -> Paired:
        paired = pair(address, code, server_name="Old Attic")
        return Paired(device=paired.device, key=paired.key, accepted=paired.accepted)

    def unpair(self, agent_id: str, address: str, key: bytes) -> None:
        link = AgentLink(self._address(agent_id) or address, key, random=self.random, timeout_seconds=8)
        try:
            link.unpair()
        finally:
            link.close()

    def agent_link(self, agent_id: str, address: str, key: bytes) -> DeviceLink:
        return AgentLink(self._address(agent_id) or address, key, random=self.random)

    def meet_sftp(self, host: str, port: int) -> tuple[str, str]:
        key = host_key(host, port)
        return key, fingerprint(key)

    def fingerprint(self, host_key: str) -> str:
        return fingerprint(host_key)

    def make_ssh_key(self) -> tuple[str, str]:
        return new_key("old-attic")

    def sftp_link(self, where: SftpPlace, rules: Sequence[FileRule]) -> FilesLink:
        return SftpLink(Sftp(**asdict(where)), rules)

    def old_link(self, path: Path, zone: tzinfo) -> OldLink:
        return GatheredLink(path if path.is_relative_to(self.incoming) else self._places.checked(str(path)), zone=zone)

    def paced(self, link: DeviceLink, limit: Callable[[], int | None]) -> DeviceLink:
        return PacedLink(link, limit)

    def _address(self, agent_id: str) -> str | None:
        """Where the device announces itself now; its key, not its address, proves that it is the one."""
        try:
            return next((offer.address for offer in self.offers() if offer.device == agent_id), None)
        except LinkError:
            return None

    def folder_link(self, path: str, rules: Sequence[FileRule] = ()) -> FilesLink:
        return FolderLink(self._places.checked(path), rules)

    def place(self, path: str, *, of_store: UUID | None = None) -> Path:
        return self._places.checked(path, stores=store_paths(besides=of_store))

    def drives(self, known: Sequence[str]) -> Sequence[DriveSeen]:
        return [DriveSeen(path=one.path, store=one.store) for one in self._drives.sightings(known)]

    def drive_held_by(self, path: str) -> Sequence[str]:
        return self._drives.holders(path)

    def flush_drive(self, path: str) -> None:
        self._drives.flush(path)

    def to_try(self, address: StoreAddress) -> Callable[[], BlobStore]:
        reach = self._reaching(address)

        def made() -> BlobStore:
            make_room(address)
            return reach()

        return made

    def blobs(self, address: StoreAddress) -> BlobStore:
        return self._reaching(address)()

    def _reaching(self, address: StoreAddress) -> Callable[[], BlobStore]:
        key = private_ssh_key() if isinstance(address, SftpAddress) else ""
        return lambda: blobs_at(address, ssh_key=key)

    def create_vault(self, address: StoreAddress, passphrase: str, *, same_key_as: Vault | None = None) -> tuple[Vault, str]:
        make_room(address)
        return create_vault(
            self.blobs(address),
            passphrase=passphrase,
            key_file=self._server_key(),
            now=self.now(),
            random=self.random,
            limits=self.limits,
            same_key_as=same_key_as,
        )

    def attach_vault(self, address: StoreAddress, passphrase: str) -> Vault:
        blobs = self.blobs(address)
        vault = open_vault(blobs, passphrase=passphrase, random=self.random, limits=self.limits)
        try:
            open_vault(blobs, key_file=self._server_key(), random=self.random, limits=self.limits)
        except WrongPassphrase:
            add_key_file(vault, self._server_key(), now=self.now())
        return vault

    def open_vault(self, address: StoreAddress) -> Vault:
        return open_vault(self.blobs(address), key_file=self._server_key(), random=self.random, limits=self.limits)

    def scratch(self, name: str) -> Scratch:
        return ScratchFolder(self._env.data / "scratch" / name)

    def export_folder(self, path: str) -> LyingFolder:
        return FolderOnServer(self._places.checked(path, stores=store_paths(), field="folder"))

    def checked_hook(self, address: str) -> str:
        return checked_address(address)

    def tell_hook(self, address: str, body: bytes, *, key: bytes, key_id: str, inside: bool) -> None:
        post(address, body, key=key, key_id=key_id, inside=inside, created=int(self.now().timestamp()))

    def seal(self, purpose: str, secret: bytes) -> bytes:
        return self._keys.seal(purpose, secret)

    def unseal(self, purpose: str, sealed: bytes) -> bytes:
        return self._keys.unseal(purpose, sealed)
