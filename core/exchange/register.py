"""The register of devices as a table: columns, how each is written, and what an import would do row by row.

Decides only: an import is first a list of lines that say what would be created, changed or refused and why.
A column that is not in the file is left alone; an empty cell empties its field. A row finds its device by id,
else by serial, else by asset tag, else by name and holder.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from core.content.families import FAMILIES
from core.content.items import clean_name
from core.errors import BadInput

ROWS_AT_MOST = 5000
STATES = ("in_use", "away", "lost", "in_repair", "left", "retired")
_LENGTHS = {
    "name": 120, "holder": 120, "team": 80, "make": 100, "model": 100, "serial": 100, "asset_tag": 100, "os_version": 100, "note": 2000,
}  # fmt: skip
_DATES = ("away_until", "purchased_on", "handed_over_on")
COLUMNS = (
    "id", "name", "holder", "team", "state", "away_until", "family", "make", "model", "serial", "asset_tag", "os_version",
    "storage_total_bytes", "purchased_on", "handed_over_on", "note",
)  # fmt: skip
"""In the order of the export. All values are texts: dates by ISO 8601, bytes as whole numbers."""
_WHOLE = re.compile(r"[0-9]{1,16}")


class LineVerdict(StrEnum):
    CREATE = "create"
    CHANGE = "change"
    SAME = "same"
    REFUSE = "refuse"


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownRegister:
    """A device that is in the register."""

    id: str
    values: Mapping[str, str]
    """Every column but the id, as the export writes it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RegisterLine:
    number: int
    """Counts rows from 1, without the header."""
    verdict: LineVerdict
    name: str
    device: str | None = None
    """Id of the device that the row is about; None for a new one."""
    values: Mapping[str, str] = field(default_factory=dict)
    """What the row says, checked."""
    changes: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    """Column → (before, after)."""
    why: str = ""
    """For a refusal: what is wrong and what to do."""


def written(values: Mapping[str, str]) -> dict[str, str]:
    """One row of an export: every column."""
    return {column: values.get(column, "") for column in COLUMNS}


def unknown_columns(columns: Iterable[str]) -> list[str]:
    """Columns that are not read."""
    return [column for column in columns if column not in COLUMNS]


def plan_import(rows: Sequence[Mapping[str, str]], known: Iterable[KnownRegister]) -> list[RegisterLine]:
    """What would be done, one line a row. Never raises: what is wrong with a row is its own line's word."""
    register = _Register(known)
    return [_line(number, row, register) for number, row in enumerate(rows, start=1)]


def checked(column: str, value: str) -> str:
    """The value as the register writes it. Raises BadInput naming the column."""
    value = clean_name(value).strip() if value.strip() and column != "note" else value.strip()
    if not value:
        if column in ("name", "holder"):
            raise BadInput(f"There is no {column}.", field=column, remedy="Every device has a name and a holder.")
        return "in_use" if column == "state" else ""
    most = _LENGTHS.get(column, 100)
    if len(value) > most:
        raise BadInput(f"The {_word(column)} is longer than {most} characters.", field=column, remedy="Shorten it.")
    if column == "state" and value not in STATES:
        raise BadInput(f"There is no state {value!r}.", field=column, remedy=f"Use one of: {', '.join(STATES)}.")
    if column == "family" and value not in FAMILIES:
        raise BadInput(f"There is no family {value!r}.", field=column, remedy=f"Use one of: {', '.join(FAMILIES)}.")
    if column in _DATES:
        try:
            return date.fromisoformat(value).isoformat()
        except ValueError:
            says = f"The {_word(column)} {value!r} is no date."
            raise BadInput(says, field=column, remedy="Write dates as 2026-03-31.") from None
    if column == "storage_total_bytes" and not _WHOLE.fullmatch(value):
        raise BadInput(f"{value!r} is no number of bytes.", field=column, remedy="Give a whole number of bytes, without unit.")
    return value


class _Register:
    """Look-ups over what is known and what earlier rows of the same file have claimed."""

    def __init__(self, known: Iterable[KnownRegister]) -> None:
        self.by_id = {device.id: device for device in known}
        self.claimed: dict[str, int] = {}
        self.unique: dict[tuple[str, str], str] = {}
        self.by_name: dict[tuple[str, str], list[str]] = {}
        for device in self.by_id.values():
            for column in ("serial", "asset_tag"):
                if device.values.get(column):
                    self.unique[column, device.values[column].casefold()] = device.id
            self.by_name.setdefault(_name(device.values), []).append(device.id)

    def find(self, values: Mapping[str, str]) -> KnownRegister | None:
        """Raises BadInput when the row could mean two devices, or one that does not exist."""
        if written := values.get("id"):
            if written not in self.by_id:
                raise BadInput("No device has this id.", field="id", remedy="Leave the id empty for a new device.")
            return self.by_id[written]
        for column in ("serial", "asset_tag"):
            if (written := values.get(column, "")) and (known := self.unique.get((column, written.casefold()))):
                if known not in self.by_id:
                    raise BadInput(
                        f"The {_word(column)} {written} stands in the file twice.", field=column, remedy="Remove one of the rows."
                    )
                return self.by_id[known]
        named = self.by_name.get(_name(values), [])
        if len(named) > 1:
            says = f"{len(named)} devices are called that and have this holder."
            raise BadInput(says, field="name", remedy="Give the id or the serial, so that it is clear which one is meant.")
        found_device = self.by_id.get(named[0]) if named else None
        told_serial = values.get("serial", "")
        if found_device is not None and told_serial and found_device.values.get("serial") not in ("", None, told_serial):
            return None  # the same name and holder, and another device
        return found_device

    def claim(self, number: int, values: Mapping[str, str], device: KnownRegister | None) -> None:
        """Raises BadInput when an earlier row, or another device, has it already."""
        own = device.id if device else f"row {number}"
        if own in self.claimed:
            says = f"Row {self.claimed[own]} is about the same device."
            raise BadInput(says, field="id", remedy="Remove one of the two rows.")
        for column in ("serial", "asset_tag"):
            if written := values.get(column, ""):
                other = self.unique.get((column, written.casefold()), own)
                if other != own:
                    says = f"Another device has the {_word(column)} {written} already."
                    raise BadInput(says, field=column, remedy="Look which of the two is right.")
        self.claimed[own] = number
        for column in ("serial", "asset_tag"):
            if written := values.get(column, ""):
                self.unique[column, written.casefold()] = own


def _line(number: int, row: Mapping[str, str], register: _Register) -> RegisterLine:
    name = clean_name(row.get("name", "").strip()[:120])
    try:
        values = {column: checked(column, row[column]) for column in COLUMNS if column in row and column != "id"}
        values |= {"id": row["id"].strip()} if row.get("id", "").strip() else {}
        device = register.find(values)
        values.pop("id", None)
        before = device.values if device else {}
        if values.get("state", "away") != "away":
            values.setdefault("away_until", "")
        after = {**before, **values}
        for column in ("name", "holder"):
            checked(column, after.get(column, ""))
        if not after.get("family"):
            raise BadInput("There is no family.", field="family", remedy=f"Use one of: {', '.join(FAMILIES)}.")
        if after.get("away_until") and after.get("state", "in_use") != "away":
            remedy = "Set the state to away, or leave the date out."
            raise BadInput("It has a last day away and is not away.", field="away_until", remedy=remedy)
        register.claim(number, values, device)
    except BadInput as error:
        return RegisterLine(number=number, verdict=LineVerdict.REFUSE, name=name, why=f"{error.message} {error.remedy}")
    changes = {column: (before.get(column, ""), value) for column, value in values.items() if before.get(column, "") != value}
    if device is None:
        return RegisterLine(number=number, verdict=LineVerdict.CREATE, name=after["name"], values=values, changes=changes)
    verdict = LineVerdict.CHANGE if changes else LineVerdict.SAME
    return RegisterLine(number=number, verdict=verdict, name=after["name"], device=device.id, values=values, changes=changes)


def _name(values: Mapping[str, str]) -> tuple[str, str]:
    return values.get("name", "").casefold(), values.get("holder", "").casefold()


def _word(column: str) -> str:
    return column.replace("_", " ")
