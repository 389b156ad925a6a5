"""Write what this server knows into a store of the office's key, once a night: whoever opens the store after it can go on."""

from datetime import datetime
from uuid import UUID

from core.vault.offices import OfficeRecord, write_office
from server import ports
from server.people.queries import office_settings, office_zone, server_id
from server.recovery.offices import known_here
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Mode, Store
from server.storage.queries import of_the_offices_key, opened_to_write


def write_into(store_id: UUID, *, now: datetime | None = None) -> bool:
    """Whether it lies there now. A store that cannot take it is noted as in trouble and asked again the next night."""
    now = now or ports.clock().now()
    store = of_the_offices_key().filter(id=store_id, mode=Mode.IN_USE).first()
    if store is None:
        return False
    record = OfficeRecord(server=server_id(), office=office_settings().name, at=now, told=known_here())
    try:
        write_office(opened_to_write(store), record)
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        return False
    finally:
        Store.objects.filter(id=store.id).update(office_on=now.astimezone(office_zone()).date())
    return True
