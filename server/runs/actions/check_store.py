"""Check a store: prove that its bytes are intact, and note on each copy what was found."""

from contextlib import suppress
from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.vault.check import check, note_damage
from core.vault.errors import StoreReadOnly
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.live import tell
from server.runs.models import Copy
from server.storage.models import Store
from server.storage.queries import opened


def check_store(store: Store, *, percent: int, by: User | None) -> Store:
    """Reads `percent` of the packs; 100 proves everything."""
    try:
        vault = opened(store)
        present = Copy.objects.filter(store=store, removed_at__isnull=True)
        report = check(vault, percent=percent, expected={id.bytes for id in present.values_list("backup_id", flat=True)})
        with suppress(StoreReadOnly):  # then there is nobody who could rely on it either
            note_damage(vault, report)
    except AtticError as error:
        store.trouble = error.message[:300]
        store.save(update_fields=["trouble"])
        return store
    now = outside().now()
    touched = {UUID(id) for entry in report.damaged for id in entry.backups}
    with transaction.atomic():
        present.filter(backup_id__in=touched).update(intact=False, checked_at=now)
        if percent == 100:
            present.exclude(backup_id__in=touched).update(intact=True, checked_at=now)
        if report.ok:
            store.check_says = f"{report.objects} objects are intact" + ("." if percent == 100 else f" as far as {percent} % were read.")
        else:
            store.check_says = f"{len(report.damaged)} of {report.objects} objects are damaged; {len(touched)} backups are touched."
        store.checked_at, store.trouble = now, ""
        store.save(update_fields=["checked_at", "check_says", "trouble"])
        write_journal(who=by, what="store.checked", says=f"{store.name}: {store.check_says}", at=now, store=store.id)
        tell("changed", "stores")
    return store
