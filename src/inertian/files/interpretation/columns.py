"""Columns of a table as numbers: values, what is missing, what is no number, units written behind
the numbers.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.files.cells.column_titles import Title, read_title
from inertian.files.cells.number_parsing import is_missing, value_of
from inertian.files.cells.time_stamps import TimeStamps, time_stamps
from inertian.files.interpretation.tables import Table
from inertian.motion.recording.trials import LARGEST_NUMBER
from inertian.quantities.estimates import Array
from inertian.quantities.units import kind_of, unit_of

_SENTINELS = frozenset((
    -99.0, -999.0, -9999.0, -99999.0, 999.0, 9999.0, 99999.0, 999999.0, -999.9, -999.99, -9999.9,
    999.9, 999.99, 9999.9,
    9999.99, 32767.0, -32768.0, 65535.0, -1e30, 1e30, 9.9e37, -9.9e37, 1e20, -1e20,
))  # fmt: skip


@dataclass(frozen=True, eq=False)
class Column:
    """One column: its title taken apart, its values (NaN where there is none), and its cells unless
    read in bulk.

    `bad` has the rows whose cell is neither a number nor a word for missing; `missing` counts the
    other NaN.
    """

    place: int
    title: Title
    values: Array
    cells: Sequence[str] | None = None
    missing: int = 0
    bad: tuple[int, ...] = ()
    sentinel: float | None = None
    mixed_units: tuple[str, ...] = ()
    moments: TimeStamps | None = None
    shifted: Array | None = None  # whole numbers less the first, shifted before they became floats

    @property
    def numeric(self) -> bool:
        """Whether this is a column of numbers."""
        return self.moments is None and bool(np.isfinite(self.values).any())

    @property
    def label(self) -> str:
        """What the column is called: its title as the file has it, or its place."""
        return self.title.raw.strip() or f"column {self.place + 1}"


@dataclass
class _Parsed:
    values: Array
    missing: int = 0
    bad: list[int] = field(default_factory=list)
    units: Counter[str] = field(default_factory=Counter)
    by_row: dict[int, str] = field(default_factory=dict)


def columns_of(table: Table, decimal: str, units: Sequence[str]) -> list[Column]:
    """Return the columns of a table; `units` are known from outside the titles, "" where not.

    Columns without title and without any cell are left out.
    """
    found = []
    prefix = _common_prefix(table.titles)
    for place in range(table.width):
        cells = [row[place] for row in table.rows]
        if not table.titles[place].strip() and not any(c.strip() for c in cells):
            continue
        found.append(_column(place, table.titles[place], cells, decimal, units[place], prefix))
    return found


def _common_prefix(titles: Sequence[str]) -> str:
    """What all titles begin with before a colon: the name of a device or a run, and of no body."""
    starts = {t.partition(":")[0] for t in titles if t.strip()}
    whole = all(":" in t for t in titles if t.strip()) and sum(bool(t.strip()) for t in titles) > 1
    return f"{starts.pop()}:" if whole and len(starts) == 1 else ""


def _column(
    place: int, raw: str, cells: list[str], decimal: str, unit: str, prefix: str = ""
) -> Column:
    title = replace(read_title(raw.removeprefix(prefix), unit), raw=raw)
    moments = time_stamps(cells)
    if moments is not None:
        bad = tuple(
            i for i, c in enumerate(cells) if np.isnan(moments.seconds[i]) and not is_missing(c)
        )
        lost = int(np.isnan(moments.seconds).sum()) - len(bad)
        return Column(place, title, moments.seconds, cells, lost, bad, moments=moments)
    parsed = _numbers(cells, decimal)
    filled = len(cells) - parsed.missing
    if filled and len(parsed.bad) > 0.5 * filled:
        return Column(place, title, np.full(len(cells), np.nan), cells, parsed.missing, ())
    mixed: tuple[str, ...] = ()
    if parsed.units:
        title, mixed = _one_unit(parsed, title, raw)
    sentinel = _sentinel(parsed.values)
    values = parsed.values
    if sentinel is not None:
        parsed.missing += int((values == sentinel).sum())
        values = np.where(values == sentinel, np.nan, values)
    return Column(place, title, values, cells, parsed.missing, tuple(parsed.bad), sentinel, mixed)


def _numbers(cells: Sequence[str], decimal: str) -> _Parsed:
    """All cells at once where they are plain numbers, else one by one."""
    whole = "".join(cells)
    plain = "_" not in whole and whole.isascii() and (decimal == "." or "." not in whole)
    if plain and (decimal == "," or "," not in whole):
        try:
            values = np.array(
                [
                    float(c)
                    for c in (cells if decimal == "." else [c.replace(",", ".") for c in cells])
                ]
            )
            if values.size and np.abs(values).max() < LARGEST_NUMBER:  # false for NaN too
                return _Parsed(values)
        except ValueError:
            pass
    parsed = _Parsed(np.full(len(cells), np.nan))
    for row, cell in enumerate(cells):
        if is_missing(cell):
            parsed.missing += 1
            continue
        found = value_of(cell, decimal)
        if found is None:
            parsed.bad.append(row)
            continue
        parsed.values[row] = found[0]
        if found[1]:
            parsed.units[found[1]] += 1
            parsed.by_row[row] = found[1]
    return parsed


def _one_unit(parsed: _Parsed, title: Title, raw: str) -> tuple[Title, tuple[str, ...]]:
    """Bring numbers with units of their own to the commonest of them; they are as good as a unit in
    the title.
    """
    main = parsed.units.most_common(1)[0][0]
    kind = kind_of(main)
    if kind is None:
        return title, ()
    for row, unit in parsed.by_row.items():
        if unit != main and kind_of(unit) == kind:
            parsed.values[row] = unit_of(kind, main).from_si(
                unit_of(kind, unit).to_si(parsed.values[row])
            )
        elif unit != main:
            parsed.values[row] = np.nan
            parsed.bad.append(row)
    return replace(read_title(title.name or raw, title.unit or main), raw=raw), tuple(
        parsed.units
    ) if len(parsed.units) > 1 else ()


def _sentinel(values: Array) -> float | None:
    """A value that stands for missing: one of the usual ones, far from all others."""
    good = values[np.isfinite(values)]
    if good.size < 4:
        return None
    for candidate in {
        float(good.min()),
        float(good.max()),
    } & _SENTINELS:  # far from all others, so at an end
        hits = good == candidate
        count = int(hits.sum())
        if 0 < count < 0.5 * good.size:
            rest = good[~hits]
            spread = float(np.ptp(rest)) or abs(float(rest[0])) or 1.0
            if (
                min(abs(candidate - float(rest.min())), abs(candidate - float(rest.max())))
                > 3.0 * spread
            ):
                return candidate
    return None
