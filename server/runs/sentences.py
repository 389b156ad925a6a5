"""What a run says in plain words."""

from datetime import datetime

from core.content.kinds import KINDS
from core.units import iec, spoken
from server.runs.models import CAME, Run, RunState

STAGES = {
    "asking": "Asking the device",
    "looking": "Looking what has changed",
    "reading": "Reading",
    "closing": "Closing the backup",
    "done": "Done",
}


def closing_sentence(run: Run) -> str:
    """The last word on a run; empty while it is active."""
    if run.state in CAME and run.finished_at and run.started_at and hasattr(run, "backup"):
        saved = f"{run.backup.items:,} items".replace(",", "\u202f") if run.backup.items != 1 else "1 item"
        took = spoken(run.finished_at - run.started_at) if (run.finished_at - run.started_at).total_seconds() >= 1 else "less than a second"
        left_out = f" {_could_not(run)}" if run.skipped else ""
        new = f"{iec(run.stored_bytes)} of it were new to the store" if run.stored_bytes else "nothing of it was new to the store"
        return (
            f"Saved {saved}, {iec(run.backup.size_bytes)}, of {run.device.name} in {run.store.name}, encrypted, in {took}; {new}."
            f"{left_out} It is safe to unplug the device."
        )
    if run.state == RunState.MISSED:
        return "It never started: its window closed before it could."
    if run.state in (RunState.WAITING, RunState.RUNNING):
        return ""
    said = {
        RunState.INTERRUPTED: "It was interrupted.",
        RunState.FAILED: "It failed.",
        RunState.REFUSED: "It was stopped before it began.",
        RunState.STOPPED: "It was stopped by hand.",
    }
    return f"{said.get(RunState(run.state), '')} {run.cause}".strip()


def _could_not(run: Run) -> str:
    """What is missing from it; things that count and things that were accepted, or that no link could carry, told apart."""
    count, matter = run.skipped_count or len(run.skipped), sum(bool(one.get("counts", True)) for one in run.skipped)
    rest = count - matter if matter < len(run.skipped) else 0
    words = f"{count - rest} could not be taken" if matter else ""
    if rest:
        were = "was" if rest == 1 else "were"
        words += f"{', and ' if words else ''}{rest} {were} left out, as somebody accepted or because no link carries it"
    return f"{words}; listed below."


def log_line(at: datetime, says: str) -> dict[str, str]:
    """As a run's log keeps it."""
    return {"at": at.isoformat(), "says": says}


def stage_words(stage: str, kind: str) -> str:
    """What a run does now, in words."""
    words = STAGES.get(stage, "Waiting")
    return f"{words}: {KINDS[kind].label.lower()}" if stage == "reading" and kind in KINDS else words
