"""Derivatives of the channels of a trial at all samples, remembered while they may be asked for again."""

from collections import OrderedDict
from collections.abc import Sequence

import numpy as np

from inertian.motion.local import WINDOW, at_samples, local_operator
from inertian.quantities.estimates import Array, locked

KEPT, KEPT_SAMPLES = 40, 30_000_000  # results, and samples in them, that are kept at most
LONG = 20_000  # samples above which only what a moved wall touches is worked out anew
Walls = tuple[float, ...]


class Derivatives:
    """Remembers local derivatives by channel, order and walls; it does not hold on to the trial itself."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[object, ...], tuple[Array, Array]] = OrderedDict()
        self._latest: dict[tuple[str, str, int], Walls] = {}

    def of(
        self, channel: tuple[str, str], t: Array, x: Array, order: int, walls: Sequence[float]
    ) -> tuple[Array, Array]:
        """Return values and norms of their weights, as `local.at_samples`; channel is body and axis."""
        place, walls = (*channel, order), tuple(walls)
        key = (*place, walls)
        if key in self._known:
            self._known.move_to_end(key)
        else:
            before = self._known.get((*place, self._latest[place])) if place in self._latest else None
            if before is not None and len(t) > LONG:
                value, norm = _with_other_walls(t, x, order, before, self._latest[place], walls)
            else:
                value, norm = at_samples(t, x, walls, order)
            self._known[key] = (locked(value), locked(norm))
            while len(self._known) > max(6, min(KEPT, KEPT_SAMPLES // len(t))):
                self._known.popitem(last=False)
        self._latest[place] = walls
        return self._known[key]


def _with_other_walls(
    t: Array, x: Array, order: int, before: tuple[Array, Array], old: Walls, new: Walls
) -> tuple[Array, Array]:
    """The same estimates with other walls: only windows near a wall that came or went can have changed."""
    value, norm = np.array(before[0]), np.array(before[1])
    usable = np.flatnonzero(np.isfinite(x))
    near = [
        usable[max(int(np.searchsorted(t[usable], wall)) - 2 * WINDOW, 0) :][: 4 * WINDOW]
        for wall in sorted(set(old) ^ set(new))
    ]
    if near:
        rows = np.unique(np.concatenate(near))
        operator = local_operator(t, usable, t[rows], new, order)
        value[rows], norm[rows] = operator.applied(x), operator.norm
    return value, norm
