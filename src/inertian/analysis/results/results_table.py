"""The table of results: a row for each trial, a column for each thing with a name."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.results.formula_columns import (
    column_formula,
    formula_value,
    unit_of_formula,
    with_formula,
)
from inertian.analysis.results.row_covariance import RowCovariance, row_covariance
from inertian.analysis.results.trial_values import ColumnKind, Value, trial_values
from inertian.project.project import Entry, Project
from inertian.project.trend_requests import Column
from inertian.quantities.errors import InertianError
from inertian.quantities.expressions import FormulaError

Progress = Callable[[int, int], bool]  # rows done, of how many; False: stop


@dataclass(frozen=True)
class OfferedColumn:
    """A column that some trial has a value for: name, kind, and the SI unit of its numbers."""

    name: str
    kind: ColumnKind
    unit: str


@dataclass(frozen=True, eq=False)
class ResultRow:
    """A trial's row: everything it gives by name, columns by formula included, or why these cannot
    be had; `made_of` is what it hangs on.
    """

    project: Project
    entry: Entry
    evaluator: Evaluator
    values: Mapping[str, Value]
    formulas: tuple[Column, ...]
    refused: Mapping[str, str]
    made_of: tuple[object, ...]
    # Covariances that were asked for, by names
    known: dict[tuple[str, ...], RowCovariance] = field(default_factory=dict)
    points: dict[tuple[str, str], object] = field(default_factory=dict)  # of figures, likewise

    @property
    def trial(self) -> str:
        """The id of the trial."""
        return self.entry.trial.id

    def covariance(self, names: Sequence[str]) -> RowCovariance:
        """Return what some of its values err by together; those that are no numbers are left
        out.
        """
        key = tuple(names)
        if key not in self.known:
            self.known[key] = self._covariance(key)
        return self.known[key]

    def _covariance(self, names: Sequence[str]) -> RowCovariance:
        wanted = list(dict.fromkeys(self._base(names)))
        base = {name: self.values[name] for name in wanted if name in self.values}
        made = row_covariance(self.project, self.entry, self.evaluator, base)
        units = {name: one.unit for name, one in self.values.items()}
        for column in self.formulas:
            if column.name in self._above(names) and column.name in self.values:
                formula = column_formula(column.formula, tuple(self.values))
                made = with_formula(made, column.name, formula_value(formula, made, units))
        return made

    def _above(self, names: Sequence[str]) -> set[str]:
        """Names, and all that these hang on by formula."""
        by_name, found, waiting = {c.name: c for c in self.formulas}, set(), list(names)
        while waiting:
            name = waiting.pop()
            if name not in found:
                found.add(name)
                if name in by_name and name in self.values:
                    formula = column_formula(by_name[name].formula, tuple(self.values))
                    waiting += formula.needed
        return found

    def _base(self, names: Sequence[str]) -> list[str]:
        formulas = {c.name for c in self.formulas}
        above = self._above(names)
        return [name for name in self.values if name in above and name not in formulas]


def made_of(project: Project, entry: Entry, evaluator: Evaluator) -> tuple[object, ...]:
    """Return what a row hangs on; equal identities mean an equal row."""
    return (
        entry,
        evaluator.series(project, entry.series),
        project.setup,
        project.derived,
        project.series_named(entry.series),
        *(c for c in project.trends.columns if c.formula),
    )


def made_row(project: Project, entry: Entry, evaluator: Evaluator) -> ResultRow:
    """Return the row of one trial."""
    values = dict(trial_values(project, entry, evaluator))
    formulas = tuple(c for c in project.trends.columns if c.formula)
    refused: dict[str, str] = {}
    row = ResultRow(
        project, entry, evaluator, values, formulas, refused, made_of(project, entry, evaluator)
    )
    waiting = list(formulas)
    for _ in formulas:  # one may hang on another that stands behind it
        waiting = [c for c in waiting if not _worked_out(row, values, refused, c, formulas)]
    for column in waiting:
        refused[column.name] = refused.get(column.name, "it hangs on itself")
    return row


def _worked_out(
    row: ResultRow,
    values: dict[str, Value],
    refused: dict[str, str],
    column: Column,
    formulas: Sequence[Column],
) -> bool:
    """Work out a column by formula, unless it waits for another one."""
    others = [c.name for c in formulas if c.name not in values]
    try:
        formula = column_formula(column.formula, (*values, *others))
        if any(name in others for name in formula.needed):
            return False
        formula = column_formula(column.formula, tuple(values))
        units = {name: one.unit for name, one in values.items()}
        unit = unit_of_formula(formula, units)
        found = formula_value(formula, row.covariance(formula.needed), units)
        values[column.name] = Value(ColumnKind.FORMULA, found.scalar, "", unit)
        refused.pop(column.name, None)
    except FormulaError as error:
        refused[column.name] = error.why
    except KeyError as error:
        refused[column.name] = f"there is no number for {error.args[0]}"
    except (ZeroDivisionError, OverflowError):
        refused[column.name] = "it cannot be worked out with these numbers"
    return True


@dataclass(frozen=True, eq=False)
class ResultsTable:
    """Rows in the order of the project, and what columns there can be."""

    rows: tuple[ResultRow, ...]

    @cached_property
    def offered(self) -> dict[str, OfferedColumn]:
        """All columns that some trial has a value for, by name, kind by kind."""
        found: dict[str, OfferedColumn] = {}
        for row in self.rows:
            for name, value in row.values.items():
                if name not in found or (not found[name].unit and value.unit):
                    found[name] = OfferedColumn(name, value.kind, value.unit)
        order = list(ColumnKind)
        return dict(sorted(found.items(), key=lambda one: order.index(one[1].kind)))

    @cached_property
    def by_trial(self) -> dict[str, ResultRow]:
        """The rows by the id of their trial."""
        return {row.trial: row for row in self.rows}

    def with_row(self, new: ResultRow) -> "ResultsTable":
        """Return the same table with one row exchanged."""
        made = ResultsTable(tuple(new if r.trial == new.trial else r for r in self.rows))
        if all(name in self.offered for name in new.values):
            made.__dict__["offered"] = self.offered  # no need to go through all rows again
        return made


def results_table(
    project: Project,
    evaluator: Evaluator,
    known: ResultsTable | None = None,
    progress: Progress = lambda _done, _of: True,
) -> ResultsTable | None:
    """Return the table of a project; rows of a table that is known are kept where nothing they
    hang on has changed. None where `progress` said to stop.
    """
    rows: list[ResultRow] = []
    before = known.by_trial if known is not None else {}
    for done, entry in enumerate(project.entries):
        if not progress(done, len(project.entries)):
            return None
        old = before.get(entry.trial.id)
        rows.append(_row(project, entry, evaluator, old))
    progress(len(rows), len(rows))
    return ResultsTable(tuple(rows))


def _row(project: Project, entry: Entry, evaluator: Evaluator, old: ResultRow | None) -> ResultRow:
    if old is not None:
        now = made_of(project, entry, evaluator)
        if len(now) == len(old.made_of) and all(
            a is b for a, b in zip(now, old.made_of, strict=True)
        ):
            return old
    try:
        return made_row(project, entry, evaluator)
    except InertianError as error:
        return ResultRow(project, entry, evaluator, {}, (), {"": str(error)}, ())


def shown_columns(table: ResultsTable, chosen: Iterable[Column]) -> tuple[Column, ...]:
    """Return the columns that are shown: those chosen, else what the program finds most telling."""
    kept = tuple(chosen)
    return kept if any(not c.formula for c in kept) else (*usual_columns(table), *kept)


# Beginnings of the names of results, the most telling first
TELLING = (
    "change of velocity",
    "restitution",
    "efficiency",
    "friction coefficient",
    "fraction kept",
    "mean force",
    "impulse",
    "momentum along the track unaccounted",
    "momentum x unaccounted",
    "velocity before",
    "velocity after",
    "mechanical energy unaccounted",
)
USUAL = 7  # columns that are shown unless others are chosen
COMMON = 0.5  # of the trials: columns that fewer have stand behind the others
OWN = (ColumnKind.VARIABLE, ColumnKind.READING, ColumnKind.CURVE)


def usual_columns(table: ResultsTable) -> tuple[Column, ...]:
    """Return the columns shown unless others are chosen: variables, readings, and what accounts
    tell most with.
    """
    names = [name for name, one in table.offered.items() if one.kind in OWN][: 2 * USUAL]
    results = (ColumnKind.RESULT, ColumnKind.AMOUNT)
    counts = {name: sum(name in row.values for row in table.rows) for name in table.offered}
    telling = [
        name
        for start in TELLING
        for name, one in table.offered.items()
        if one.kind in results and name.startswith(start)
    ]
    telling.sort(key=lambda name: counts[name] < COMMON * len(table.rows))
    names += [n for n in telling if n not in names][: max(USUAL - len(names), 0)]
    return tuple(Column(name) for name in names)
