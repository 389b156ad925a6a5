"""Let go of records that are older than the office wants them, once a day; the months that are over are written down before."""

import logging
from datetime import datetime

from server.oversight.actions.write_months import write_months
from server.people.actions.journal import write_journal
from server.people.ages import Age, ages, days_by_code, old_rows
from server.people.clock import in_doubt
from server.retention.freezing import Frozen

log = logging.getLogger("attic.oversight")
MOST_ROUNDS = 500


def age_out(*, now: datetime) -> dict[str, int]:
    """Sort → how many records went. None while the clock is in doubt, or somebody said that nothing leaves the office.

    One sort that cannot be let go of holds up no other.
    """
    if in_doubt():
        return {}
    write_months(now=now)
    if Frozen.read().office:
        return {}
    said = days_by_code()
    gone = {age.code: count for age in ages() if (count := _aged(age, said[age.code], now))}
    if gone:
        labels = {age.code: age.label.lower() for age in ages()}
        sorts = [f"{labels[code]} {count}" for code, count in gone.items()]
        write_journal(who=None, what="records.aged", facts={"sorts": sorts}, at=now)
    return gone


def _aged(age: Age, days: int, now: datetime) -> int:
    removed = 0
    try:
        for _ in range(MOST_ROUNDS):
            some = age.remove(old_rows(age, days, now=now))
            removed += some
            if not some:
                break
    except Exception:
        log.exception("old records could not be let go of: %s", age.code)
    return removed
