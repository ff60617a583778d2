"""Polynomial fits over a span: coefficients as operators on the samples, with residuals and χ²."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, SampleWeights


class TooFewSamplesError(InertianError):
    """A span holds fewer samples than the fit needs."""

    def __init__(self, span: str, needed: int, got: int) -> None:
        super().__init__(span, needed, got)
        self.span, self.needed, self.got = span, needed, got

    def __str__(self) -> str:
        return f"“{self.span}” holds {self.got} usable samples; this fit needs {self.needed}. Widen the span."


@dataclass(frozen=True, eq=False)
class PolynomialFit:
    """A least-squares polynomial about a local origin, as a linear operator on the samples it used.

    x(t) = Σ_k c_k ((t − t0)/scale)^k. `operator` has shape (degree+1, n) over the rows start … start+n−1, with zeros
    where samples are missing, so that coefficients = operator @ x.
    """

    degree: int
    t0: float
    scale: float
    start: int
    operator: Array
    t: Array  # shape (n,)
    x: Array  # shape (n,), zero where missing
    used: Array  # shape (n,), 1 where a sample counts, else 0

    @cached_property
    def coefficients(self) -> Array:
        """The scaled coefficients, shape (degree+1,)."""
        return np.asarray(self.operator @ self.x)

    @property
    def count(self) -> int:
        """How many samples the fit used."""
        return int(self.used.sum())

    @property
    def dof(self) -> int:
        """Degrees of freedom of the residuals: samples minus coefficients."""
        return self.count - self.degree - 1

    def basis(self, time: float, derivative: int = 0) -> Array:
        """Return the row that takes coefficients to the value, or a derivative, at one time; shape (degree+1,)."""
        row = np.zeros(self.degree + 1)
        local = (time - self.t0) / self.scale
        for k in range(derivative, self.degree + 1):
            factor = float(np.prod(np.arange(k - derivative + 1, k + 1))) if derivative else 1.0
            row[k] = factor * local ** (k - derivative) / self.scale**derivative
        return row

    def at(self, time: float, derivative: int = 0) -> float:
        """Return the fitted value in m, or its derivative in m/s or m/s², at one time in s."""
        return float(self.basis(time, derivative) @ self.coefficients)

    def weights(self, time: float, derivative: int = 0) -> SampleWeights:
        """Return the sample weights of `at`."""
        return SampleWeights(self.start, np.asarray(self.basis(time, derivative) @ self.operator))

    def curve(self, t: Array) -> Array:
        """Return fitted values at times t, shape (m,)."""
        return np.asarray(np.polyval(self.coefficients[::-1], (t - self.t0) / self.scale))

    @cached_property
    def residuals(self) -> Array:
        """Sample minus fit, shape (n,), zero where a sample is missing."""
        return (self.x - self.curve(self.t)) * self.used

    @cached_property
    def sum_of_squares(self) -> float:
        """Σ r² in m²."""
        return float(self.residuals @ self.residuals)

    def chi_squared(self, variance: float) -> float:
        """Return Σ r²/σ² for a reading variance σ² in m²."""
        return self.sum_of_squares / variance

    def covariance(self, variance: float) -> Array:
        """Return the covariance of the scaled coefficients for a reading variance in m²; shape (degree+1, degree+1)."""
        return np.asarray(variance * (self.operator @ self.operator.T))


def fit_polynomial(
    t: Array, x: Array, degree: int, rows: slice, sigma: Array | None = None, span: str = "span"
) -> PolynomialFit:
    """Fit x(t) over some rows by (weighted) least squares, through QR on scaled local times.

    t in s and x in m have shape (N,); rows picks the samples; `sigma` (m, shape (N,)) weights them by 1/σ². Missing
    samples (NaN) are left out. Raises TooFewSamplesError with fewer samples than coefficients.
    Source: Golub & Van Loan, Matrix Computations, 5.3.
    """
    ts, xs = t[rows], x[rows]
    used = np.isfinite(xs)
    if int(used.sum()) < degree + 1:
        raise TooFewSamplesError(span, degree + 1, int(used.sum()))
    tu = ts[used]
    t0 = float(0.5 * (tu[0] + tu[-1]))
    scale = float(0.5 * (tu[-1] - tu[0])) or 1.0
    design = np.vander((tu - t0) / scale, degree + 1, increasing=True)
    root = np.ones(len(tu)) if sigma is None else 1.0 / sigma[rows][used]
    q, r = np.linalg.qr(design * root[:, None])
    operator = np.zeros((degree + 1, len(ts)))
    operator[:, used] = np.linalg.solve(r, q.T * root)
    return PolynomialFit(degree, t0, scale, rows.start, operator, ts, np.where(used, xs, 0.0), used.astype(float))
