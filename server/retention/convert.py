"""What retention says, in words."""

from core.retention.rule import BY_RULE, SAFEGUARDS, Why
from core.retention.verdicts import Claim, Verdict

WORDS: dict[Why, str] = {
    Why.LAST: "one of the newest: {}",
    Why.WITHIN: "within {}",
    Why.HOUR: "newest of the hour {}",
    Why.DAY: "newest of the day {}",
    Why.WEEK: "newest of the week {}",
    Why.MONTH: "newest of the month {}",
    Why.YEAR: "newest of the year {}",
    Why.YOUNG: "nothing so young leaves",
    Why.NO_RULE: "no plan's rule applies to it",
    Why.FUTURE: "dated after now: it stays until its date is settled",
    Why.DOUBT: "made while the clock was in doubt: it stays until that is settled",
    Why.IMPORTED: "brought in: it stays until somebody has looked at it",
    Why.PASSING: "lacks some kinds for a reason that passes: it stays until somebody has looked",
    Why.ANOMALY: "looks strange: it stays until somebody has looked",
    Why.DAMAGED: "damaged: it stays until somebody has looked at it",
    Why.HOLD: "on hold: {}",
    Why.IN_USE: "in use by a restore or a copy",
    Why.OWED: "not yet copied where it should be",
    Why.LAST_RESTORABLE: "the newest that can be restored",
    Why.LAST_COMPLETE: "the newest that is complete",
    Why.LAST_ENCRYPTED: "the newest that is encrypted",
    Why.LAST_CHECKED: "the newest that was checked",
    Why.ONLY_INTACT: "the only intact copy of what another store keeps",
    Why.BEFORE_ANOMALY: "the last from before one that looks strange",
    Why.FROZEN: "nothing leaves for now",
}


def claim_words(claim: Claim) -> str:
    """`newest of the week 2026-W10`."""
    return WORDS[claim.why].format(claim.label)


def reasons(verdict: Verdict) -> list[str]:
    """Each reason for which it stays."""
    return [claim_words(claim) for claim in verdict.claims]


def is_safeguarded(verdict: Verdict) -> bool:
    """Whether only a safeguard or a hold keeps it, and no rule."""
    return bool(verdict.why & SAFEGUARDS) and not verdict.why & BY_RULE
