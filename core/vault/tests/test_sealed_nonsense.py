"""Objects that whoever holds the keys has sealed and that say nothing: another program's, a faulty one's. A check names them, nothing else
is lost by them, and no error comes that nobody foresaw."""

from unittest import TestCase

from core.vault import blobs as names
from core.vault.check import check
from core.vault.erased import erased_notes
from core.vault.errors import Damaged
from core.vault.offices import read_offices
from core.vault.sweep import sweep
from core.vault.sweeper import who_sweeps
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone
from core.vault.vault import Vault

NONSENSE = (
    b"{",
    b"\xff",
    b"5",
    b"[]",
    b"{}",
    b"[" * 100_000,
    b'{"packs": "zz", "at": "yesterday", "who": 5, "number": true, "what": 7, "chunks": "abc"}',
    b'{"packs": {"zz": "zz"}, "at": 5, "chunks": [], "what": [], "notes": 5, "told": 5, "entries": [5], "server": "ab", "format": 1}',
)
NAMED = (
    names.INDEXES,
    names.MANIFESTS,
    names.MARKS,
    names.LEDGERS,
    names.STAYS,
    names.DAMAGE,
    names.REVISIONS,
    names.ERASED,
)
BY_NAME_ALONE = (names.SEEN, names.REMOVED)
"""What they tell stands in their names."""
ANOTHER_PROGRAMS = (names.SWEEPERS, names.OFFICES)
"""One of another shape is left alone."""
ID = "ab" * 16


class SealedNonsense(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = Bench()
        cls.content = phone()
        cls.manifest = cls.bench.capture(MemoryDevice(cls.content)).manifest
        cls.held = dict(cls.bench.blobs.held)  # type: ignore[attr-defined]

    def beside(self, prefix: str, content: bytes) -> Vault:
        """The store with such an object in it, opened."""
        held = self.bench.blobs.held  # type: ignore[attr-defined]
        held.clear()
        held.update(self.held)
        held[prefix + ID] = self.bench.vault.sealed_object(prefix + ID, content, compress=False)
        return self.bench.again()

    def test_a_check_names_them_and_what_was_stored_is_read_as_before(self):
        for prefix in (*NAMED, *BY_NAME_ALONE, *ANOTHER_PROGRAMS):
            for content in NONSENSE:
                with self.subTest(prefix=prefix, content=content[:20]):
                    vault = self.beside(prefix, content)
                    self.assertEqual(contents(vault, vault.manifest(self.manifest.id)), self.content)
                    found = {entry.object for entry in check(vault).damaged}
                    wanted = {prefix + ID} if prefix in NAMED else {names.MANIFESTS + ID} if prefix == names.SEEN else set()
                    self.assertEqual(found, wanted)

    def test_a_run_goes_on_beside_them_but_for_a_mark_which_a_sweep_clears(self):
        for prefix in (*NAMED, *BY_NAME_ALONE, *ANOTHER_PROGRAMS):
            with self.subTest(prefix=prefix):
                self.beside(prefix, b"{}")
                device = MemoryDevice(self.content | {("documents", prefix): b"new"})
                if prefix == names.MARKS:
                    with self.assertRaisesRegex(Damaged, "mark .* cannot be read") as raised:
                        self.bench.capture(device)
                    self.assertIn("Sweep the store", raised.exception.remedy)
                    sweep(self.bench.again(), now=self.bench.now)
                    self.assertFalse([name for name in self.bench.blobs.held if name == prefix + ID])
                manifest = self.bench.capture(device).manifest
                self.assertEqual(contents(self.bench.again(), manifest)["documents", prefix], b"new")

    def test_whoever_asks_for_them_gets_those_that_say_something(self):
        for content in NONSENSE:
            self.assertEqual(set().union(*erased_notes(self.beside(names.ERASED, content)).values()), set())
            self.assertEqual(read_offices(self.beside(names.OFFICES, content)), [])
            self.assertEqual(who_sweeps(self.beside(names.SWEEPERS, content)).sweeper.who, b"")
