"""CSV (RFC 4180): out of flat records, safe to open in a spreadsheet; and read back to what was written."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from core.content.records import text
from core.errors import BadInput

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_table(rows: Iterable[dict[str, Any]], *, first: Sequence[str] = ()) -> str:
    """A table with a header. Columns: `first`, then every other field by name; nested values as nothing."""
    held = list(rows)
    columns = list(dict.fromkeys([*first, *sorted({field for row in held for field in row})]))
    return csv_line(columns) + "".join(csv_row(row, columns) for row in held)


def csv_line(cells: Iterable[str]) -> str:
    """One line of a table that is written piece by piece, its end included."""
    out = io.StringIO()
    csv.writer(out).writerow([guarded(cell) for cell in cells])  # CRLF and doubled quotes, as RFC 4180 says
    return out.getvalue()


def csv_row(row: dict[str, Any], columns: Sequence[str]) -> str:
    """One record as a line below these columns; nested values as nothing."""
    return csv_line(text(row.get(column)) for column in columns)


def guarded(value: str) -> str:
    """A cell that no spreadsheet takes for a formula: an apostrophe in front of what looks like one.

    Signed numbers stay as they are. `unguarded` undoes it for every text.
    """
    return "'" + value if _looks_like_formula(value.lstrip("'")) else value


def unguarded(value: str) -> str:
    """The text that `guarded` was given."""
    return value[1:] if value.startswith("'") and _looks_like_formula(value.lstrip("'")) else value


def read_table(content: bytes, *, rows_at_most: int) -> tuple[list[str], list[dict[str, str]]]:
    """(columns, one dictionary a row) of a CSV file in UTF-8 with a header; a semicolon may stand for the comma.

    Raises BadInput naming what is wrong with the file as a whole.
    """
    try:
        whole = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput("The file is not in UTF-8.", field="file", remedy="Save it as CSV in UTF-8 and try again.") from None
    first = whole.split("\n", 1)[0]
    delimiter = ";" if first.count(";") > first.count(",") else ","
    reader = csv.reader(io.StringIO(whole, newline=""), delimiter=delimiter, strict=True)
    rows: list[dict[str, str]] = []
    try:
        columns = [unguarded(column).strip() for column in next(reader, [])]
        if not any(columns) or len(set(columns)) != len(columns):
            raise BadInput("The first row does not name each column once.", field="file", remedy="Put the names of the columns there.")
        for cells in reader:
            if not any(cells):
                continue
            if len(cells) != len(columns):
                says = f"Line {reader.line_num} has {len(cells)} cells where the first row names {len(columns)} columns."
                raise BadInput(says, field="file", remedy="Put cells that contain the separator or a line end into quotes.")
            if len(rows) == rows_at_most:
                raise BadInput(f"The file has more than {rows_at_most} rows.", field="file", remedy="Cut it into smaller ones.")
            rows.append({column: unguarded(cell) for column, cell in zip(columns, cells, strict=True)})
    except csv.Error as error:
        says = f"Line {reader.line_num} is no CSV: {error}."
        raise BadInput(says, field="file", remedy="Save it as CSV (RFC 4180) and try again.") from None
    return columns, rows


def _looks_like_formula(value: str) -> bool:
    return value.startswith(_FORMULA) and not _is_number(value)


def _is_number(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return True
