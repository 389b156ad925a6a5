"""Moving a store as it lies: every object under its own name, into an empty place or one where an earlier move was cut off.

Nothing is opened, so no secret is needed; what is copied is proven by a check of the new place. The header comes last: until
then the new place holds no store. Nobody may write into the old place meanwhile, or what he writes stays behind.
"""

from collections.abc import Callable

from core.vault import blobs as names
from core.vault.blobs import BlobStore
from core.vault.errors import BlobExists, BlobMissing, Stopped, StoreUnreachable, VaultExists
from core.vault.parallel import at_once
from core.vault.unlocking import read_header

OnProgress = Callable[[int, int], None]


def move_objects(
    source: BlobStore,
    target: BlobStore,
    *,
    on_progress: OnProgress = lambda done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """How many bytes lie in the new place. The old one stays as it is. Raises NotAVault, VaultExists, StoreError, Stopped."""
    header = read_header(source)
    there = {name: size for name, size in target.list("") if names.is_ours(name)}
    if names.HEADER in there and read_header(target) != header:
        raise VaultExists("Another store lies there.", remedy="Choose an empty place.")
    sizes = _ours(source)
    missing = sorted(name for name, size in sizes.items() if name != names.HEADER and there.get(name) != size)
    total, done = sum(sizes.values()), sum(there.get(name, 0) for name in sizes)

    def carry(name: str) -> None:
        if should_stop():
            raise Stopped("The move was stopped.")
        if name in there:  # of another size: no object of the format is ever changed
            target.delete(name)
        try:
            target.create(name, source.read(name))
        except BlobMissing:
            return  # a sweep was faster
        except BlobExists:
            return  # so was another move

    for name, _ in at_once(carry, missing, min(4, max(source.parallel, target.parallel))):
        done += sizes[name]
        on_progress(min(done, total), total)
    arrived, now = _ours(target), _ours(source)
    if lacking := [name for name, size in now.items() if name != names.HEADER and arrived.get(name) != size]:
        raise StoreUnreachable(
            f"{len(lacking)} objects did not arrive, {lacking[0]} for one.", remedy="Move it again: what has arrived stays."
        )
    if names.HEADER not in arrived:
        target.create(names.HEADER, source.read(names.HEADER))
    on_progress(total, total)
    return sum(_ours(target).values())


def _ours(place: BlobStore) -> dict[str, int]:
    return {name: size for name, size in place.list("") if names.is_ours(name)}
