"""Values of a column that lie apart from the others of their series, with the reason."""

from collections.abc import Sequence

import numpy as np

from inertian.analysis.results.results_table import ResultRow
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.quantities.rounding import write_shortest

FEWEST = 5  # values, of which one can lie apart
APART = 5.0  # robust standard deviations from the middle of the others


def values_apart(rows: Sequence[ResultRow], name: str) -> dict[str, str]:
    """Return why values of a column lie apart, by the id of their trial: beyond five robust
    standard deviations, their own ± included, of the others of their series that count (median and
    median absolute deviation: Huber, *Robust Statistics*, 1981, 5.1).
    """
    found: dict[str, str] = {}
    groups: dict[str, list[ResultRow]] = {}
    for row in rows:
        value = row.values.get(name)
        if value is not None and value.scalar is not None and row.entry.apart is None:
            groups.setdefault(row.entry.series, []).append(row)
    for own in groups.values():
        if len(own) < FEWEST:
            continue
        scalars = [row.values[name].scalar for row in own]
        values = np.array([one.value for one in scalars if one is not None])
        us = np.array([one.u for one in scalars if one is not None])
        middle = float(np.median(values))
        spread = MEDIAN_TO_SIGMA * float(np.median(np.abs(values - middle)))
        size = np.hypot(spread, us)
        for row, value, one in zip(own, values, size, strict=True):
            away = abs(value - middle) / one if one > 0.0 else 0.0
            if away > APART:
                unit = row.values[name].unit
                found[row.trial] = (
                    f"lies apart: {away:.1f} times what the others scatter from their middle, "
                    f"{write_shortest(middle, 4)} {unit}".rstrip()
                )
    return found
