"""Whether what has to go somewhere gets there in time, over a line that is held to a limit."""

from datetime import datetime, timedelta

from core.units import aware, iec, spoken


def too_slow(size_bytes: int, *, bytes_per_second: int | None, now: datetime, until: datetime | None) -> str:
    """Why `size_bytes` at that speed are not there by `until`; empty when they are, or when nothing limits them."""
    if not bytes_per_second or until is None:
        return ""
    takes, left = timedelta(seconds=size_bytes / bytes_per_second), aware(until) - aware(now)
    if takes <= left:
        return ""
    over = f"{iec(size_bytes)} at {iec(bytes_per_second)} a second take {spoken(takes)}"
    return f"{over}, and its window is open for {spoken(max(left, timedelta()))} more"
