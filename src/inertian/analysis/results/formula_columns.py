"""Columns by a formula over other columns, whose names stand in it as they stand in the table:
"velocity after of B along x / velocity before of A along x".
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from inertian.analysis.results.row_covariance import RowCovariance
from inertian.quantities.coverage import Scalar
from inertian.quantities.dimensions import NUMBER, Dimension, dimension_of, parse_unit
from inertian.quantities.estimates import (
    ErrorSource,
    FactKey,
    JointScalars,
    Pools,
    SourceCovariance,
)
from inertian.quantities.expressions import Formula, FormulaError, parse_formula
from inertian.quantities.propagation import Results

PLACE = "column_{}_"  # stands for a column in what is parsed


@lru_cache(maxsize=1000)
def unit_size(unit: str) -> tuple[float, Dimension]:
    """Return the size of a unit in SI and its dimension; one that the program does not know counts
    as a plain number.
    """
    try:
        return parse_unit(unit)
    except FormulaError:
        return 1.0, NUMBER


@dataclass(frozen=True, eq=False)
class ColumnFormula:
    """A formula, and the columns that stand in it, by the names they have in what is parsed."""

    formula: Formula
    columns: Mapping[str, str]

    @property
    def needed(self) -> tuple[str, ...]:
        """The columns it is made of."""
        return tuple(self.columns.values())


@lru_cache(maxsize=500)
def column_formula(
    text: str, names: tuple[str, ...], beside: tuple[str, ...] = ()
) -> ColumnFormula:
    """Return a formula over columns of some names, and other names `beside` them that it may hold.
    Raises FormulaError.
    """
    places: dict[str, str] = {}
    plain = " ".join(text.split())
    if names:
        longest_first = sorted(names, key=len, reverse=True)
        pattern = "|".join(re.escape(name) for name in longest_first)

        def placed(match: re.Match[str]) -> str:
            place = PLACE.format(names.index(match[0]))
            places[place] = match[0]
            return f" {place} "

        plain = re.sub(rf"(?<![^\W_])(?:{pattern})(?![^\W_])", placed, plain)
    try:
        formula = parse_formula(plain)
    except FormulaError as error:
        raise FormulaError(text, error.why) from None
    unknown = [n for n in formula.names if n not in places and n not in beside]
    if unknown:
        raise FormulaError(text, f"there is no column “{unknown[0]}”.")
    return ColumnFormula(formula, places)


def unit_of_formula(made: ColumnFormula, units: Mapping[str, str]) -> str:
    """Return the SI unit of a column by formula, from those of its columns. Raises FormulaError."""
    known = {place: unit_size(units.get(name, ""))[1] for place, name in made.columns.items()}
    unit = str(dimension_of(made.formula, known))
    return "" if unit == "1" else unit


@dataclass(frozen=True, eq=False)
class FormulaValue:
    """A column by formula in one trial, with what it hangs on: ∂value/∂column."""

    scalar: Scalar
    slopes: Mapping[str, float]


def formula_value(
    made: ColumnFormula, row: RowCovariance, units: Mapping[str, str]
) -> FormulaValue:
    """Return the value of a formula in a trial, in SI, correlations counted. Raises KeyError where
    a column has no number there.
    """
    places = [row.names.index(name) if name in row.names else -1 for name in made.needed]
    if -1 in places:
        raise KeyError(made.needed[places.index(-1)])
    sizes = np.array([unit_size(units.get(name, ""))[0] for name in made.needed])
    joint = _joint(row, places, sizes, tuple(made.columns))
    results = Results(lambda q: {"": made.formula(**q) + 0.0 * sum(q.values())}, joint)
    with np.errstate(all="ignore"):
        scalar = results[""]
        slopes = results.first.gradient[0] * sizes
    return FormulaValue(scalar, dict(zip(made.needed, map(float, slopes), strict=True)))


def _joint(
    row: RowCovariance, places: Sequence[int], sizes: np.ndarray, names: tuple[str, ...]
) -> JointScalars:
    """Some values of a trial as correlated scalars in SI."""
    scale = np.outer(sizes, sizes)
    finite = [float(row.dof[k]) for k in places if np.isfinite(row.dof[k])]
    pools = Pools({("own", "own"): 2.0 / min(finite)}) if finite else Pools()
    parts = [
        SourceCovariance(
            ErrorSource("own", "readings", "own"), row.own[np.ix_(places, places)] * scale
        )
    ]
    for part in row.parts:
        moved = np.array([row.shared[k][places] for k in part.ids if k in row.shared])
        rows = [i for i, k in enumerate(part.ids) if k in row.shared]
        known = part.covariance[np.ix_(rows, rows)]
        parts.append(SourceCovariance(part.source, (moved.T @ known @ moved) * scale))
    relative = {**row.pools.relative, **pools.relative}
    return JointScalars(names, row.values[places] * sizes, tuple(parts), Pools(relative))


def with_formula(row: RowCovariance, name: str, made: FormulaValue) -> RowCovariance:
    """Return the values of a trial with one more, that a formula gives."""
    gain = np.array([made.slopes.get(n, 0.0) for n in row.names])
    both = row.own @ gain
    shared: dict[FactKey, np.ndarray] = {
        key: np.append(slopes, gain @ slopes) for key, slopes in row.shared.items()
    }
    together = sum(
        float(
            np.array([gain @ row.shared[k] if k in row.shared else 0.0 for k in p.ids])
            @ p.covariance
            @ np.array([gain @ row.shared[k] if k in row.shared else 0.0 for k in p.ids])
        )
        for p in row.parts
    )
    first, u = float(gain @ both), made.scalar.u
    variance = max(u**2 - together, first if np.isfinite(first) else 0.0)
    factor = np.sqrt(variance / first) if first > 0.0 else 0.0
    own = np.zeros((len(row.names) + 1,) * 2)
    own[:-1, :-1] = row.own
    own[-1, :-1] = own[:-1, -1] = factor * both
    own[-1, -1] = variance
    dof = np.append(row.dof, made.scalar.dof)
    return RowCovariance(
        (*row.names, name),
        np.append(row.values, made.scalar.value),
        own,
        dof,
        row.pool,
        shared,
        row.parts,
        row.pools,
    )
