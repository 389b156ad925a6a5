"""Look at this computer's clock, hear witnesses, settle a doubt.

While it is in doubt nothing is removed, swept or let expire, and nothing far away is planned: see `server.people.clock`
for what others ask.
"""

from datetime import datetime, timedelta

from django.db import transaction

from core.schedule.clock import Anchor, ClockVerdict, JudgedClock, Ticks, Witness, judge
from core.units import spoken
from server import ports
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import ClockState, ClockWitness, User

HEARD_FOR = timedelta(days=1)
"""What a witness said longer ago says nothing of now."""


def hear_witness(name: str, kind: str, *, off_seconds: float, now: datetime) -> None:
    """Somebody outside has told what time it is there."""
    ticks = ports.clock().ticks()
    row = ClockWitness(name=name[:200], kind=kind, off_seconds=off_seconds, boot=ticks.boot, seconds=ticks.seconds, at=now)
    fields = ["kind", "off_seconds", "boot", "seconds", "at"]
    ClockWitness.objects.bulk_create([row], update_conflicts=True, unique_fields=["name"], update_fields=fields)


def ask_outer_clocks(*, now: datetime) -> None:
    """Kernel and mail server. Not under any lock: they may take seconds."""
    for name, kind, there in ports.clock().outer_clocks():
        hear_witness(name, kind, off_seconds=(there - now).total_seconds(), now=now)


@transaction.atomic
def look_at_clock(*, now: datetime) -> ClockState:
    """What is believed of it now; written down, with a line in the journal when that changes."""
    lock_alone("clock")
    ticks = ports.clock().ticks()
    state = ClockState.objects.filter(id=1).first() or ClockState.objects.create(id=1)
    judged = judge(now, ticks, _anchor(state), _witnesses(state, ticks), in_doubt=state.doubt_since is not None)
    if judged.verdict is ClockVerdict.SURE:
        if state.doubt_since is not None:
            by = f"{' and '.join(judged.agreeing)} agree with it" if judged.agreeing else "it is again what it should be"
            _settle(state, now, ticks, why=f"{by[0].upper()}{by[1:]}.", by=None, right=bool(judged.agreeing))
        else:
            _trust(state, now, ticks)
    else:
        _doubt(state, judged, now, ticks)
    return state


@transaction.atomic
def settle_clock(*, by: User) -> ClockState:
    """Somebody has looked at a watch: the clock is right."""
    lock_alone("clock")
    now, ticks = ports.clock().now(), ports.clock().ticks()
    state = ClockState.objects.filter(id=1).first() or ClockState.objects.create(id=1)
    if state.doubt_since is not None:
        _settle(state, now, ticks, why=f"{by.shown_name} says that it is right.", by=by, right=True)
    return state


def _anchor(state: ClockState) -> Anchor | None:
    return None if state.sure_at is None else Anchor(at=state.sure_at, ticks=Ticks(boot=state.boot, seconds=state.seconds))


def _witnesses(state: ClockState, ticks: Ticks) -> list[Witness]:
    """Those that spoke since the doubt began, or lately while there is none; by the counter, never by the clock."""
    rows = ClockWitness.objects.filter(boot=ticks.boot, seconds__gte=ticks.seconds - HEARD_FOR.total_seconds(), seconds__lte=ticks.seconds)
    if state.doubt_since is not None and state.doubt_boot == ticks.boot:
        rows = rows.filter(seconds__gte=state.doubt_seconds)
    return [Witness(name=row.name, kind=row.kind, off_seconds=row.off_seconds) for row in rows]


def _trust(state: ClockState, now: datetime, ticks: Ticks) -> None:
    fields = {"sure_at": now, "boot": ticks.boot, "seconds": ticks.seconds, "looked_at": now}
    ClockState.objects.filter(id=1).update(**fields)
    for name, value in fields.items():
        setattr(state, name, value)


def _settle(state: ClockState, now: datetime, ticks: Ticks, *, why: str, by: User | None, right: bool) -> None:
    facts = {
        "doubt_since": None, "doubt_boot": "", "jump_seconds": 0.0, "off_seconds": None, "doubted_from": state.doubt_since,
        "settled_at": now, "settled_right": right, "settled_why": why[:300],
    }  # fmt: skip
    ClockState.objects.filter(id=1).update(**facts)
    for name, value in facts.items():
        setattr(state, name, value)
    _trust(state, now, ticks)
    write_journal(who=by, what="clock.settled", facts={"why": why}, at=now)


def _doubt(state: ClockState, judged: JudgedClock, now: datetime, ticks: Ticks) -> None:
    begins = state.doubt_since is None
    off = None if judged.off is None else judged.off.total_seconds()
    fields: dict[str, object] = {"jump_seconds": judged.jump.total_seconds(), "off_seconds": off, "looked_at": now}
    if begins:
        fields |= {"doubt_since": now, "doubt_boot": ticks.boot, "doubt_seconds": ticks.seconds}
        # what was heard before the jump was measured against another clock
        ClockWitness.objects.filter(seconds__lt=ticks.seconds).delete()
    ClockState.objects.filter(id=1).update(**fields)
    for name, value in fields.items():
        setattr(state, name, value)
    if begins:
        way = "ahead" if judged.jump > timedelta() else "back"
        moved = f"It jumped {spoken(abs(judged.jump))} {way}." if judged.jump else "Others say another time."
        write_journal(who=None, what="clock.doubted", facts={"moved": moved}, at=now)
