"""From rows of the table of results to the points of a trend, in SI, with what they share."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.analysis.results.formula_columns import unit_size
from inertian.analysis.results.results_table import ResultRow, ResultsTable
from inertian.analysis.trends.line_fit import TrendError
from inertian.analysis.trends.points import Points, SharedErrors
from inertian.quantities.estimates import Array, FactKey, Pools, SharedPart

FEWEST = 2  # trials that a figure shows


def rows_of_trend(
    table: ResultsTable, x: str, y: str, series: Sequence[str] = ()
) -> list[ResultRow]:
    """Return the rows that a trend is made of: those that count, of the series in question, with
    numbers for x and y.
    """
    return [
        row
        for row in table.rows
        if row.entry.apart is None
        and (not series or row.entry.series in series)
        and all(_number(row, name) for name in (x, y))
    ]


def _number(row: ResultRow, name: str) -> bool:
    one = row.values[name].scalar if name in row.values else None
    return one is not None and bool(np.isfinite(one.value) and np.isfinite(one.u))


def points_of(rows: Sequence[ResultRow], x: str, y: str) -> Points:
    """Return the points of some rows, in SI, with what each errs by itself and what they share.
    Raises TrendError where there are fewer than two.
    """
    if len(rows) < FEWEST:
        raise TrendError(
            f"“{y}” against “{x}” needs two trials that have both; there "
            f"{'is one' if len(rows) == 1 else 'are none'}."
        )
    made = [_point_of(row, x, y) for row in rows]
    keys: dict[FactKey, int] = {}
    for one in made:
        for key in one.moved:
            keys.setdefault(key, len(keys))
    moved = np.zeros((len(rows), len(keys), 2))
    for i, one in enumerate(made):
        for key, slopes in one.moved.items():
            moved[i, keys[key]] = slopes
    shared = _shared(keys, made, moved)
    return Points(
        np.array([one.at[0] for one in made]),
        np.array([one.at[1] for one in made]),
        np.array([one.own for one in made]),
        shared,
        np.array([one.dof for one in made]),
        tuple(one.pool for one in made),
        tuple(row.trial for row in rows),
    )


@dataclass(frozen=True, eq=False)
class _Point:
    """One point in SI: where it is, what it errs by itself, (2, 2), and what each shared error
    moves it by, (2,).
    """

    at: Array
    own: Array
    dof: float
    pool: str
    moved: dict[FactKey, Array]
    parts: tuple[SharedPart, ...]
    pools: Pools


def _point_of(row: ResultRow, x: str, y: str) -> _Point:
    """The point of a row; remembered, as a figure of hundreds is drawn at every move of one."""
    key = (x, y)
    if key not in row.points:
        c = row.covariance(key)
        places = [c.names.index(x), c.names.index(y)]
        sizes = np.array([unit_size(row.values[name].unit)[0] for name in key])
        own = c.own[np.ix_(places, places)] * np.outer(sizes, sizes)
        slopes = {k: s[places] * sizes for k, s in c.shared.items()}
        moved = {k: s for k, s in slopes.items() if s.any()}
        parts = tuple(p for p in c.parts if any(k in moved for k in p.ids))
        dof = _dof(c.dof[places], own)
        row.points[key] = _Point(c.values[places] * sizes, own, dof, c.pool, moved, parts, c.pools)
    found = row.points[key]
    assert isinstance(found, _Point)
    return found


def _shared(keys: dict[FactKey, int], made: Sequence[_Point], moved: Array) -> SharedErrors:
    """What points share: how large each error is, and what it moves."""
    covariance, dof = np.zeros((len(keys),) * 2), np.full(len(keys), np.inf)
    seen: set[object] = set()
    for one in made:
        for part in one.parts:
            mark = (part.source.name, part.ids)
            if mark in seen:
                continue
            seen.add(mark)
            own = [k for k, key in enumerate(part.ids) if key in keys]
            places = [keys[part.ids[k]] for k in own]
            covariance[np.ix_(places, places)] += part.covariance[np.ix_(own, own)]
            dof[places] = np.minimum(dof[places], one.pools.dof({part.source.pool: 1.0}))
    names = tuple(str(getattr(key, "name", key)) for key in keys)
    return SharedErrors(names, moved[:, :, 0], moved[:, :, 1], covariance, dof, tuple(keys))


def _dof(dof: np.ndarray, own: np.ndarray) -> float:
    """The degrees of freedom of what a point errs by: the least of those that matter."""
    known = [float(f) for f, variance in zip(dof, np.diag(own), strict=True) if variance > 0.0]
    return min(known, default=float("inf"))
