"""Write down that a store is in trouble, or out of it again. After each trouble list and store are compared."""

from uuid import UUID

from django.db import transaction

from core.vault.errors import StoreAway
from server.jobs import defer_compare
from server.live import publish
from server.storage.models import Store
from server.unforeseen import ending_of


def note_trouble(store_id: UUID, error: Exception) -> None:
    """It stays until the store has been opened again. What nobody foresaw is in the log, under a reference.

    A drive that is known to be elsewhere is in no trouble.
    """
    if isinstance(error, StoreAway):
        return
    ending = ending_of(error, f"work on store {store_id}")
    trouble = {"trouble": ending.cause[:300], "trouble_code": ending.code, "trouble_remedy": ending.remedy[:300]}
    if Store.objects.filter(id=store_id).exclude(**trouble).update(**trouble):
        publish("changed", "stores")


@transaction.atomic
def note_well(store_id: UUID) -> None:
    """The store could be opened. What happened to it meanwhile is looked for."""
    in_trouble = Store.objects.filter(id=store_id).exclude(trouble="")
    if in_trouble.update(trouble="", trouble_code="", trouble_remedy=""):
        defer_compare(store_id)
        publish("changed", "stores")
