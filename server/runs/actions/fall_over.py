"""Where a run goes when its store cannot take it: to the next one that its plan names for that, or nowhere.

The run says from where and why. Copies to the store that was away are owed by the plan from then on, so that what fell
over ends by itself once that store is back.
"""

from django.db import transaction

from core.errors import AtticError
from core.vault.errors import StoreError
from core.vault.vault import Vault
from server.live import tell
from server.outside import outside
from server.people.moments import written
from server.people.queries import on_metered_line
from server.runs.models import Run, RunState
from server.runs.queries import previous_backup
from server.runs.sentences import log_line
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Store
from server.storage.queries import opened_to_write
from server.transition import held


def opened_for(run: Run) -> Vault:
    """The vault that the run writes into; `run.store` names it. Raises StoreError, VaultError."""
    try:
        return opened_to_write(run.store)
    except StoreError as error:
        note_trouble(run.store_id, error)
        return fallen_over(run, error)


def fallen_over(run: Run, error: AtticError) -> Vault:
    """The vault of the next store that may take the run. Raises the error again when there is none."""
    metered = on_metered_line()
    targets = list(run.plan.targets.select_related("store")) if run.plan is not None else []
    for target in targets:
        if target.store_id == run.store_id or not target.falls_over or target.store.trouble or (metered and target.not_metered):
            continue
        try:
            vault = opened_to_write(target.store)
        except StoreError as other:
            note_trouble(target.store_id, other)
            continue
        if _moved(run, target.store, error):
            return vault
    raise error


@transaction.atomic
def _moved(run: Run, store: Store, error: AtticError) -> bool:
    """Whether the run goes there from now on: it does unless somebody has ended it meanwhile."""
    row = held(Run, run.id, "store", "device")
    if row.state != RunState.RUNNING:
        return False
    before = previous_backup(row.device, store)
    lies = f"builds on the backup of {written(before.finished_at)} that lies there" if before else ""
    builds = lies or "takes everything, since no backup of this device lies there"
    now = outside().now()
    row.log.append(log_line(now, f"{error.message} This run goes to {store.name} instead and {builds}."))
    row.fell_over_from = row.fell_over_from or row.store
    row.store = store
    row.save(update_fields=["log", "store", "fell_over_from"])
    run.store, run.fell_over_from, run.log = row.store, row.fell_over_from, row.log
    tell("run", str(run.id))
    return True
