"""Nothing outside of the error tree passes a port: faults of every kind, at every method of every port."""

import inspect
from unittest import TestCase, mock

from adapters.guard import port
from adapters.links.agent import AgentLink
from adapters.links.folder import FolderLink
from adapters.links.gathered import GatheredLink
from adapters.links.sftp import SftpLink
from adapters.links.tree import TreeLink
from adapters.stores.folder import FolderBlobs
from adapters.stores.s3 import S3Blobs
from core.content.errors import LinkFault
from core.content.link import DeviceLink, HoldsFiles, HoldsItems, ReadsAhead, TellsDigests, TellsNotRead, WritesMany
from core.errors import AtticError, BadInput
from core.vault.blobs import BlobStore
from core.vault.errors import StoreFault

FAULTS = (
    Exception("plain"),
    MemoryError(),
    UnicodeDecodeError("utf-8", b"\xff", 0, 1, "invalid start byte"),
    KeyError("x"),
    RecursionError(),
)
PORTS = {
    DeviceLink: (AgentLink, FolderLink, SftpLink, GatheredLink, TreeLink),
    HoldsItems: (AgentLink,),
    HoldsFiles: (FolderLink, SftpLink),
    WritesMany: (AgentLink,),
    TellsDigests: (AgentLink,),
    TellsNotRead: (FolderLink, SftpLink, TreeLink),
    ReadsAhead: (AgentLink, SftpLink),
    BlobStore: (FolderBlobs, S3Blobs),
}


def methods(protocol: type) -> list[str]:
    return [name for name, one in inspect.getmembers(protocol, inspect.isfunction) if not name.startswith("_")]


@port(LinkFault, "The thing")
class Thing:
    def __init__(self, fault: Exception | None = None) -> None:
        self.fault = fault
        self.closed = False

    def call(self) -> int:
        return self.inner()

    def inner(self) -> int:
        if self.fault:
            raise self.fault
        return 5

    def pieces(self):
        try:
            yield 1
            yield self.inner()
        finally:
            self.closed = True

    def handed_on(self):
        return (self.inner() for _ in range(2))


class TheGuard(TestCase):
    def test_what_works_works(self):
        thing = Thing()
        self.assertEqual((thing.call(), list(thing.pieces()), list(thing.handed_on())), (5, [1, 5], [5, 5]))

    def test_every_fault_becomes_one_of_the_port_and_keeps_what_it_was(self):
        for fault in FAULTS:
            for use in (lambda thing: thing.call(), lambda thing: list(thing.pieces()), lambda thing: list(thing.handed_on())):
                with self.assertRaises(LinkFault) as caught:
                    use(Thing(fault))
                self.assertIn(type(fault).__name__, caught.exception.message)
                self.assertIs(caught.exception.__cause__, fault)

    def test_errors_of_the_tree_pass_as_they_are(self):
        error = BadInput("no")
        with self.assertRaises(BadInput) as caught:
            list(Thing(error).pieces())
        self.assertIs(caught.exception, error)

    def test_whoever_stops_taking_pieces_stops_the_source(self):
        thing = Thing()
        pieces = thing.pieces()
        next(pieces)
        pieces.close()
        self.assertTrue(thing.closed)

    def test_an_end_of_the_process_is_no_fault(self):
        with self.assertRaises(KeyboardInterrupt), mock.patch.object(Thing, "inner", side_effect=KeyboardInterrupt):
            Thing().call()


class EveryPort(TestCase):
    def test_each_method_of_each_implementation_is_guarded(self):
        seen = 0
        for protocol, kinds in PORTS.items():
            for kind in kinds:
                for name in methods(protocol):
                    method = inspect.getattr_static(kind, name, None)
                    if method is None:
                        continue  # offered only by some links
                    self.assertTrue(hasattr(method, "__wrapped__"), f"{kind.__name__}.{name} lets everything through")
                    seen += 1
        self.assertGreater(seen, 40)

    def test_a_fault_inside_comes_out_as_one_of_the_port(self):
        for kinds in PORTS.values():
            for kind in kinds:
                entries = [name for name, one in vars(kind).items() if hasattr(one, "__wrapped__") and name != "__init__"]
                for name in entries:
                    empty = object.__new__(kind)  # nothing of what it needs is there
                    needed = len(inspect.signature(getattr(kind, name)).parameters) - 1
                    with self.subTest(kind=kind.__name__, name=name):
                        try:
                            answer = getattr(empty, name)(*["x"] * needed)
                            if inspect.isgenerator(answer):
                                list(answer)
                        except AtticError as error:
                            self.assertIsInstance(error, LinkFault | StoreFault | AtticError)
                        except TypeError as error:
                            self.assertIn("argument", str(error))  # called wrongly: keyword-only ones are missing
