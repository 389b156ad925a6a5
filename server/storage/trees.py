"""What the trees of stores say, remembered beside the database, so that measuring a store reads only what came since."""

import logging
import os

from core.errors import AtticError
from core.vault.remembered_trees import RememberedTrees, decoded_trees
from server import ports
from server.storage.models import Store

log = logging.getLogger("attic.storage")
_ENDING = ".trees"


def recalled(store: Store) -> RememberedTrees:
    """Nothing where nothing was kept, or what was kept cannot be read: then all is read once more."""
    path = ports.stores().remembered / (store.vault_id + _ENDING)
    try:
        return decoded_trees(path.read_bytes())
    except FileNotFoundError:
        return RememberedTrees()
    except (AtticError, OSError) as error:
        log.warning("What was remembered of %s is made anew: %s", store.name, error)
        return RememberedTrees()


def keep(store: Store, trees: RememberedTrees) -> None:
    """Whole or not at all. A folder that cannot be written costs time and nothing else: it is in the log."""
    folder = ports.stores().remembered
    new = folder / f"{store.vault_id}.{os.getpid()}.new"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        new.write_bytes(trees.encoded())
        new.replace(folder / (store.vault_id + _ENDING))
        known = {f"{id}{_ENDING}" for id in Store.objects.values_list("vault_id", flat=True)}
        for old in folder.iterdir():
            if old.suffix == _ENDING and old.name not in known:
                old.unlink(missing_ok=True)  # of a store that is no longer one of ours
    except OSError as error:
        log.warning("What the trees of %s say could not be remembered: %s", store.name, error)
