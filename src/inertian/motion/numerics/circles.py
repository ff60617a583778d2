"""The circle that a body moves on: centre and radius by least squares of the distances, with
uncertainties.
"""

from dataclasses import dataclass

import numpy as np

from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array


class CircleError(Refusal):
    """The samples do not tell a circle."""


@dataclass(frozen=True, eq=False)
class Circle:
    """Centre and radius in m with their covariance in m², shape (3, 3), in the order x, y, r; ν
    degrees of freedom.
    """

    x: float
    y: float
    r: float
    covariance: Array
    dof: int

    @property
    def u(self) -> tuple[float, float, float]:
        """The standard uncertainties of x, y and r in m."""
        a, b, c = np.sqrt(np.diag(self.covariance))
        return float(a), float(b), float(c)


STEPS = 60  # at most; some ten are enough where there is a circle


def fit_circle(x: Array, y: Array) -> Circle:
    """Fit a circle to places in m, shape (n,), NaN left out. Raises CircleError.

    Gauss-Newton on the distances from the circle, from the algebraic fit (Coope, J. Optim. Theory
    Appl. 76 (1993) 381-388); covariance s²(JᵀJ)⁻¹ from the scatter.
    """
    good = np.isfinite(x) & np.isfinite(y)
    x, y = x[good], y[good]
    if len(x) < 5:
        raise CircleError(f"A circle needs at least 5 samples; there are {len(x)}.")
    middle = np.array([x.mean(), y.mean()])
    u, v = x - middle[0], y - middle[1]
    design = np.column_stack([2 * u, 2 * v, np.ones_like(u)])
    c, _, rank, _ = np.linalg.lstsq(design, u * u + v * v, rcond=1e-9)
    if rank < 3:
        raise CircleError("The samples lie on a line, so there is no circle.")
    at = np.array([c[0], c[1], np.sqrt(max(c[2] + c[0] ** 2 + c[1] ** 2, 0.0))])
    for _ in range(STEPS):
        away = np.hypot(u - at[0], v - at[1])
        jacobian = np.column_stack([-(u - at[0]) / away, -(v - at[1]) / away, -np.ones_like(u)])
        step = np.linalg.lstsq(jacobian, -(away - at[2]), rcond=None)[0]
        at = at + step
        if np.abs(step).max() < 1e-13 * max(at[2], 1e-9):
            break
    residuals = np.hypot(u - at[0], v - at[1]) - at[2]
    dof = len(u) - 3
    covariance = float(residuals @ residuals) / dof * np.linalg.inv(jacobian.T @ jacobian)
    if not np.isfinite(at).all() or np.sqrt(covariance[2, 2]) > 0.5 * at[2]:
        raise CircleError(
            "The samples bend too little to tell where the centre is. Choose a longer arc."
        )
    return Circle(
        float(at[0] + middle[0]),
        float(at[1] + middle[1]),
        float(at[2]),
        np.asarray(covariance),
        dof,
    )
