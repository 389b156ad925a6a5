"""What this machine knows of time besides its clock: a counter that nobody sets, and whether the kernel is being kept in step."""

import ctypes
import time
from pathlib import Path

from core.schedule.clock import Ticks

_STA_UNSYNC = 0x0040
"""`man 2 adjtimex`: the clock is not synchronised."""
_TIME_ERROR = 5


class _Timex(ctypes.Structure):
    """`struct timex` of Linux; only `status` is read. The tail is room for what follows."""

    _fields_ = [
        ("modes", ctypes.c_uint), ("offset", ctypes.c_long), ("freq", ctypes.c_long), ("maxerror", ctypes.c_long),
        ("esterror", ctypes.c_long), ("status", ctypes.c_int), ("constant", ctypes.c_long), ("tail", ctypes.c_char * 512),
    ]  # fmt: skip


def ticks() -> Ticks:
    """Seconds since the machine started, sleep included, and which start that was."""
    return Ticks(boot=Path("/proc/sys/kernel/random/boot_id").read_text().strip(), seconds=time.clock_gettime(time.CLOCK_BOOTTIME))


def synchronised() -> bool | None:
    """Whether the kernel says that its clock is kept in step; None where it cannot be asked."""
    timex = _Timex()
    try:
        state = ctypes.CDLL(None, use_errno=True).adjtimex(ctypes.byref(timex))
    except (OSError, AttributeError):
        return None
    if state < 0:
        return None
    return state != _TIME_ERROR and not timex.status & _STA_UNSYNC
