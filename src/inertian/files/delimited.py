"""Delimited text into a trial: what was understood is said in words, what was unusable is listed."""

import csv
import hashlib
import io
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from inertian.motion.trials import Body, Channel, Provenance, Trial
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.units import Unit, kind_of, unit_of

KEPT_BYTES = 64 * 1024 * 1024
LARGEST = 512 * 1024 * 1024
_DELIMITERS = {"\t": "tab", ";": "semicolon", ",": "comma"}
_HEADER = re.compile(r"^\s*(?P<name>.*?)\s*(?:[(\[]\s*(?P<unit>[^)\]]*?)\s*[)\]])?\s*$")
_TIME_NAMES = {"t", "time", "times", "zeit", "temps", "tiempo", "tempo", "tijd", "tid", "czas", "čas", "aika"}
_AXES = ("x", "y", "z")


class UnreadableFileError(InertianError):
    """A file cannot be read as position against time."""

    def __init__(self, file: str, why: str) -> None:
        super().__init__(file, why)
        self.file, self.why = file, why

    def __str__(self) -> str:
        return f"{self.file}: {self.why}"


@dataclass(frozen=True)
class _Column:
    index: int
    title: str
    name: str
    unit: str


@dataclass(frozen=True)
class _Table:
    """A table found in a text: its header cells and numeric rows with their line numbers."""

    delimiter: str
    decimal: str
    header: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    unusable: tuple[tuple[int, str, str], ...]


def read_trial(path: Path) -> Trial:
    """Read one delimited text file as one trial.

    Raises UnreadableFileError if it is missing, too large, not text or holds no positions against time, and TrialError
    if its times do not increase.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise UnreadableFileError(path.name, f"it is larger than {LARGEST // 2**20} MB. Split it first.")
        content = path.read_bytes()
    except OSError as error:
        raise UnreadableFileError(path.name, f"it cannot be opened ({error.strerror or error}).") from error
    return trial_of_bytes(path.name, content)


def trial_of_bytes(file: str, content: bytes) -> Trial:
    """Read the bytes of a delimited text file as one trial. Raises as `read_trial` does."""
    text = _decode(file, content)
    table = _find_table(file, text)
    columns = [_column(i, title) for i, title in enumerate(table.header)]
    time, remarks = _time_column(file, columns)
    positions = _positions(table, columns, time, remarks)
    if not positions:
        raise UnreadableFileError(file, "no column of positions was found beside the time.")
    values, unusable = _numbers(table, [time, *(c for c, _, _, _ in positions)])
    if len(values) < 2:
        raise UnreadableFileError(file, f"only {len(values)} line(s) of numbers were found; a trial needs at least 2.")
    bodies: dict[str, list[Channel]] = {}
    for place, (column, body, axis, unit) in enumerate(positions, start=1):
        bodies.setdefault(body, []).append(Channel(axis, column.title, unit, values[:, place]))
    time_unit = unit_of("time", time.unit or "s")
    said = (
        f"{_DELIMITERS[table.delimiter]} between columns, decimal {'comma' if table.decimal == ',' else 'point'}",
        f"time in column {time.index + 1}, {time_unit.symbol}",
        f"{len(bodies)} {'body' if len(bodies) == 1 else 'bodies'}: "
        + ", ".join(f"{b} ({', '.join(f'{c.axis} in {c.unit.symbol}' for c in cs)})" for b, cs in bodies.items()),
        f"{len(values)} samples, {len(unusable)} lines unusable",
        *remarks,
    )
    digest = hashlib.sha256(content).hexdigest()
    kept = content if len(content) <= KEPT_BYTES else None
    provenance = Provenance(file, digest, len(content), kept, said, unusable)
    name = Path(file).stem.replace("_", " ").strip() or file
    made = tuple(Body(b, tuple(cs)) for b, cs in bodies.items())
    return Trial(digest[:12], name, time.title, time_unit, values[:, 0], made, provenance)


def _decode(file: str, content: bytes) -> str:
    if not content.strip():
        raise UnreadableFileError(file, "it is empty.")
    if b"\0" in content[:4096] and not content.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UnreadableFileError(file, "it is not a text file. Export it as text (CSV) first.")
    encoding = "utf-16" if content.startswith((b"\xff\xfe", b"\xfe\xff")) else "utf-8-sig"
    try:
        return content.decode(encoding)
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace")


def _number(cell: str) -> float:
    """The number in a cell, with comma or point as decimal mark, or NaN if there is none."""
    try:
        value = float(cell)
    except ValueError:
        try:
            value = float(cell.replace(",", ".").replace("−", "-"))
        except ValueError:
            return math.nan
    return value if math.isfinite(value) and "_" not in cell else math.nan


def _is_number(cell: str) -> bool:
    return not math.isnan(_number(cell))


def _cells(line: str, delimiter: str) -> tuple[str, ...]:
    if '"' in line:
        return tuple(next(csv.reader(io.StringIO(line), delimiter=delimiter)))
    return tuple(line.split(delimiter))


def _numeric(cells: Sequence[str]) -> bool:
    """Whether a line is one of numbers: at least two cells, the first filled one a number, most of the others too."""
    filled = [c for c in cells if c.strip()]
    return (
        len(cells) >= 2
        and len(filled) >= 1
        and _is_number(filled[0])
        and sum(map(_is_number, filled)) * 2 > len(filled)
    )


def _find_table(file: str, text: str) -> _Table:
    lines = text.splitlines()
    counts = {d: sum(_numeric(_cells(line, d)) for line in lines if d in line) for d in _DELIMITERS}
    delimiter = max(counts, key=lambda d: counts[d])
    if counts[delimiter] < 2:
        raise UnreadableFileError(
            file, "no table of numbers was found in it. It needs a time column and a position column."
        )
    split = [(n, line, _cells(line, delimiter)) for n, line in enumerate(lines, start=1)]
    first = next(i for i, (_, _, cells) in enumerate(split) if _numeric(cells))
    header = split[first - 1][2] if first and len(split[first - 1][2]) >= 2 else ()
    rows, unusable = [], []
    for number, line, cells in split[first:]:
        if _numeric(cells):
            rows.append((number, cells))
        elif line.strip():
            unusable.append((number, line[:200], "not a line of numbers"))
    commas = delimiter != "," and any("," in cell for _, cells in rows[:50] for cell in cells)
    return _Table(delimiter, "," if commas else ".", header, tuple(rows), tuple(unusable))


def _column(index: int, title: str) -> _Column:
    match = _HEADER.match(title.strip().lstrip("#"))
    assert match is not None  # the pattern accepts any line
    return _Column(index, title.strip(), match["name"].strip(), (match["unit"] or "").strip())


def _time_column(file: str, columns: Sequence[_Column]) -> tuple[_Column, list[str]]:
    for column in columns:
        if column.name.lower() in _TIME_NAMES or kind_of(column.unit) == "time":
            if column.unit and kind_of(column.unit) != "time":
                raise UnreadableFileError(
                    file, f"the time column has the unit “{column.unit}”, which is no unit of time."
                )
            return column, [] if column.unit else ["no unit given for the time; taken as s"]
    raise UnreadableFileError(
        file, "no time column was found. Name it, for example, “time (s)” in the line above the numbers."
    )


def _positions(
    table: _Table, columns: Sequence[_Column], time: _Column, remarks: list[str]
) -> list[tuple[_Column, str, str, Unit]]:
    """The columns that hold positions, with body, axis and unit; columns of other quantities are left out, and said."""
    found: list[tuple[_Column, str, str, Unit]] = []
    for column in columns:
        if column.index == time.index or not column.name:
            continue
        if column.unit and kind_of(column.unit) != "length":
            remarks.append(f"column “{column.title}” left out: not a position")
            continue
        if not _holds_numbers(table, column):
            remarks.append(f"column “{column.title}” left out: no numbers in it")
            continue
        if not column.unit:
            remarks.append(f"no unit given for “{column.title}”; taken as m")
        words = column.name.replace("_", " ").split()
        axis = words[-1].lower() if words[-1].lower() in _AXES else "x"
        body = " ".join(words[:-1]) if words[-1].lower() in _AXES else " ".join(words)
        if any(b == (body or "body") and a == axis for _, b, a, _ in found):
            remarks.append(f"column “{column.title}” left out: {body or 'body'} has an {axis} already")
            continue
        found.append((column, body or "body", axis, unit_of("length", column.unit or "m")))
    return found


def _holds_numbers(table: _Table, column: _Column) -> bool:
    """Whether most filled cells of a column are numbers, and some are."""
    cells = [c[column.index] for _, c in table.rows if column.index < len(c) and c[column.index].strip()]
    return 2 * sum(map(_is_number, cells)) > len(cells)


def _numbers(table: _Table, columns: Sequence[_Column]) -> tuple[Array, tuple[tuple[int, str, str], ...]]:
    """The values of the chosen columns, NaN where blank or unreadable; lines without a time are unusable."""
    unusable, values = list(table.unusable), []
    for number, cells in table.rows:
        row = []
        for column in columns:
            row.append(_number(cells[column.index]) if column.index < len(cells) else math.nan)
        if math.isnan(row[0]):
            unusable.append((number, table.delimiter.join(cells)[:200], "no time"))
        else:
            values.append(row)
            if len(cells) < max(c.index for c in columns) + 1:
                unusable.append((number, table.delimiter.join(cells)[:200], "too few columns; the rest is missing"))
    return np.array(values).reshape(-1, len(columns)), tuple(sorted(unusable))
