"""A trend of a project: from the table of results to a fitted line, held against what is
expected.
"""

from collections.abc import Sequence

import numpy as np

from inertian.analysis.results.formula_columns import unit_size
from inertian.analysis.results.results_table import ResultRow, ResultsTable
from inertian.analysis.trends.line_fit import TrendError
from inertian.analysis.trends.points import Points, SharedErrors
from inertian.quantities.estimates import FactKey

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
    made = [row.covariance((x, y)) for row in rows]
    places = [(c.names.index(x), c.names.index(y)) for c in made]
    sizes = np.array([[unit_size(row.values[name].unit)[0] for name in (x, y)] for row in rows])
    values = np.array([c.values[list(p)] for c, p in zip(made, places, strict=True)]) * sizes
    own = np.array([c.own[np.ix_(p, p)] for c, p in zip(made, places, strict=True)])
    own = own * sizes[:, :, None] * sizes[:, None, :]
    keys: dict[FactKey, int] = {}
    for c, p in zip(made, places, strict=True):
        for key, slopes in c.shared.items():
            if slopes[list(p)].any():
                keys.setdefault(key, len(keys))
    moved = np.zeros((2, len(rows), len(keys)))
    covariance, dof = np.zeros((len(keys),) * 2), np.full(len(keys), np.inf)
    seen: set[object] = set()
    for i, (c, p) in enumerate(zip(made, places, strict=True)):
        for key, slopes in c.shared.items():
            if key in keys:
                moved[:, i, keys[key]] = slopes[list(p)] * sizes[i]
        for part in c.parts:
            ids = [k for k in part.ids if k in keys]
            if not ids or (part.source, part.ids) in seen:
                continue
            seen.add((part.source, part.ids))
            rows_, own_rows = [keys[k] for k in ids], [part.ids.index(k) for k in ids]
            known = part.covariance[np.ix_(own_rows, own_rows)]
            covariance[np.ix_(rows_, rows_)] += known
            dof[rows_] = np.minimum(dof[rows_], c.pools.dof({part.source.pool: 1.0}))
    names = tuple(str(getattr(key, "name", key)) for key in keys)
    shared = SharedErrors(names, moved[0], moved[1], covariance, dof, tuple(keys))
    freedom = np.array([_dof(c.dof[list(p)], o) for c, p, o in zip(made, places, own, strict=True)])
    pools = tuple(c.pool for c in made)
    return Points(
        values[:, 0], values[:, 1], own, shared, freedom, pools, tuple(r.trial for r in rows)
    )


def _dof(dof: np.ndarray, own: np.ndarray) -> float:
    """The degrees of freedom of what a point errs by: the least of those that matter."""
    known = [float(f) for f, variance in zip(dof, np.diag(own), strict=True) if variance > 0.0]
    return min(known, default=float("inf"))
