"""The figures as a table for people."""

from collections.abc import Sequence

from bench.figures import Figure


def table(figures: Sequence[Figure]) -> str:
    """Name, value, baseline, what is good and wanted, and how it stands."""
    rows = [("figure", "value", "measured", "good", "wanted", "")]
    rows += [(figure.name, figure.shown, figure.told, figure.good_shown, figure.wanted_shown, figure.standing) for figure in figures]
    widths = [max(len(row[column]) for row in rows) for column in range(len(rows[0]))]
    return "\n".join("  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in rows)
