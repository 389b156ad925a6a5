"""CSV (RFC 4180) from flat records, safe to open in a spreadsheet."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from core.content.records import text

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_table(rows: Iterable[dict[str, Any]], *, first: Sequence[str] = ()) -> str:
    """A table with a header. Columns: `first`, then every other field by name; nested values as nothing."""
    held = list(rows)
    columns = list(dict.fromkeys([*first, *sorted({field for row in held for field in row})]))
    out = io.StringIO()
    writer = csv.writer(out)  # CRLF and doubled quotes, as RFC 4180 says
    writer.writerow([guarded(column) for column in columns])
    for row in held:
        writer.writerow([guarded(text(row.get(column))) for column in columns])
    return out.getvalue()


def guarded(value: str) -> str:
    """A cell that no spreadsheet takes for a formula: an apostrophe in front of what looks like one.

    Signed numbers stay as they are.
    """
    if value.startswith(_FORMULA) and not _is_number(value):
        return "'" + value
    return value


def _is_number(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return True
