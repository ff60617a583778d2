"""Derivatives of the channels of a trial at all samples, remembered while they may be asked for again."""

from collections import OrderedDict
from collections.abc import Sequence

from inertian.motion.local import at_samples
from inertian.quantities.estimates import Array, locked

KEPT, KEPT_SAMPLES = 40, 30_000_000  # results, and samples in them, that are kept at most


class Derivatives:
    """Remembers local derivatives by channel, order and walls; it does not hold on to the trial itself."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[object, ...], tuple[Array, Array]] = OrderedDict()

    def of(
        self, channel: tuple[str, str], t: Array, x: Array, order: int, walls: Sequence[float]
    ) -> tuple[Array, Array]:
        """Return values and norms of their weights, as `local.at_samples`; channel is body and axis."""
        key = (*channel, order, tuple(walls))
        if key in self._known:
            self._known.move_to_end(key)
        else:
            value, norm = at_samples(t, x, walls, order)
            self._known[key] = (locked(value), locked(norm))
            while len(self._known) > max(6, min(KEPT, KEPT_SAMPLES // len(t))):
                self._known.popitem(last=False)
        return self._known[key]
