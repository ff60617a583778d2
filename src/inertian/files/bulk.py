"""Reading the rows of a large clean table through a fast library, guarded: anything odd sends it the careful way.

The fast library can leave out rows, or turn a number it does not know into a blank, without a word. So line ends are
checked, physical lines are counted, the schema is explicit, and a single blank or infinite number is enough to refuse.
"""

import io
from dataclasses import dataclass, replace

import numpy as np

from inertian.files.columns import Column
from inertian.files.numbers import LARGEST_NUMBER
from inertian.files.roles import Layout
from inertian.files.tables import Table
from inertian.quantities.estimates import Array

FROM = 400_000  # bytes: below it, the careful way is as fast
HEADS = (3_000, 100_000)  # bytes that the understanding rests on; the longer one for a long preamble
_DIGITS_OF_FLOAT = 15


@dataclass(frozen=True, eq=False)
class BulkTable:
    """The values of all columns that are numbers, by place, and the first physical line of the rows."""

    values: dict[int, Array]
    shifted: dict[int, Array]
    first_line: int

    def fill(self, table: Table, layout: Layout) -> tuple[Table, Layout]:
        """Return the table of the head, and its layout, with all rows in them."""
        n = len(next(iter(self.values.values())))

        def whole(c: Column) -> Column:
            return replace(c, values=self.values[c.place], cells=None, shifted=self.shifted.get(c.place))

        layout.time = whole(layout.time) if layout.time is not None else None
        layout.clocks = {b: whole(c) for b, c in layout.clocks.items()}
        layout.uses = [replace(u, column=whole(u.column)) for u in layout.uses]
        lines = range(self.first_line, self.first_line + n)
        return replace(table, rows=[], lines=lines), layout


def head_of(content: bytes, length: int) -> bytes | None:
    """Return the first lines of a large text, cut at a line end, or None if it is not clean enough to be read in bulk."""
    if len(content) < FROM or content[:2] in (b"\xff\xfe", b"\xfe\xff") or content[:4].count(0):
        return None
    end = content.rfind(b"\n", 0, length)
    head = content[: end + 1]
    if end < 0 or b'"' in head or head.count(b"\r") not in (0, head.count(b"\r\n")):
        return None
    return head


def read_bulk(content: bytes, table: Table, columns: list[Column], delimiter: str, decimal: str) -> BulkTable | None:
    """Return the values of a table that begins as `table` does, or None if a guard says no."""
    if (
        len(delimiter) != 1
        or table.unusable
        or table.findings
        or any(c.missing or c.bad or c.sentinel for c in columns)
    ):
        return None
    first = table.lines[0]
    start = _start_of(content, first, delimiter, decimal)
    if start is None:
        return None
    import polars as pl

    schema: dict[str, type[pl.DataType]] = {f"c{k}": pl.String for k in range(len(table.rows[0]))}
    for c in columns:
        if c.numeric:
            schema[f"c{c.place}"] = pl.Int64 if _long_integers(c) else pl.Float64
    try:
        frame = pl.read_csv(
            io.BytesIO(content), has_header=False, schema=schema, separator=delimiter, quote_char=None,
            skip_lines=first - 1, decimal_comma=decimal == ",", ignore_errors=False, truncate_ragged_lines=False,
        )  # fmt: skip
    except (pl.exceptions.PolarsError, ValueError, OverflowError):
        return None
    if frame.height != content.count(b"\n", start) + (not content.endswith(b"\n")):
        return None
    return _checked(frame, columns, first)


def _start_of(content: bytes, first_line: int, delimiter: str, decimal: str) -> int | None:
    """Return where the rows begin, or None if something in them needs a careful reader."""
    start = 0
    for _ in range(first_line - 1):
        start = content.index(b"\n", start) + 1
    odd = [b'"', b"\0"]
    if decimal == ",":
        odd.append(b".")
    elif delimiter != ",":
        odd.append(b",")
    if any(content.find(mark, start) >= 0 for mark in odd):
        return None
    returns = content.find(b"\r", start) >= 0
    return None if returns and content.count(b"\r", start) != content.count(b"\r\n", start) else start


def _long_integers(column: Column) -> bool:
    cells = column.cells or ()
    return all(c.strip().lstrip("+-").isdigit() for c in cells) and any(
        len(c.strip()) > _DIGITS_OF_FLOAT for c in cells
    )


def _checked(frame: object, columns: list[Column], first_line: int) -> BulkTable | None:
    values: dict[int, Array] = {}
    shifted: dict[int, Array] = {}
    for c in columns:
        if not c.numeric:
            continue
        series = frame[f"c{c.place}"]  # type: ignore[index]
        if series.null_count():
            return None
        array = series.to_numpy()
        if array.dtype.kind == "i":
            shifted[c.place] = (array - array[0]).astype(float)
        array = np.asarray(array, dtype=np.float64)
        if not (array.max() < LARGEST_NUMBER and array.min() > -LARGEST_NUMBER):  # NaN fails too
            return None
        values[c.place] = array
    return BulkTable(values, shifted, first_line)
