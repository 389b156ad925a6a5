"""Under which conditions a plan lets a run begin. What a link cannot tell does not hold a run back."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from core.content.link import DeviceReport
from core.errors import AtticError, BadInput


class ConditionUnmet(AtticError):
    """The device is there and could be read, but its plan wants it otherwise."""

    code = "schedule.condition"
    remedy = "Nothing to do if it can wait; the run begins as soon as the condition is met. Or run by hand, which asks for none."


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditions:
    on_power: bool = False
    on_office_wireless: bool = False
    battery_percent: int = 0
    """At least; 0 asks for nothing. A device on power meets it."""
    not_in_use_minutes: int = 0
    """Nobody has touched it for so long; 0 asks for nothing."""

    def __post_init__(self) -> None:
        if not 0 <= self.battery_percent <= 100:
            raise BadInput("A battery is between 0 and 100 % full.", field="needs_battery_percent", remedy="Use 0 for no condition.")
        if not 0 <= self.not_in_use_minutes <= 600:
            raise BadInput("Nobody waits that long.", field="not_in_use_minutes", remedy="Use 0 to 600 minutes; 0 for no condition.")


def unmet(conditions: Conditions, state: DeviceReport, *, now: datetime) -> ConditionUnmet | None:
    """The first condition that is not met, in the order in which somebody would see to them."""
    if conditions.on_power and state.on_power is False:
        return ConditionUnmet(
            "It runs on its battery; its plan wants it on power.", remedy="Put it on power: the run begins by itself then."
        )
    if conditions.on_office_wireless and state.network == "elsewhere":
        return ConditionUnmet(
            "It is on another network; its plan wants it on the office wireless.", remedy="Bring it into the office: the run begins then."
        )
    low = state.battery_percent is not None and state.battery_percent < conditions.battery_percent and not state.on_power
    if conditions.battery_percent and low:
        return ConditionUnmet(
            f"Its battery is at {state.battery_percent} %; its plan wants {conditions.battery_percent} %.",
            remedy="Put it on power: the run begins by itself then.",
        )
    if conditions.not_in_use_minutes and state.last_used_at is not None:
        idle = now - state.last_used_at
        if idle < timedelta(minutes=conditions.not_in_use_minutes):
            return ConditionUnmet(
                "It is in use.", remedy=f"Leave it alone for {conditions.not_in_use_minutes} minutes; the run begins then."
            )
    return None
