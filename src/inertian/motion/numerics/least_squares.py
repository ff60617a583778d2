"""The least sum of squares of a curve, by Levenberg-Marquardt steps (Moré 1978), polished to the
last digits.
"""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from inertian.quantities.estimates import Array

Curve = Callable[..., Any]
TO, EVALUATIONS, POLISHED = 1e-15, 20_000, 20  # when steps end
# Samples up to which a curve that is linear in its parameters is solved with all digits there are
EXTENDED_PRECISION_UP_TO = 20_000
NOT_A_NUMBER_COST = 1e30  # stands for what is too large to be a number

DEPENDENT_COLUMN = 1e-17  # of a column that the others leave of it, at least


def refined_parameters(
    curve: Curve,
    tau: Array,
    y: Array,
    values: Array,
    free: Sequence[bool] | Array,
    linear: bool,
    root: Array | float = 1.0,
) -> tuple[Array, Array]:
    """Return the parameters of the least sum of squares and ∂parameters/∂y of the free ones there,
    shape (free, n).

    y has shape (n,); `values` is where to begin. A curve that is linear in its parameters takes one
    step. `root` are the roots of the weights of the samples, shape (n,).
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
        return np.asarray(
            np.nan_to_num(
                left, nan=NOT_A_NUMBER_COST, posinf=NOT_A_NUMBER_COST, neginf=-NOT_A_NUMBER_COST
            )
        )

    if not free.any():
        return values, np.zeros((0, len(tau)))
    values = values.copy()
    solved = (
        _solved_in_extended_precision(curve, tau, y, values, free, weight)
        if linear and len(tau) <= EXTENDED_PRECISION_UP_TO
        else None
    )
    if solved is not None:
        values[free] = solved[0]
        return values, solved[1]
    if linear:
        matrix = jacobian(values[free]) * weight[:, None]
        scale = np.linalg.norm(matrix, axis=0)
        at = (
            values[free]
            - np.linalg.lstsq(matrix / scale, residuals(values[free]), rcond=None)[0] / scale
        )
    else:
        from scipy.optimize import least_squares

        def slopes(at: Array) -> Array:
            return np.asarray(
                np.nan_to_num(
                    jacobian(at) * weight[:, None],
                    nan=0.0,
                    posinf=NOT_A_NUMBER_COST,
                    neginf=-NOT_A_NUMBER_COST,
                )
            )

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
    values[free] = at
    matrix = jacobian(at)
    if not np.isfinite(matrix).all():
        return values, np.full((len(at), len(tau)), np.nan)
    return values, np.asarray(np.linalg.pinv(matrix * weight[:, None]) * weight)


def _solved_in_extended_precision(
    curve: Curve, tau: Array, y: Array, values: Array, free: Array, weight: Array
) -> tuple[Array, Array] | None:
    """As `refined_parameters` for a curve that is linear in its parameters, worked out with
    extended precision.

    The columns are made orthogonal twice over (Giraud, Langou & Rozložník, Comput. Math. Appl. 50
    (2005) 1069-1075), and what is left over is fitted once more: nearly dependent columns then cost
    none of the digits that are stated. None where the columns depend on one another.
    """
    fine, root = tau.astype(np.longdouble), weight.astype(np.longdouble)
    places, fixed = np.flatnonzero(free), np.where(free, 0.0, values)
    base = np.asarray(curve(fine, *fixed) + 0 * fine)
    columns = np.stack(
        [
            np.asarray(curve(fine, *(fixed + row)) - base) * root
            for row in np.eye(len(values))[places]
        ]
    )
    q, r = np.zeros_like(columns), np.zeros((len(places), len(places)), dtype=np.longdouble)
    for k, column in enumerate(columns):
        left = column
        for _ in range(2):
            along = q[:k] @ left
            r[:k, k] += along
            left = left - along @ q[:k]
        r[k, k] = np.sqrt(left @ left)
        if not r[k, k] > DEPENDENT_COLUMN * np.sqrt(column @ column):
            return None
        q[k] = left / r[k, k]
    operator, found = _back(r, q) * root, np.zeros(len(places), dtype=np.longdouble)
    for _ in range(2):
        found = found + operator @ (y - base - found @ (columns / np.where(root > 0, root, 1)))
    return np.asarray(found, dtype=float), np.asarray(operator, dtype=float)


def _back(r: Any, right: Any) -> Any:
    """Solve r · x = right for an upper triangle r, in its own precision."""
    x = np.array(right)
    for k in range(len(r) - 1, -1, -1):
        x[k] = (x[k] - r[k, k + 1 :] @ x[k + 1 :]) / r[k, k]
    return x


def _polished(
    at: Array, residuals: Callable[[Array], Array], slopes: Callable[[Array], Array]
) -> Array:
    """Go on by Gauss-Newton steps while they make the sum of squares smaller: to the last digits of
    the parameters.
    """
    left = residuals(at)
    for _ in range(POLISHED):
        matrix = slopes(at)
        scale = np.maximum(np.linalg.norm(matrix, axis=0), np.finfo(float).tiny)
        if not np.isfinite(matrix).all() or scale.max() >= NOT_A_NUMBER_COST:
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
