"""A grid: the cells of one table-like part of a file, whatever kind of file it came from."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from inertian.files.cells.dialects import Record
from inertian.files.cells.findings import Finding


@dataclass(frozen=True, eq=False)
class Grid:
    """Records of one sheet, member, block of JSON or text.

    `delimiter` is None where cells came apart by themselves; then numbers have a decimal point for
    certain. `units` are known from outside the titles.
    """

    name: str
    records: Sequence[Record]
    delimiter: str | None = None
    ended: bool = True
    units: Mapping[str, str] = field(default_factory=dict)
    findings: tuple[Finding, ...] = ()
    certainty: float = 1.0  # of the delimiter
    body: str = ""  # whose table this is, where each body has one of its own


def cell_text(value: object) -> str:
    """Return a typed value as the text of a cell; numbers keep every digit."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        if math.isnan(value):
            return "nan"
        return repr(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return str(value)


def records_of_rows(rows: Iterable[Sequence[object]], first_line: int = 1) -> list[Record]:
    """Return rows of typed values as records, numbered from `first_line`."""
    return [Record(n, tuple(map(cell_text, row))) for n, row in enumerate(rows, start=first_line)]


def grid_of_columns(
    name: str, columns: Mapping[str, Sequence[object]], units: Mapping[str, str]
) -> Grid:
    """Return columns by title as a grid with a line of titles; shorter columns end in blanks."""
    longest = max((len(c) for c in columns.values()), default=0)
    padded = [[*c, *[None] * (longest - len(c))] for c in columns.values()]
    records = [Record(0, tuple(columns)), *records_of_rows(zip(*padded, strict=True))]
    return Grid(name, records, units=units)
