"""Vault and store errors.

AtticError
├── StoreError              the place where bytes lie
│   ├── StoreMissing        the folder or bucket is not there
│   │   └── StoreAway       a drive that is known to be elsewhere, or about to be taken away
│   ├── StoreReadOnly       it may not be written
│   ├── StoreFull           it took part of what was written, or nothing
│   ├── StoreUnreachable    it does not answer, or answers nonsense
│   ├── StoreClosed         somebody has decided that nothing goes there
│   ├── StoreForbidden      its address leads to where nothing may be asked
│   ├── StoreHolds          what is to be removed is locked there, or may not be removed
│   ├── StoreFault          it did what no adapter knows
│   ├── AnotherVault        another store lies where this one should be
│   ├── StoreTwice          two places say that they are this store: one is a clone
│   └── OlderCopy           an earlier state of this store lies where it should be: a clone, or put back
├── BlobMissing             one object is not there
├── BlobExists              an object of this name is there already
└── VaultError              the bytes in the store
    ├── NotAVault           there is no header, or it is not one
    ├── NewerVault          a later version of the format
    ├── VaultExists         the store already holds a vault
    ├── WrongPassphrase     no key slot opens; one message whatever the reason
    │   └── MistypedCode    what was offered is a recovery code with a slip in it, as its own checksum says
    ├── Damaged             bytes are not what was sealed
    ├── NoSuchBackup        the store holds no backup of this id
    ├── RunTooLong          packs that this run relied on are gone
    ├── DeviceSealed        the key of a sealed device is not at hand
    ├── AlreadySealed       the device has a key of its own already
    ├── SweptByAnother      another server has said that it sweeps this store
    └── LastSlot            nobody could open the store any more
Stopped                     somebody asked for the work to end (not an error of anything)
"""

from core.errors import AtticError, Unforeseen


class StoreError(AtticError):
    code = "store.error"


class StoreMissing(StoreError):
    code = "store.missing"
    remedy = "Mount the drive or correct the path under Storage, then run again."


class StoreAway(StoreMissing):
    code = "store.away"
    remedy = "Plug it in; what waits for it goes on by itself."


class StoreTwice(StoreError):
    code = "store.twice"
    remedy = "Take one of them out: one is a clone of the other. Nothing was written, removed or marked."


class StoreReadOnly(StoreError):
    code = "store.read_only"
    remedy = "Give the server's account the right to write there, then run again."


class StoreFull(StoreError):
    code = "store.full"
    remedy = "Make room: remove backups that are no longer needed, or give the store more space. Nothing that was stored before is lost."


class StoreUnreachable(StoreError):
    code = "store.unreachable"
    remedy = "Look whether the drive or service is up; the run is tried again by itself."


class StoreClosed(StoreError):
    code = "store.closed"
    remedy = "Take the store into use again on its page, or give the plan another one."


class StoreForbidden(StoreError):
    code = "store.forbidden"
    remedy = "Give the address of the service."


class StoreHolds(StoreError):
    code = "store.holds"
    remedy = "Wait until its lock is over, or give the access key the right to remove versions. It counts as stored until then."


class StoreFault(StoreError, Unforeseen):
    code = "store.unforeseen"


class AnotherVault(StoreError):
    code = "store.another_vault"
    remedy = "Put the right drive there, or correct the path under Storage. Nothing was written, removed or marked."


class OlderCopy(StoreError):
    code = "store.older_copy"
    remedy = (
        "Put the newer drive back. If that one is lost for good, say so on the page of the store: "
        "what this one lacks is listed as missing then."
    )


class BlobMissing(AtticError):
    code = "store.object_missing"
    remedy = "Run a check of the store; it names every backup that this touches."


class BlobExists(AtticError):
    code = "store.object_exists"


class VaultError(AtticError):
    code = "vault.error"


class NotAVault(VaultError):
    code = "vault.none"
    remedy = "Choose the folder that holds the file `header`, or let Old Attic prepare an empty folder."


class NewerVault(VaultError):
    code = "vault.newer"
    remedy = "Update this program, or use one that knows the newer format."


class VaultExists(VaultError):
    code = "vault.exists"
    remedy = "Attach it with its passphrase, or choose an empty folder."


class WrongPassphrase(VaultError):
    code = "vault.wrong_passphrase"
    remedy = "Type it again; mind capitals and the keyboard's language. Without it nobody can open this store."
    field = "passphrase"

    def __init__(self, message: str = "This passphrase does not open the store.", *, remedy: str | None = None) -> None:
        super().__init__(message, remedy=remedy)


class MistypedCode(WrongPassphrase):
    code = "vault.mistyped_code"


class Damaged(VaultError):
    code = "vault.damaged"
    remedy = "Run a check of the store: it names every backup that this touches. Everything else still restores."


class NoSuchBackup(VaultError):
    code = "vault.no_such_backup"
    remedy = "Choose one that is listed; this one was removed, or never was."


class RunTooLong(VaultError):
    code = "vault.run_too_long"
    remedy = "Run again: most of it is stored already and will be used again."


class DeviceSealed(VaultError):
    code = "vault.device_sealed"
    remedy = "Give the passphrase of this device, or its recovery code."
    field = "device_passphrase"


class AlreadySealed(VaultError):
    code = "vault.already_sealed"
    remedy = "Add another passphrase to its key instead, with the one that it has."


class LastSlot(VaultError):
    code = "vault.last_slot"
    remedy = "Add another passphrase or recovery code first, then remove this one."


class SweptByAnother(VaultError):
    code = "vault.swept_by_another"
    remedy = "Let that server do it; when it is gone for good, hand the sweeping over first."

    def __init__(self, message: str = "Another server sweeps this store.", *, name: str = "", remedy: str | None = None) -> None:
        super().__init__(message, remedy=remedy)
        self.name = name


class Stopped(AtticError):
    code = "run.stopped"
    remedy = "Run again when it suits: what was already stored is used again."
