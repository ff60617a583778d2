"""The table of results and trends as JSON, text, CSV and workbooks; docs/schemas/results-1.json and
trend-1.json describe the forms.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from inertian.analysis.results.formula_columns import unit_size
from inertian.analysis.results.results_table import ResultRow, ResultsTable
from inertian.analysis.results.trial_values import ColumnKind, Value
from inertian.project.trend_requests import Column
from inertian.quantities.errors import Refusal
from inertian.quantities.rounding import write_estimate
from inertian.report.ledgers import finite, unit_name
from inertian.report.written_tables import write_table

SCHEMA = 1
TRIAL, SERIES, ASIDE = "trial", "series", "set aside"


def columns_named(table: ResultsTable, names: Sequence[str]) -> tuple[Column, ...]:
    """Return columns by name, or by title. Raises Refusal for one that no trial has."""
    titled = {c.title: c for r in table.rows[:1] for c in r.project.trends.columns if c.title}
    found = []
    for name in names:
        column = titled.get(name) or Column(name)
        if column.name not in table.offered:
            raise Refusal(f"No trial has “{name}”. There are: {', '.join(table.offered)}.")
        found.append(column)
    return tuple(found)


def results_json(
    table: ResultsTable, columns: Sequence[Column], shown: Sequence[ResultRow] | None = None
) -> dict[str, Any]:
    """Return columns and rows; numbers in SI, or in the unit that was chosen for a column."""
    rows = table.rows if shown is None else shown
    return {
        "schema": SCHEMA,
        "columns": [
            {
                "name": c.name,
                "unit": unit_name(unit_of_column(table, c)),
                "kind": str(kind_of_column(table, c)),
            }
            for c in columns
        ],
        "rows": [
            {
                "trial": row.entry.trial.name,
                "series": row.entry.series,
                "set_aside": row.entry.apart,
                "values": {c.name: _cell_json(table, row, c) for c in columns},
            }
            for row in rows
        ],
    }


def _cell_json(table: ResultsTable, row: ResultRow, column: Column) -> Any:
    value = row.values.get(column.name)
    if value is None:
        return None
    if value.scalar is None:
        return value.text
    factor = shown_factor(table, column)
    number, u = finite(value.scalar.value * factor), finite(value.scalar.u * factor)
    return {"value": number, "u": u} if number is not None else None


def kind_of_column(table: ResultsTable, column: Column) -> ColumnKind:
    """Return what a column holds."""
    offered = table.offered.get(column.name)
    if column.formula or offered is None:
        return ColumnKind.FORMULA if column.formula else ColumnKind.VARIABLE
    return offered.kind


def unit_of_column(table: ResultsTable, column: Column) -> str:
    """Return the unit that a column is shown in."""
    offered = table.offered.get(column.name)
    return column.unit or (offered.unit if offered is not None else "")


def shown_factor(table: ResultsTable, column: Column) -> float:
    """Return how many of the shown unit make one of the unit that values come in; 1 where a unit
    cannot show them.
    """
    offered = table.offered.get(column.name)
    if not column.unit or offered is None:
        return 1.0
    (own, one), (shown, other) = unit_size(offered.unit), unit_size(column.unit)
    return own / shown if one == other else 1.0


def written_cell(table: ResultsTable, row: ResultRow, column: Column, mark: str = ".") -> str:
    """Return a cell as it is read, rounded, without its unit; "" where there is nothing."""
    value = row.values.get(column.name)
    if value is None:
        return ""
    return written_value(value, shown_factor(table, column), mark)


def written_value(value: Value, factor: float = 1.0, mark: str = ".") -> str:
    """Return a value as it is read, rounded, without its unit."""
    if value.scalar is None:
        return value.text
    one = value.scalar
    text = write_estimate(one.value * factor, one.u * abs(factor), "", mark)
    return text.removesuffix(" (exact)")


def title_of(table: ResultsTable, column: Column) -> str:
    """Return the title of a column with its unit."""
    unit = unit_of_column(table, column)
    name = column.title or column.name
    return f"{name} ({unit})" if unit else name


def table_cells(
    table: ResultsTable, columns: Sequence[Column], shown: Sequence[ResultRow] | None = None
) -> tuple[list[str], list[list[Any]]]:
    """Return titles and rows of a table with a column for each value and one for its u; words have
    one column.
    """
    numeric = {c.name: _has_numbers(table, c) for c in columns}
    titles = [TRIAL, SERIES]
    for c in columns:
        titles.append(title_of(table, c))
        if numeric[c.name]:
            titles.append(f"u of {title_of(table, c)}")
    rows = []
    for row in table.rows if shown is None else shown:
        cells: list[Any] = [row.entry.trial.name, row.entry.series]
        for c in columns:
            one = _cell_json(table, row, c)
            if isinstance(one, dict):
                cells += [one["value"], one["u"]]
            else:
                cells += [one, None] if numeric[c.name] else [one]
        rows.append([*cells, row.entry.apart])
    return [*titles, ASIDE], rows


def _has_numbers(table: ResultsTable, column: Column) -> bool:
    values = [row.values.get(column.name) for row in table.rows]
    return any(v is not None and v.scalar is not None for v in values)


def write_results(table: ResultsTable, columns: Sequence[Column], out: Path) -> None:
    """Write the table as CSV, or as a workbook where the name ends in .xlsx. Raises OSError, or
    Refusal for another ending.
    """
    titles, rows = table_cells(table, columns)
    write_table(out, titles, rows)


def results_text(table: ResultsTable, columns: Sequence[Column]) -> str:
    """Return the table as text, cells apart by tabs, values rounded with their ±."""
    lines = ["\t".join([TRIAL, SERIES, *(title_of(table, c) for c in columns), ASIDE])]
    for row in table.rows:
        cells = [written_cell(table, row, c) for c in columns]
        lines.append(
            "\t".join([row.entry.trial.name, row.entry.series, *cells, row.entry.apart or ""])
        )
    return "\n".join(lines)
