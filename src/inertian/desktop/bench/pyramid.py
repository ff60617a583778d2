"""Long curves drawn from a pyramid of least and greatest values, so that a million samples pan like
a hundred.
"""

from dataclasses import dataclass

import numpy as np

from inertian.quantities.estimates import Array

FACTOR = 4  # samples of one level that make one pair of the next
LONG = 20_000  # samples above which a curve is drawn from its pyramid
PER_PIXEL = 0.75  # pairs at least
FEWEST = 1000  # blocks of the coarsest level, or a few times fewer


@dataclass(frozen=True, eq=False)
class Level:
    """Least and greatest value of each block of `size` samples, and the times between which they
    lie.
    """

    size: int
    t: Array
    low: Array
    high: Array


class Pyramid:
    """Levels of a curve y(t); t in s, y in any unit, both of shape (n,), NaN where there is nothing
    to draw.
    """

    def __init__(self, t: Array, y: Array) -> None:
        self.t, self.y = t, y
        self.levels: list[Level] = []
        low, high, times, size = y, y, t, 1
        while len(times) > FEWEST:
            size *= FACTOR
            low, high = _of_blocks(np.fmin, low), _of_blocks(np.fmax, high)
            times = times[::FACTOR]
            self.levels.append(Level(size, times, low, high))

    def seen(self, start: float, stop: float, pixels: int) -> tuple[Array, Array]:
        """Return the points that draw the curve from start to stop over so many pixels; a few
        thousand at most.
        """
        first = max(int(np.searchsorted(self.t, start)) - 1, 0)
        last = min(int(np.searchsorted(self.t, stop)) + 1, len(self.t))
        wanted = (last - first) / max(PER_PIXEL * pixels, 1.0)
        level = next((one for one in reversed(self.levels) if one.size <= wanted), None)
        if level is None:
            return self.t[first:last], self.y[first:last]
        a, b = first // level.size, last // level.size + 1
        t, low, high = level.t[a:b], level.low[a:b], level.high[a:b]
        pairs = np.empty(2 * len(t))
        pairs[::2], pairs[1::2] = low, high
        return np.repeat(t, 2), pairs

    def extent(self, start: float, stop: float) -> tuple[float, float] | None:
        """Return the least and greatest value between two times, or None if there is none."""
        _, y = self.seen(start, stop, 1000)
        finite = y[np.isfinite(y)]
        return (float(finite.min()), float(finite.max())) if finite.size else None


def _of_blocks(least: np.ufunc, y: Array) -> Array:
    """The least, or greatest, of each block of values; as whole strides, far faster than `reduceat`
    or a short axis.
    """
    found = y[::FACTOR].copy()
    for k in range(1, FACTOR):
        others = y[k::FACTOR]
        least(found[: len(others)], others, out=found[: len(others)])
    return found
