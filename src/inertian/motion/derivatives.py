"""Velocity at each sample from local polynomial fits, never across a wall."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.local import WINDOW, at_samples
from inertian.quantities.estimates import Array, locked


@dataclass(frozen=True, eq=False)
class LocalVelocity:
    """Velocity in m/s at the samples, NaN where a segment is too short, and the norm √Σw² of its weights in 1/s."""

    v: Array
    norm: Array

    def u(self, reading: float, stamp: float) -> Array:
        """Return the standard uncertainty in m/s from σ of a reading (m) and of a time stamp (s)."""
        return np.asarray(self.norm * np.sqrt(reading**2 + (self.v * stamp) ** 2))


def local_velocity(t: Array, x: Array, walls: Sequence[float], window: int = WINDOW) -> LocalVelocity:
    """Return dx/dt by a local parabola over `window` samples, any spacing; t in s and x in m, shape (n,).

    Missing samples (NaN) are skipped; see `local.local_operator` for walls and edges.
    """
    return LocalVelocity(*(locked(part) for part in at_samples(t, x, walls, 1, window)))
