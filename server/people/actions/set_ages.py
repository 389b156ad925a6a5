"""Set how long records are kept. What would go by it was shown; and it is let go at night, not by this."""

from datetime import datetime

from django.db import transaction

from core.errors import BadInput
from server.people.actions.journal import write_journal
from server.people.ages import ages, checked, days_by_code
from server.people.models import Office, User


@transaction.atomic
def set_ages(chosen: dict[str, int], *, by: User, now: datetime) -> None:
    """Days by sort; those that are left out stay as they are. Raises BadInput."""
    office = Office.objects.select_for_update().first()
    if office is None:
        raise BadInput("There is no office yet.", field="ages", remedy="Set it up first.")
    before = days_by_code()
    office.ages = {**office.ages, **checked(chosen)}
    office.save(update_fields=["ages"])
    now_days = {**before, **chosen}
    changed = [
        f"{age.label.lower()} {before[age.code]} → {now_days[age.code]} days" for age in ages() if now_days[age.code] != before[age.code]
    ]
    if changed:
        write_journal(who=by, what="office.ages", facts={"changes": changed}, at=now)
