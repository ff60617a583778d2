"""Reading the rows of a large table through a fast library, guarded: anything it might misread goes
the careful way.

The fast library can leave out rows, or turn a number it does not know into a blank, without a word.
So line ends are checked, physical lines are counted, the schema is explicit, and every blank it
reports must be a blank cell in the bytes. A few lines that are no rows at all, such as messages of
a device, are cut out first and listed as unusable.
"""

import io
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.files.cells.dialects import Record, is_data, split_line
from inertian.files.cells.findings import Code, UnreadableFileError, Unusable, shown_line
from inertian.files.cells.grids import Grid
from inertian.files.interpretation.column_roles import Layout
from inertian.files.interpretation.columns import Column
from inertian.files.interpretation.table_titles import is_spoilt_row
from inertian.files.interpretation.tables import Table, find_tables, skipped
from inertian.motion.recording.trials import LARGEST_NUMBER
from inertian.quantities.estimates import Array

LEAST_BYTES = 400_000  # bytes: below it, the careful way is as fast
# Bytes that the understanding rests on; the longer one for a long preamble
HEAD_LINES = (3_000, 100_000)
MOST_CUT = 2000  # lines that are cut out; with more, the file is looked at line by line
_DIGITS_OF_FLOAT = 15
_NEWLINE, _RETURN = 10, 13
_PIECE = 1 << 18  # bytes that are looked at in one go: they stay in the processor's cache


@dataclass(frozen=True, eq=False)
class BulkTable:
    """The values of all columns that are numbers, by place, the physical line of each row, and what
    was cut out.
    """

    values: dict[int, Array]
    shifted: dict[int, Array]
    missing: dict[int, int]
    lines: Sequence[int]
    cut: tuple[Unusable, ...] = ()

    def fill(self, table: Table, layout: Layout) -> tuple[Table, Layout]:
        """Return the table of the head, and its layout, with all rows in them."""

        def whole(c: Column) -> Column:
            shifted, missing = self.shifted.get(c.place), self.missing[c.place]
            return replace(
                c, values=self.values[c.place], cells=None, shifted=shifted, missing=missing
            )

        layout.time = whole(layout.time) if layout.time is not None else None
        layout.clocks = {b: whole(c) for b, c in layout.clocks.items()}
        layout.uses = [
            replace(u, column=whole(u.column), u=None if u.u is None else whole(u.u))
            for u in layout.uses
        ]
        findings = (skipped(self.cut),) if self.cut else ()
        return replace(
            table, rows=[], lines=self.lines, unusable=self.cut, findings=findings
        ), layout


def bulk_of_grid(file: str, grid: Grid) -> BulkTable | None:
    """Return the values of a large table of plain numbers whose grid is its head; None for others.

    Raises UnreadableFileError if the head is not one table that stands for the rest.
    """
    if not grid.whole:
        return None
    tables = find_tables(grid.records, grid.delimiter or "\t", True)
    if len(tables) != 1 or tables[0].findings:
        why = (
            "the first rows of its numbers are not a table: they hold blanks or words. Save times "
            "and positions as plain columns."
        )
        raise UnreadableFileError(file, Code.NO_TABLE, why)
    values, shifted, missing = {}, {}, {}
    for place, array in grid.whole.items():
        if array.dtype.kind in "iu":
            shifted[place] = (array - array[0]).astype(float) if len(array) else array.astype(float)
        own = array.astype(float, copy=False)
        lost = ~(np.abs(own) < LARGEST_NUMBER)  # true for NaN too
        missing[place] = int(lost.sum())
        values[place] = np.where(lost, np.nan, own) if missing[place] else own
    n = len(next(iter(values.values())))
    return BulkTable(values, shifted, missing, range(1, n + 1))


def head_of(content: bytes, length: int) -> bytes | None:
    """Return the first lines of a large text, cut at a line end, or None if no head can stand for
    the rest.
    """
    if (
        len(content) < LEAST_BYTES
        or content[:2] in (b"\xff\xfe", b"\xfe\xff")
        or content[:4].count(0)
    ):
        return None
    end = content.rfind(b"\n", 0, length)
    head = content[: end + 1]
    if end < 0 or b'"' in head or head.count(b"\r") not in (0, head.count(b"\r\n")):
        return None
    return head


def read_bulk(
    content: bytes, table: Table, columns: list[Column], delimiter: str, decimal: str
) -> BulkTable | None:
    """Return the values of a table that begins as `table` does, or None if a guard says no."""
    if (
        len(delimiter) != 1
        or table.unusable
        or table.findings
        or any(c.bad or c.sentinel for c in columns)
    ):
        return None
    first = table.lines[0]
    start = _start_of(content, first, delimiter, decimal)
    if start is None:
        return None
    whole = _read(content, start, first, len(table.rows[0]), columns, delimiter, decimal)
    if whole is not None:
        n = len(next(iter(whole[0].values())))
        return BulkTable(*whole, range(first, first + n))
    return _read_without_messages(content, start, table, columns, delimiter, decimal)


def _read_without_messages(
    content: bytes, start: int, table: Table, columns: list[Column], delimiter: str, decimal: str
) -> BulkTable | None:
    """Read the rows with lines cut out that are surely none; None if there are many, or one might
    be a row.
    """
    data = np.frombuffer(content, dtype=np.uint8)[start:]
    allowed = np.zeros(256, dtype=bool)
    allowed[
        list(b"0123456789+-.eE \r\n" + delimiter.encode() + (b"," if decimal == "," else b""))
    ] = True
    odd = np.flatnonzero(~allowed[data])
    ends = np.flatnonzero(data == _NEWLINE)
    numbers = np.unique(np.searchsorted(ends, odd))
    if not 0 < numbers.size <= MOST_CUT or not len(ends):
        return None
    cut, pieces, last = [], [], 0
    width, first = table.width, table.lines[0]
    for number in numbers.tolist():
        low = int(ends[number - 1]) + 1 if number else 0
        high = int(ends[number]) + 1 if number < len(ends) else len(data)
        text = content[start + low : start + high].decode("utf-8", "replace").strip("\r\n")
        cells = split_line(text, delimiter)
        if (
            is_data(cells)
            or len(cells) >= width
            or is_spoilt_row(Record(1, cells), width, delimiter)
        ):
            return None
        cut.append(Unusable(first + number, shown_line(text), "not a row of numbers"))
        pieces.append(content[start + last : start + low])
        last = high
    rest = b"".join([*pieces, content[start + last :]])
    read = _read(rest, 0, 1, len(table.rows[0]), columns, delimiter, decimal)
    if read is None:
        return None
    lines = np.setdiff1d(np.arange(len(next(iter(read[0].values()))) + len(cut)), numbers) + first
    return BulkTable(*read, lines.tolist(), tuple(cut))


def _read(
    content: bytes,
    start: int,
    first_line: int,
    width: int,
    columns: list[Column],
    delimiter: str,
    decimal: str,
) -> tuple[dict[int, Array], dict[int, Array], dict[int, int]] | None:
    import polars as pl

    schema: dict[str, type[pl.DataType] | pl.DataType] = {f"c{k}": pl.String for k in range(width)}
    for c in columns:
        if c.numeric:
            schema[f"c{c.place}"] = pl.Decimal(38, 9) if _too_long_for_floats(c) else pl.Float64
    try:
        frame = pl.read_csv(
            io.BytesIO(content),
            has_header=False,
            schema=schema,
            separator=delimiter,
            quote_char=None,
            skip_lines=first_line - 1,
            decimal_comma=decimal == ",",
            ignore_errors=False,
            truncate_ragged_lines=False,
        )
    except (pl.exceptions.PolarsError, ValueError, OverflowError):
        return None
    if frame.height < 2 or frame.height != _lines(content, start):
        return None
    blanks = sum(frame[f"c{c.place}"].null_count() for c in columns)
    if blanks and blanks != _blank_cells(content, start, delimiter):
        return None
    return _checked(frame, columns)


def _lines(content: bytes, start: int) -> int:
    """The number of physical lines from a place on."""
    data = np.frombuffer(content, dtype=np.uint8)[start:]
    pieces = range(0, len(data), _PIECE)
    ends = sum(int(np.count_nonzero(data[k : k + _PIECE] == _NEWLINE)) for k in pieces)
    return ends + (not content.endswith(b"\n"))


def _blank_cells(content: bytes, start: int, delimiter: str) -> int:
    """How many cells have nothing in them: two separators beside one another, line starts and ends
    among them.
    """
    data = np.frombuffer(content, dtype=np.uint8)[start:]
    mark = data == ord(delimiter)
    line = data == _NEWLINE
    before = np.concatenate([[True], (mark | line)[:-1]])
    after = mark | line | (data == _RETURN)
    open_end = int(len(data) > 0 and bool(mark[-1]))
    return int((before & after).sum()) + open_end


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
    return (
        None if returns and content.count(b"\r", start) != content.count(b"\r\n", start) else start
    )


def _too_long_for_floats(column: Column) -> bool:
    cells = [c.strip().lstrip("+-") for c in column.cells or ()]
    plain = all(c.replace(".", "", 1).isdigit() and len(c.partition(".")[2]) <= 9 for c in cells)
    return plain and any(len(c) > _DIGITS_OF_FLOAT for c in cells)


def _checked(
    frame: object, columns: list[Column]
) -> tuple[dict[int, Array], dict[int, Array], dict[int, int]] | None:
    import polars as pl

    values: dict[int, Array] = {}
    shifted: dict[int, Array] = {}
    missing: dict[int, int] = {}
    for c in columns:
        series: pl.Series = frame[f"c{c.place}"]  # type: ignore[index]
        missing[c.place] = series.null_count()
        if series.dtype != pl.Float64:
            first = series.drop_nulls()
            if not len(first):
                return None
            shifted[c.place] = (
                (series - first[0]).cast(pl.Float64).fill_null(float("nan")).to_numpy()
            )
            series = series.cast(pl.Float64)
        if series.len() == missing[c.place]:
            return None
        array = series.drop_nulls().to_numpy() if missing[c.place] else series.to_numpy()
        if not (array.min() > -LARGEST_NUMBER and array.max() < LARGEST_NUMBER):  # NaN fails too
            return None
        values[c.place] = series.fill_null(float("nan")).to_numpy() if missing[c.place] else array
    return values, shifted, missing
