"""Lines and curves through points that err along both axes.

Sources: York, Evensen, López Martínez & De Basabe Delgado, Am. J. Phys. 72 (2004) 367-375: least
squares and maximum likelihood give the same line and, taken at the adjusted points, the same
standard errors. Boggs, Byrd & Schnabel, SIAM J. Sci. Stat. Comput. 8 (1987) 1052-1078: the same for
curves, by orthogonal distances. Britt & Luecke, Technometrics 15 (1973) 233-247: the largest
likelihood where the two errors of a point are correlated.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.quantities.estimates import Array, Mask

TO, ROUNDS = 1e-14, 200  # when the search for a curve ends
STEPS, ENOUGH = 200, 1e-15
TANGENTS, SETTLED = 30, 1e-11  # rounds with tangents, and the change of parameters that ends them
LEAST_SHARE = 1e-5  # of the error along one axis in that along the other, where it is none at all


@dataclass(frozen=True, eq=False)
class LineBothAxes:
    """y = intercept + slope·x, with covariance of (intercept, slope), and the weighted sum of
    squares S.
    """

    intercept: float
    slope: float
    covariance: Array  # shape (2, 2), from the stated uncertainties alone
    squares: float
    dof: int

    @property
    def u(self) -> tuple[float, float]:
        """Standard uncertainties of intercept and slope."""
        return float(np.sqrt(self.covariance[0, 0])), float(np.sqrt(self.covariance[1, 1]))


def fit_line_both_axes(
    x: Array, y: Array, ux: Array, uy: Array, correlation: Array | float = 0.0
) -> LineBothAxes:
    """Fit a line to points (x, y) with standard uncertainties ux and uy in the units of x and y and
    the correlation of the two, shape (n,).

    At each point one of the two may be zero. Raises TooFewSamplesError for fewer than three points.
    """
    n = len(x)
    if n < 3:
        raise TooFewSamplesError("line", 3, n)
    r = np.broadcast_to(np.asarray(correlation, dtype=float), (n,))
    slope = float(np.polyfit(x, y, 1)[0])
    for _ in range(STEPS):
        weight = 1.0 / (uy**2 + (slope * ux) ** 2 - 2.0 * slope * r * ux * uy)
        xm, ym = float(weight @ x / weight.sum()), float(weight @ y / weight.sum())
        u, v = x - xm, y - ym
        beta = weight * (uy**2 * u + slope * ux**2 * v - (slope * u + v) * r * ux * uy)
        new = float((weight * beta) @ v / ((weight * beta) @ u))
        done = abs(new - slope) <= ENOUGH * abs(new)
        slope = new
        if done:
            break
    intercept = ym - slope * xm
    adjusted = xm + beta
    middle = float(weight @ adjusted / weight.sum())
    var_slope = 1.0 / float(weight @ (adjusted - middle) ** 2)
    var_intercept = 1.0 / float(weight.sum()) + middle**2 * var_slope
    covariance = np.array([[var_intercept, -middle * var_slope], [-middle * var_slope, var_slope]])
    squares = float(weight @ (y - intercept - slope * x) ** 2)
    return LineBothAxes(intercept, slope, covariance, squares, n - 2)


@dataclass(frozen=True, eq=False)
class _CurveThroughPoints:
    """A curve, points with standard uncertainties and correlations, and which parameters are
    sought.
    """

    curve: Callable[..., Any]
    x: Array
    y: Array
    free: Mask
    ux: Array
    uy: Array
    correlation: Array

    def at(self, now: Array, beta: Array) -> Array:
        """Return the curve at places `now`."""
        return np.asarray(self.curve(now, *beta) + np.zeros_like(now))

    def slopes(self, now: Array, beta: Array) -> Array:
        """Return ∂curve/∂parameter, shape (parameters, n)."""
        columns = []
        for k in range(len(beta)):
            moved = beta.astype(complex)
            moved[k] += 1e-30j
            columns.append(np.imag(self.curve(now, *moved) + 0j * now) / 1e-30)
        return np.stack(columns)

    def along(self, now: Array, beta: Array) -> Array:
        """Return ∂curve/∂x."""
        return np.asarray(np.imag(self.curve(now + 1e-30j, *beta) + 0j * now) / 1e-30)

    def weights(self, along: Array) -> Array:
        """Return 1 over the variance of y less the curve."""
        both = self.correlation * self.ux * self.uy
        return np.asarray(1.0 / (self.uy**2 - 2.0 * along * both + (along * self.ux) ** 2))

    def correlated(self, beta: Array, there: Array) -> tuple[Array, Array]:
        """Return parameters and adjusted places of the largest likelihood with the correlations
        taken into account: the curve as its tangent at each adjusted place, in turn.
        """
        from scipy.optimize import least_squares

        both = self.correlation * self.ux * self.uy
        for _ in range(TANGENTS):

            def left(at: Array, known: Array = there, held: Array = beta) -> Array:
                now = self.with_free(held, at)
                along = self.along(known, now)
                distance = self.y - self.at(known, now) - along * (self.x - known)
                return np.asarray(np.nan_to_num(distance * np.sqrt(self.weights(along)), nan=1e30))

            found = least_squares(
                left, beta[self.free], "3-point", x_scale="jac", xtol=TO, ftol=TO, gtol=TO
            )
            before, beta = beta, self.with_free(beta, found.x)
            along = self.along(there, beta)
            distance = self.y - self.at(there, beta) - along * (self.x - there)
            there = self.x + (along * self.ux**2 - both) * self.weights(along) * distance
            if np.all(np.abs(beta - before) <= SETTLED * np.abs(beta)):
                break
        return beta, there

    def with_free(self, beta: Array, at: Array) -> Array:
        """Return all parameters, those that are sought put in."""
        now = beta.copy()
        now[self.free] = at
        return now


def fit_curve_both_axes(
    curve: Callable[..., Any],
    x: Array,
    y: Array,
    values: Array,
    free: Mask,
    ux: Array,
    uy: Array,
    correlation: Array | float = 0.0,
) -> tuple[Array, Array] | None:
    """Fit a curve to points (x, y) with standard uncertainties ux and uy in the units of x and y
    and the correlation of the two, all of shape (n,); at each point one of the two may be zero.

    `values` are where to begin, `free` says which of them are sought. Returns the parameters and
    ∂parameters/∂y of the free ones at the adjusted points, shape (free, n); None where nothing was
    found.
    """
    from odrpack import odr_fit

    r = np.broadcast_to(np.asarray(correlation, dtype=float), (len(x),))
    free = np.asarray(free, dtype=bool)
    points = _CurveThroughPoints(curve, x, y, free, ux, uy, r)
    steep = np.abs(points.along(x, values))
    least_y = np.maximum(uy, LEAST_SHARE * steep * ux)
    least_x = np.maximum(ux, LEAST_SHARE * uy / np.maximum(steep, np.finfo(float).tiny ** 0.5))
    try:
        found = odr_fit(
            points.at,
            x,
            y,
            values,
            weight_x=least_x**-2,
            weight_y=least_y**-2,
            fix_beta=~free,
            jac_beta=points.slopes,
            jac_x=points.along,
            maxit=ROUNDS,
            sstol=TO,
            partol=TO,
        )
    except (ValueError, RuntimeError):
        return None
    beta, there = np.asarray(found.beta, dtype=float), x + np.asarray(found.delta, dtype=float)
    if r.any():
        beta, there = points.correlated(beta, there)
    root = np.sqrt(points.weights(points.along(there, beta)))
    matrix = points.slopes(there, beta)[free].T * root[:, None]
    if not (np.isfinite(beta).all() and np.isfinite(matrix).all()):
        return None
    return beta, np.asarray(np.linalg.pinv(matrix) * root)
