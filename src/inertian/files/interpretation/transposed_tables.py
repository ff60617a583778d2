"""Tables that lie on their side: each line is a quantity, its title first, then all its values."""

from collections.abc import Sequence

import numpy as np

from inertian.files.cells.column_titles import Role, read_title
from inertian.files.cells.dialects import Record, is_data, is_reading
from inertian.files.cells.number_parsing import value_of

_LEAST_VALUES = 3
_MOST_LINES = 64  # quantities of one table


def upright(records: Sequence[Record]) -> Sequence[Record]:
    """Return a table that lies on its side with a line for each moment; other records as they are.

    It does if every line of numbers begins with a title, they are equally long, and one that is
    called a time rises. The lines of the result are numbered by place.
    """
    filled = [r for r in records if not r.blank and is_data(r.cells)]
    if not 2 <= len(filled) <= _MOST_LINES:
        return records
    taken = [_taken_apart(r) for r in filled]
    columns = [t for t in taken if t is not None]
    lengths = {len(values) for _, values in columns}
    if len(columns) != len(filled) or len(lengths) != 1 or min(lengths) < _LEAST_VALUES:
        return records
    times = [
        [value_of(v, "," if "," in v else ".") for v in values]
        for title, values in columns
        if read_title(title).role in (Role.TIME, Role.FRAME)
    ]
    if not any(
        all(found) and bool(np.all(np.diff([f[0] for f in found if f]) > 0)) for found in times
    ):
        return records
    above = [r for r in records[: records.index(filled[0])] if not r.blank]
    titles = Record(filled[0].line, tuple(title for title, _ in columns))
    rows = zip(*(values for _, values in columns), strict=True)
    return [*above, titles, *(Record(n, row) for n, row in enumerate(rows, start=1))]


def _taken_apart(record: Record) -> tuple[str, tuple[str, ...]] | None:
    """Title and values of a line, or None if it is no such line."""
    cells = [c.strip() for c in record.cells]
    while cells and not cells[-1]:
        cells.pop()
    start = next((n for n, c in enumerate(cells) if is_reading(c) and c), 0)
    values = cells[start:]
    if start == 0 or not all(is_reading(v) for v in values):
        return None
    return " ".join(cells[:start]).strip(" :="), tuple(values)
