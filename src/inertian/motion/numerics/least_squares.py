"""The least sum of squares of a curve, by Levenberg-Marquardt steps (Moré 1978), polished to the
last digits.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from inertian.quantities.complex_step import slope
from inertian.quantities.estimates import Array, Mask

Curve = Callable[..., Any]
TO, EVALUATIONS, POLISHED = 1e-15, 20_000, 20  # when steps end
# Samples up to which a curve that is linear in its parameters is solved with all digits there are
EXTENDED_PRECISION_UP_TO = 20_000
NOT_A_NUMBER_COST = 1e30  # stands for what is too large to be a number

DEPENDENT_COLUMN = 1e-17  # of a column that the others leave of it, at least


@dataclass(frozen=True, eq=False)
class _LeastSquares:
    """A curve, the samples it is to fit, and which of its parameters are free."""

    curve: Curve
    tau: Array
    y: Array
    values: Array
    free: Mask
    weight: Array

    def with_free(self, at: Array) -> Array:
        """Return all parameters, the free ones put in."""
        now = self.values.copy()
        now[self.free] = at
        return now

    def jacobian(self, at: Array) -> Array:
        """Return ∂curve/∂(free parameters), shape (n, free)."""
        columns = []
        for k in np.flatnonzero(self.free):

            def moved(value: Any, k: int = int(k)) -> Any:
                values = self.with_free(at).astype(complex)
                values[k] = value
                return self.curve(self.tau, *values) + 0j * self.tau

            columns.append(slope(moved, self.with_free(at)[k]))
        return np.stack(columns, axis=1)

    def slopes(self, at: Array) -> Array:
        """Return the Jacobian, weighted; finite everywhere."""
        return _finite(self.jacobian(at) * self.weight[:, None], nan=0.0)

    def residuals(self, at: Array) -> Array:
        """Return curve − y, weighted; a step too far is a step too bad."""
        found = np.asarray(self.curve(self.tau, *self.with_free(at)) + np.zeros_like(self.tau))
        return _finite(self.weight * (found - self.y), nan=NOT_A_NUMBER_COST)


def _finite(values: Array, nan: float) -> Array:
    return np.asarray(
        np.nan_to_num(values, nan=nan, posinf=NOT_A_NUMBER_COST, neginf=-NOT_A_NUMBER_COST)
    )


def refined_parameters(
    curve: Curve,
    tau: Array,
    y: Array,
    values: Array,
    free: Sequence[bool] | Mask,
    linear: bool,
    root: Array | float = 1.0,
) -> tuple[Array, Array]:
    """Return the parameters of the least sum of squares and ∂parameters/∂y of the free ones there,
    shape (free, n).

    y has shape (n,); `values` is where to begin. A curve that is linear in its parameters takes one
    step. `root` are the roots of the weights of the samples, shape (n,).
    """
    free = np.asarray(free, dtype=bool)
    weight = np.broadcast_to(np.asarray(root, dtype=float), (len(tau),))
    if not free.any():
        return values, np.zeros((0, len(tau)))
    problem = _LeastSquares(curve, tau, y, values, free, weight)
    if linear and len(tau) <= EXTENDED_PRECISION_UP_TO:
        solved = _solved_in_extended_precision(curve, tau, y, values, free, weight)
        if solved is not None:
            return problem.with_free(solved[0]), solved[1]
    at = _one_step(problem) if linear else _searched(problem)
    matrix = problem.jacobian(at)
    if not np.isfinite(matrix).all():
        return problem.with_free(at), np.full((len(at), len(tau)), np.nan)
    operator = np.linalg.pinv(matrix * weight[:, None]) * weight
    return problem.with_free(at), np.asarray(operator)


def _one_step(problem: _LeastSquares) -> Array:
    """The free parameters of a curve that is linear in them."""
    at = problem.values[problem.free]
    matrix = problem.jacobian(at) * problem.weight[:, None]
    scale = np.linalg.norm(matrix, axis=0)
    step = np.linalg.lstsq(matrix / scale, problem.residuals(at), rcond=None)[0]
    return np.asarray(at - step / scale)


def _searched(problem: _LeastSquares) -> Array:
    """The free parameters of any curve (Moré, Lecture Notes in Mathematics 630 (1978) 105-116)."""
    from scipy.optimize import least_squares

    found = least_squares(
        problem.residuals,
        problem.values[problem.free],
        jac=problem.slopes,
        method="lm",
        x_scale="jac",
        xtol=TO,
        ftol=TO,
        gtol=TO,
        max_nfev=EVALUATIONS,
    )
    return _polished(found.x, problem.residuals, problem.slopes)


def _solved_in_extended_precision(
    curve: Curve, tau: Array, y: Array, values: Array, free: Mask, weight: Array
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
