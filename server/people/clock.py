"""Whether the clock may be believed, for everybody who removes, sweeps, lets expire or plans."""

from datetime import datetime, timedelta

from core.errors import AtticError
from core.units import spoken
from server import ports
from server.people.models import ClockState


class ClockInDoubt(AtticError):
    """Nothing is removed and nothing expires until that is settled."""

    code = "clock.in_doubt"
    remedy = "Look at the clock of the server under Office and set it right, or say there that it is right."


def clock_state() -> ClockState | None:
    """None before the clock was first looked at. One query."""
    return ClockState.objects.filter(id=1).first()


def in_doubt() -> bool:
    """Whether nothing that a clock decides may happen now. One query."""
    return ClockState.objects.filter(id=1, doubt_since__isnull=False).exists()


def believe_clock() -> None:
    """Raises ClockInDoubt."""
    if in_doubt():
        raise ClockInDoubt("The clock of this computer is in doubt, so nothing is removed now.")


def time_to_plan_by(state: ClockState, *, now: datetime) -> datetime | None:
    """The clock, or in doubt what it should show by the machine's counter; None after a restart in doubt: then nothing is planned."""
    if state.doubt_since is None:
        return now
    ticks = ports.clock().ticks()
    if state.sure_at is None or state.boot != ticks.boot or ticks.seconds < state.seconds:
        return None
    return state.sure_at + timedelta(seconds=ticks.seconds - state.seconds)


def clock_words(state: ClockState) -> str:
    """Why the clock is not believed; empty while it is."""
    if state.doubt_since is None:
        return ""
    if state.off_seconds is not None:
        way = "behind" if state.off_seconds > 0 else "ahead"
        return f"The server's clock is {spoken(timedelta(seconds=abs(state.off_seconds)))} {way}, as others agree"
    if state.jump_seconds:
        way = "ahead" if state.jump_seconds > 0 else "back"
        return f"The server's clock jumped {spoken(timedelta(seconds=abs(state.jump_seconds)))} {way}"
    return "The server's clock cannot be believed after a restart in doubt"
