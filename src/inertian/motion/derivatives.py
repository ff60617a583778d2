"""Velocity at each sample from local polynomial fits, never across a wall."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from inertian.quantities.estimates import Array, locked

WINDOW = 9  # samples in a local fit
DEGREE = 2


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

    Walls come in pairs, one at each edge of a contact. No window reaches across a wall; near an edge it keeps its
    samples and is evaluated off-centre, so u grows. Missing samples (NaN) are skipped.
    Source: Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639, for any spacing.
    """
    v, norm = np.full(len(t), np.nan), np.full(len(t), np.nan)
    edges = np.searchsorted(t, sorted(walls), "left")
    for number, rows in enumerate(np.split(np.arange(len(t)), edges)):
        rows = rows[np.isfinite(x[rows])]
        size = min(window, len(rows))
        degree = min(DEGREE, size - 2)  # three samples still make a line, but not where a hit bends it
        if degree < (DEGREE if number % 2 else 1):
            continue
        index = sliding_window_view(rows, size)
        place = np.clip(np.arange(len(rows)) - size // 2, 0, len(index) - 1)
        ts, xs = t[index], x[index]
        middle = ts.mean(axis=1, keepdims=True)
        scale = (0.5 * np.ptp(ts, axis=1))[:, None]
        design = ((ts - middle) / scale)[:, :, None] ** np.arange(degree + 1)
        normal = design.transpose(0, 2, 1) @ design
        local = (t[rows] - middle[place, 0]) / scale[place, 0]
        slope = (
            np.stack([np.zeros_like(local), np.ones_like(local), 2.0 * local], axis=1)[:, : degree + 1] / scale[place]
        )
        dual = np.linalg.solve(normal[place], slope[:, :, None])
        weights = (design[place] @ dual)[:, :, 0]
        v[rows] = np.einsum("ij,ij->i", weights, xs[place] - xs[place].mean(axis=1, keepdims=True))
        norm[rows] = np.linalg.norm(weights, axis=1)
    return LocalVelocity(locked(v), locked(norm))
