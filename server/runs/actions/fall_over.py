"""Where a run goes when its store cannot take it: to the next one that its plan names for that, or nowhere.

The run says from where and why. Copies to the store that was away are owed by the plan from then on, so that what fell
over ends by itself once that store is back.
"""

from django.db import transaction

from core.errors import AtticError
from core.schedule.quiet import not_before
from core.schedule.reach import too_slow
from core.units import iec
from core.vault.errors import StoreError
from core.vault.vault import Vault
from server import ports
from server.fleet.models import Scan
from server.live import publish
from server.people.moments import written
from server.people.queries import office_zone, on_metered_line
from server.plans.models import PlanTarget
from server.runs.models import Run, RunState
from server.runs.queries import previous_backup, read_and_stored, trusted_before
from server.runs.sentences import log_line
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Store
from server.storage.queries import is_here, opened_to_write
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
    targets = list(run.plan.targets.select_related("store")) if run.plan is not None else []
    for target in targets:
        if target.store_id == run.store_id or not target.falls_over or target.store.trouble or not is_here(target.store_id):
            continue
        if why := _not_now(run, target):
            _noted(run, f"It does not go to {target.store.name}: {why}.")
            continue
        try:
            vault = opened_to_write(target.store)
        except StoreError as other:
            note_trouble(target.store_id, other)
            continue
        if _moved(run, target.store, error):
            return vault
    raise error


def _not_now(run: Run, target: PlanTarget) -> str:
    """Which of the target's limits keeps the run from ending there; empty when none does."""
    now = ports.clock().now()
    if target.not_metered and on_metered_line():
        return "the office's line is metered now"
    opens = not_before(now, quiet_from=target.copies_until, quiet_until=target.copies_from, zone=office_zone())
    if opens > now:
        return f"its plan lets nothing go there before {written(opens)}"
    return too_slow(_expected_bytes(run, target.store), bytes_per_second=target.limit_bytes_per_second, now=now, until=run.gives_up_at)


def _expected_bytes(run: Run, store: Store) -> int:
    """What is to be sent there, as the last runs and the newest inventory tell: what changes in a night, or all where nothing lies yet."""
    if previous_backup(run.device, store) is not None:
        return max((read for read, _ in read_and_stored(run.device)), default=0)
    newest = trusted_before(run.device)
    if newest is not None:
        return newest.size_bytes
    scan = Scan.objects.filter(device=run.device_id).first()
    return sum(kind["size_bytes"] for kind in scan.kinds) if scan is not None else 0


@transaction.atomic
def _noted(run: Run, says: str) -> None:
    row = held(Run, run.id)
    row.log.append(log_line(ports.clock().now(), says))
    row.save(update_fields=["log"])
    run.log = row.log


@transaction.atomic
def _moved(run: Run, store: Store, error: AtticError) -> bool:
    """Whether the run goes there from now on: it does unless somebody has ended it meanwhile."""
    row = held(Run, run.id, "store", "device")
    if row.state != RunState.RUNNING:
        return False
    before = previous_backup(row.device, store)
    sends = iec(_expected_bytes(row, store))
    lies = f"builds on the backup of {written(before.finished_at)} that lies there" if before else ""
    builds = lies or "takes everything, since no backup of this device lies there"
    builds += f": at most about {sends} over its line"
    now = ports.clock().now()
    row.log.append(log_line(now, f"{error.message} This run goes to {store.name} instead and {builds}."))
    row.fell_over_from = row.fell_over_from or row.store
    row.store = store
    row.save(update_fields=["log", "store", "fell_over_from"])
    run.store, run.fell_over_from, run.log = row.store, row.fell_over_from, row.log
    publish("run", str(run.id))
    return True
