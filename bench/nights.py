"""`./attic bench nights`: a year of nights with and without the line-up, false alarms, the estimate, and the server's answers."""

import time
from collections.abc import Iterator
from statistics import median

from bench.figures import Figure
from bench.rest import rests
from bench.year import share, year

DEVICES = 500


def nights(*, days: int, only: list[str], devices: int = DEVICES) -> Iterator[Figure]:
    """One figure after another."""
    if _asked("promises", only):
        yield from _promises(days, devices)
    if _asked("false alarms", only) or _asked("anomalies", only):
        yield from _alarms(days, devices)
    if _asked("estimate", only):
        yield from _estimates()
    if _asked("today", only) or _asked("history", only):
        from bench.office import answers

        yield from answers()


def _asked(name: str, only: list[str]) -> bool:
    return not only or any(name.startswith(wanted) for wanted in only)


def _promises(days: int, devices: int) -> Iterator[Figure]:
    """In an office whose nights are full: what is to be done fills the window's places to the brim."""
    began = time.monotonic()
    with_it, without = (year(devices, days=days, lined_up=lined_up, odd=False) for lined_up in (True, False))
    took = time.monotonic() - began
    kept, other = share(with_it.kept, with_it.owed), share(without.kept, without.owed)
    words = (
        f"{kept:.2f} % of {with_it.owed} device mornings with the line-up, {other:.2f} % as they come ({days} nights twice in {took:.0f} s)"
    )
    ratio = (100 - kept) / max(0.0001, 100 - other)
    yield Figure(name="promises broken with the line-up against without", value=ratio, unit="", told=words, good=1.0, wanted=0.7)
    ends, others = median(with_it.finishes) / 3600, median(without.finishes) / 3600
    said = f"last run ends {ends:.2f} h after opening, {others:.2f} h as they come (medians of nights; the window has 8 h)"
    yield Figure(name="end of the night against without", value=ends / others, unit="", told=said, good=1.0, wanted=0.9)
    lost = [one.no_place + one.outside for one in (with_it, without)]
    said = (
        f"{with_it.no_place} found no place and {with_it.outside} ended late with it, {without.no_place} and {without.outside} as they "
        f"come; {with_it.said_beforehand} were said in the afternoons"
    )
    yield Figure(
        name="runs outside of the window against without", value=lost[0] / max(1, lost[1]), unit="", told=said, good=1.0, wanted=0.5
    )


def _alarms(days: int, devices: int) -> Iterator[Figure]:
    began = time.monotonic()
    a_year = year(devices, days=days, lined_up=True, odd=True)
    took = time.monotonic() - began
    alarms = sum(a_year.false_alarms.values())
    by_code = ", ".join(f"{code} {count}" for code, count in a_year.false_alarms.most_common()) or "none"
    months = days / 30.4
    said = f"{alarms} in {months:.1f} months of {devices} devices, {a_year.came} backups ({by_code}; {took:.0f} s)"
    yield Figure(name="false alarms a month, 500 devices", value=alarms / months * 500 / devices, unit="", told=said, good=10, wanted=4)
    said = f"{a_year.found} of {a_year.injected} spoilt on purpose"
    yield Figure(name="anomalies found", value=share(a_year.found, a_year.injected), unit=" %", told=said, good=85, wanted=95, higher=True)


def _estimates() -> Iterator[Figure]:
    rested = rests(600)
    naive = share(rested.within_naive, rested.runs)
    said = (
        f"{rested.within} of {rested.runs} runs within ±20 % of what remained at a quarter of their time; counting bytes only {naive:.0f} %"
    )
    yield Figure(
        name="estimate at a quarter", value=share(rested.within, rested.runs), unit=" %", told=said, good=80, wanted=90, higher=True
    )
    said = f"the truth lay inside of the range in {rested.inside_range} of {rested.runs}"
    yield Figure(
        name="estimate's range holds", value=share(rested.inside_range, rested.runs), unit=" %", told=said, good=80, wanted=90, higher=True
    )
    said = f"in {rested.crept} of {rested.runs} runs the far end moved away by more than a tenth in the second half"
    yield Figure(name="estimate creeps", value=share(rested.crept, rested.runs), unit=" %", told=said, good=10, wanted=5)
