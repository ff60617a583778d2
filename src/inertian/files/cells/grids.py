"""A grid: the cells of one table-like part of a file, whatever kind of file it came from."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from inertian.files.cells.dialects import Record
from inertian.files.cells.findings import Finding


@dataclass(frozen=True, eq=False)
class Grid:
    """Records of one sheet, member, block of JSON or text.

    `delimiter` is None where cells came apart by themselves; then numbers have a decimal point for
    certain. `units` are known from outside the titles. Of a large table of plain numbers, `records`
    are the first rows and `whole` all values, by the place of the column; (n,) each.
    """

    name: str
    records: Sequence[Record]
    delimiter: str | None = None
    ended: bool = True
    units: Mapping[str, str] = field(default_factory=dict)
    findings: tuple[Finding, ...] = ()
    certainty: float = 1.0  # of the delimiter
    whole: Mapping[int, np.ndarray] = field(default_factory=dict)
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


HEAD_ROWS = 2_000  # of a large table, that tell what its columns are


def grid_of_arrays(
    name: str, columns: Mapping[str, np.ndarray], units: Mapping[str, str]
) -> Grid | None:
    """Return arrays of plain numbers by title, (n,) each, as the grid of a large table, or None if
    they are no such table and every cell has to be looked at.
    """
    arrays = list(columns.values())
    n = len(arrays[0]) if arrays else 0
    plain = all(a.dtype.kind in "fiu" and a.dtype.itemsize >= 4 and len(a) == n for a in arrays)
    if not plain or n <= HEAD_ROWS:
        return None
    head = grid_of_columns(name, {t: a[:HEAD_ROWS].tolist() for t, a in columns.items()}, units)
    whole = {
        place: _as_written(a) if a.dtype == np.float32 else a for place, a in enumerate(arrays)
    }
    return Grid(name, head.records, units=units, whole=whole)


def _as_written(values: np.ndarray) -> np.ndarray:
    """Numbers of single precision as their shortest digits tell them, which is how they were
    written.
    """
    import polars as pl

    return pl.Series(values).cast(pl.String).cast(pl.Float64).to_numpy()


def grid_of_columns(
    name: str, columns: Mapping[str, Sequence[object]], units: Mapping[str, str]
) -> Grid:
    """Return columns by title as a grid with a line of titles; shorter columns end in blanks."""
    longest = max((len(c) for c in columns.values()), default=0)
    padded = [[*c, *[None] * (longest - len(c))] for c in columns.values()]
    records = [Record(0, tuple(columns)), *records_of_rows(zip(*padded, strict=True))]
    return Grid(name, records, units=units)
