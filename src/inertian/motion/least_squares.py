"""The least sum of squares of a curve, by Levenberg-Marquardt steps (Moré 1978), polished to the last digits."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from inertian.quantities.estimates import Array

Curve = Callable[..., Any]
TO, EVALUATIONS, POLISHED = 1e-15, 20_000, 20  # when steps end
BEYOND = 1e30  # stands for what is too large to be a number


def refined(
    curve: Curve,
    tau: Array,
    y: Array,
    values: Array,
    free: Sequence[bool] | Array,
    linear: bool,
    root: Array | float = 1.0,
) -> tuple[Array, Array]:
    """Return the parameters of the least sum of squares and ∂curve/∂parameters of the free ones there, (n, free).

    y has shape (n,); `values` is where to begin. A curve that is linear in its parameters takes one step. `root` are
    the roots of the weights of the samples, shape (n,); the derivatives come back without them.
    """
    free = np.asarray(free)

    weight = np.broadcast_to(np.asarray(root, dtype=float), (len(tau),))

    def jacobian(at: Array) -> Array:
        columns = []
        for k in np.flatnonzero(free):
            moved = values.astype(complex)
            moved[free] = at
            moved[k] += 1e-30j
            columns.append(np.imag(curve(tau, *moved) + 0j * tau) / 1e-30)
        return np.stack(columns, axis=1)

    def residuals(at: Array) -> Array:
        now = values.copy()
        now[free] = at
        left = weight * np.asarray(curve(tau, *now) + np.zeros_like(tau) - y)
        # a step too far is a step too bad
        return np.asarray(np.nan_to_num(left, nan=BEYOND, posinf=BEYOND, neginf=-BEYOND))

    if not free.any():
        return values, np.zeros((len(tau), 0))
    if linear:
        matrix = jacobian(values[free]) * weight[:, None]
        scale = np.linalg.norm(matrix, axis=0)
        at = values[free] - np.linalg.lstsq(matrix / scale, residuals(values[free]), rcond=None)[0] / scale
    else:
        from scipy.optimize import least_squares

        def slopes(at: Array) -> Array:
            return np.asarray(np.nan_to_num(jacobian(at) * weight[:, None], nan=0.0, posinf=BEYOND, neginf=-BEYOND))

        found = least_squares(
            residuals,
            values[free],
            jac=slopes,
            method="lm",
            x_scale="jac",
            xtol=TO,
            ftol=TO,
            gtol=TO,
            max_nfev=EVALUATIONS,
        )
        at = _polished(found.x, residuals, slopes)
    values = values.copy()
    values[free] = at
    return values, jacobian(at)


def _polished(at: Array, residuals: Callable[[Array], Array], slopes: Callable[[Array], Array]) -> Array:
    """Go on by Gauss-Newton steps while they make the sum of squares smaller: to the last digits of the parameters."""
    left = residuals(at)
    for _ in range(POLISHED):
        matrix = slopes(at)
        scale = np.maximum(np.linalg.norm(matrix, axis=0), np.finfo(float).tiny)
        if not np.isfinite(matrix).all() or scale.max() >= BEYOND:
            return at
        nearer = at - np.linalg.lstsq(matrix / scale, left, rcond=None)[0] / scale
        now = residuals(nearer)
        if not now @ now <= left @ left:
            return at
        moved = np.abs(nearer - at) > 1e-14 * np.abs(nearer)
        at, left = nearer, now
        if not moved.any():
            return at
    return at
