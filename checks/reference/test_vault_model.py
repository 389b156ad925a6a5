"""The vault against plain dictionaries: any sequence of backups, removals, sweeps, copies, changed passphrases, damage and crashes.

Two stores with the same key and a third with another; each is a dictionary of backups, a backup is a dictionary
of items. Some are of a device that is sealed, in each store with a key of its own. After every step all three are what the
dictionaries say, their checks are clean, and every key opens with what it should open with.
"""

import random
from contextlib import suppress
from datetime import timedelta
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.vault import blobs as names
from core.vault.capture import Capture, Request
from core.vault.check import check, note_damage
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.key_slots import change_passphrase, live_slots
from core.vault.memory import MemoryBlobs
from core.vault.repair import repair
from core.vault.sealed_devices import key_of, seal_device
from core.vault.slots import Secret, first_that_opens
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import LENIENT, Bench, MemoryDevice, contents
from core.vault.tests.faults import Fault, Faulty, Killed
from core.vault.vault import Vault
from core.vault.writer import Writer

Content = dict[tuple[str, str], bytes]

LIMITS = VaultLimits(pack_bytes=32 * 1024, bundle_bytes=2 * 1024, tiny_bytes=512, grace_seconds=3600)
"""So small that bundles die in a few steps."""
FILES = st.dictionaries(
    st.tuples(st.sampled_from(["contacts", "photos", "app_data"]), st.sampled_from("abcdef")),
    st.sampled_from([b"", b"tiny", b"x" * 5_000, bytes(range(256)) * 120, b"SQLite format 3\x00" + bytes(70_000)]),
    max_size=6,
)
MESSAGES = [("messages", f"m{n:02}") for n in range(48)]


def written(files: Content, seed: int, every: int) -> Content:
    """Files, and of many small messages those that are not yet gone; another seed writes them all anew."""
    return files | {key: random.Random(seed * 100 + n).randbytes(120) for n, key in enumerate(MESSAGES) if n % every == 0}


CONTENT = st.builds(written, FILES, st.integers(0, 1), st.sampled_from([1, 1, 2, 5, 17]))
AT = st.one_of(st.none(), st.integers(0, 40))
"""At which operation the process is killed; none: it lives."""
STORE = st.integers(0, 2)
STEPS = st.one_of(
    st.tuples(st.just("backup"), CONTENT, STORE, AT),
    st.tuples(st.just("backup of the captain"), CONTENT, STORE, AT),
    st.tuples(st.just("remove"), st.integers(0, 5), STORE, AT),
    st.tuples(st.just("sweep"), st.sampled_from([0, 1, 3]), STORE, AT),
    st.tuples(st.just("copy"), STORE, STORE, AT),
    st.tuples(st.just("change the captain's passphrase"), st.none(), STORE, AT),
    st.tuples(st.just("put old slots back"), st.none(), STORE, st.none()),
    st.tuples(st.just("damage"), st.integers(0, 50), STORE, st.none()),
)


def _unlock(vault: Vault, key: bytes, words: str) -> bool:
    """Have the key at hand, when the words open it."""
    opens = first_that_opens([slot for slot in live_slots(vault) if slot.opens == key], Secret(passphrase=words))
    if opens is not None:
        vault.device_keys[key] = opens[1]
    return opens is not None


class Stores:
    """Three stores and what they should hold."""

    def __init__(self) -> None:
        first = Bench(Faulty(MemoryBlobs()), limits=LIMITS)
        twin = Bench(Faulty(MemoryBlobs()), limits=LIMITS, seed=8, same_key_as=first.vault)
        self.benches = [first, twin, Bench(Faulty(MemoryBlobs()), limits=LIMITS, seed=9)]
        self.model: list[dict[bytes, Content]] = [{}, {}, {}]
        self.everything: dict[bytes, Content] = {}
        self.words: dict[bytes, list[str]] = {}
        """Key of the captain → its passphrases, the last one being that of today."""
        self.homes: dict[bytes, int] = {}
        self.slots: list[dict[str, bytes]] = [{}, {}, {}]
        """Every key slot that ever lay in a store."""

    def blobs(self, number: int) -> Faulty:
        blobs: Faulty = self.benches[number].blobs  # type: ignore[assignment]
        return blobs

    def step(self, what: str, argument: object, number: int, at: int | None) -> None:
        bench, model, blobs = self.benches[number], self.model[number], self.blobs(number)
        keys = self._captains_keys(number) if "captain" in what else []
        if at is not None:
            blobs.set(Fault.KILL_AFTER, at)
        with suppress(Killed):
            if what == "backup":
                self._backup(bench, model, dict(argument), None)  # type: ignore[call-overload]
            elif what == "backup of the captain":
                vault = bench.again()
                unlocked = self.unlocked(vault, keys[0])
                self._backup(bench, model, dict(argument), unlocked)  # type: ignore[call-overload]
            elif what == "remove" and model:
                id = sorted(model)[int(argument) % len(model)]  # type: ignore[call-overload]
                bench.again().remove(id)
                del model[id]
            elif what == "sweep":
                bench.now += timedelta(hours=int(argument))  # type: ignore[call-overload]
                sweep(bench.again(), now=bench.now)
            elif what == "copy" and argument != number:
                copy(self.benches[int(argument)].again(), bench.again())  # type: ignore[call-overload]
                model.update(self.model[int(argument)])  # type: ignore[call-overload]
            elif what == "change the captain's passphrase" and self.homes[keys[0]] == number:
                words = self.words[keys[0]]
                words.append(f"the captain's words number {len(words)}")
                change_passphrase(bench.again(), words[-2], words[-1], now=bench.now, device="captain", policy=LENIENT)
        blobs.heal()
        if what == "put old slots back":
            blobs.below.held |= self.slots[number]  # type: ignore[attr-defined]
        changed = what == "change the captain's passphrase" and self.homes[keys[0]] == number
        if changed and not _unlock(bench.again(), keys[0], self.words[keys[0]][-1]):
            self.words[keys[0]].pop()  # killed before there was a new one
        if what == "damage":
            self._damage_and_mend(number, int(argument))  # type: ignore[call-overload]
        self.slots[number] |= {name: held for name, held in blobs.below.held.items() if name.startswith(names.KEYS)}  # type: ignore[attr-defined]
        self._learn(number)

    def _captains_keys(self, number: int) -> list[bytes]:
        """Sealed with a key of this store's own when nobody has brought one."""
        bench = self.benches[number]
        if key_of(bench.again(), "captain") is None:
            first = f"the captain's first words in store {number}"
            keys, _ = seal_device(bench.again(), "captain", first, now=bench.now, policy=LENIENT)
            self.words[keys.id], self.homes[keys.id] = [first], number
        key = key_of(bench.again(), "captain")
        assert key is not None
        return [key]

    def unlocked(self, vault: Vault, key: bytes) -> Vault:
        """With the key at hand. In the store where it was made today's passphrase opens it and no earlier one does; elsewhere one
        of them."""
        assert any(_unlock(vault, key, words) for words in reversed(self.words[key]))
        return vault

    def passphrases(self, number: int) -> None:
        vault = self.benches[number].again()
        for key, home in self.homes.items():
            if home == number:
                opening = [words for words in self.words[key] if _unlock(vault, key, words)]
                assert opening == self.words[key][-1:], (opening, self.words[key])

    def _backup(self, bench: Bench, model: dict[bytes, Content], content: Content, sealed: Vault | None) -> None:
        device = "captain" if sealed else "d1"
        previous = next((manifest for manifest in (sealed or bench.again()).manifests() if manifest.device == device), None)
        drawn_by = bench.random

        def watched(count: int) -> bytes:
            # the id of a backup is drawn before it is written: so the dictionary knows it even when the process dies after that
            drawn = drawn_by(count)
            self.everything[drawn] = content
            return drawn

        bench.random = watched  # type: ignore[method-assign]
        try:
            if sealed is None:
                captured = bench.capture(MemoryDevice(dict(content)), previous)
            else:
                captured = self._captain(bench, sealed, content, previous)
        finally:
            bench.random = drawn_by  # type: ignore[method-assign]
        model[captured.manifest.id] = content

    def _captain(self, bench, vault, content, previous):  # type: ignore[no-untyped-def]
        bench.now += timedelta(minutes=1)
        vault.random = bench.random
        (keys,) = vault.device_keys.values()
        previous = previous if previous is not None and previous.sealed == keys.id else None
        request = Request(
            device="captain", device_told={"name": "captain"}, kinds=tuple({kind for kind, _ in content}), note="", zone="UTC"
        )
        return Capture(MemoryDevice(dict(content)), Writer(vault, inner=keys), request, clock=lambda: bench.now).run(previous)

    def _learn(self, number: int) -> None:
        """What was committed, removed or copied just before the process was killed counts."""
        there = set(self.benches[number].again().backup_ids())
        for id in there - self.model[number].keys():
            for known in (self.everything, *self.model):
                if id in known:
                    self.model[number][id] = known[id]

    def _damage_and_mend(self, number: int, pick: int) -> None:
        """A pack of one store is hurt; the others have everything, so a repair brings it back."""
        bench, blobs = self.benches[number], self.blobs(number)
        packs = sorted(name for name, _ in blobs.list(names.PACKS))
        if not packs:
            return
        other = 1 - number if number < 2 else 0
        copy(bench.again(), self.benches[other].again())
        self.model[other].update(self.model[number])
        name = packs[pick % len(packs)]
        held = blobs.below.held  # type: ignore[attr-defined]
        place = pick * 37 % len(held[name])
        held[name] = held[name][:place] + bytes([held[name][place] ^ 4]) + held[name][place + 1 :]
        vault = bench.again()
        note_damage(vault, check(vault, percent=100))
        assert repair(bench.again(), self.benches[other].again()).left == []
        for hours in (0, 2, 2):
            bench.now += timedelta(hours=hours)
            sweep(bench.again(), now=bench.now)


class TheVaultIsADictionary(TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(STEPS, max_size=7))
    def test_after_any_sequence_every_backup_reads_back_and_the_stores_are_whole(self, steps):
        stores = Stores()
        for what, argument, number, at in steps:
            stores.step(what, argument, number, at)
            for bench, model in zip(stores.benches, stores.model, strict=True):
                self.assertLessEqual(set(bench.again().backup_ids()), set(model))
                vault = bench.again()
                for manifest in vault.manifests():
                    if manifest.sealed is not None:
                        stores.unlocked(vault, manifest.sealed)
                for id in vault.backup_ids():
                    self.assertEqual(contents(vault, vault.manifest(id)), model[id])
                self.assertEqual([(entry.object, entry.reason) for entry in check(bench.again(), percent=100).damaged], [])
            stores.passphrases(number)
        for number, bench in enumerate(stores.benches):
            # what is not in flight is exactly what is there: one more sweep, and the dry run before it tells its effect
            self.assertLessEqual(set(bench.again().backup_ids()), set(stores.model[number]))
            planned = plan_sweep(bench.again())
            before = sum(size for _, size in bench.blobs.list(names.PACKS))
            swept = sweep(bench.again(), now=bench.now + timedelta(days=9), grace_seconds=0)
            self.assertEqual((swept.freed_bytes, swept.kept_bytes), (planned.freed_bytes, planned.kept_bytes))
            self.assertEqual(swept.kept_bytes, sum(size for _, size in bench.blobs.list("")))
            self.assertLessEqual(sum(size for _, size in bench.blobs.list(names.PACKS)), before)
