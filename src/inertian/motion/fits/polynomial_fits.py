"""Polynomial fits over a span: coefficients as operators on the samples, with residuals and χ²."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from inertian.motion.fits.condensed_samples import SpanSamples
from inertian.motion.numerics.residuals import pattern_z_of_sums
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, SampleWeights


class TooFewSamplesError(InertianError):
    """A span holds fewer samples than the fit needs."""

    def __init__(self, span: str, needed: int, got: int) -> None:
        super().__init__(span, needed, got)
        self.span, self.needed, self.got = span, needed, got

    def __str__(self) -> str:
        return (
            f"“{self.span}” holds {self.got} usable samples; this fit needs {self.needed}. Widen "
            "the span."
        )


@dataclass(frozen=True, eq=False)
class PolynomialFit:
    """A least-squares polynomial about a local origin, as a linear operator on the samples it used.

    x(t) = Σ_k c_k ((t − t0)/scale)^k. `operator` has shape (degree+1, n) over the rows start …
    start+n−1, with zeros where samples are missing, so that coefficients = operator @ x. A sample
    may stand for several: `root` is the root of how many, x is its value times root, and `rest` is
    Σ r² of what such samples leave out (see `blocks`).
    """

    degree: int
    t0: float
    scale: float
    start: int
    operator: Array
    tau: Array  # (t − t0)/scale, shape (n,)
    x: Array  # shape (n,), zero where missing
    root: Array  # shape (n,), 1 where a sample counts, 0 where it is missing
    rest: float = 0.0
    rest_steps: float = 0.0  # Σ (r_{i+1} − r_i)² of the same

    @cached_property
    def coefficients(self) -> Array:
        """The scaled coefficients, shape (degree+1,)."""
        return np.asarray(self.operator @ self.x)

    @property
    def count(self) -> int:
        """How many samples the fit used."""
        return round(float(self.root @ self.root))

    @property
    def dof(self) -> int:
        """Degrees of freedom of the residuals: samples minus coefficients."""
        return self.count - self.degree - 1

    def basis(self, time: float, derivative: int = 0) -> Array:
        """Return the row that takes coefficients to the value, or a derivative, at one time; shape
        (degree+1,).
        """
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
        """Sample minus fit, times root, shape (n,); zero where a sample is missing."""
        return self.x - self.root * np.polyval(self.coefficients[::-1], self.tau)

    @cached_property
    def sum_of_squares(self) -> float:
        """Σ r² in m²."""
        return float(self.residuals @ self.residuals) + self.rest

    def pattern(self, residuals: Array) -> float:
        """Return how clearly residuals of these samples follow a pattern; see
        `residuals.pattern_z`.
        """
        singles = residuals[self.root == 1.0]
        squares = float(residuals @ residuals) + self.rest
        return pattern_z_of_sums(
            float(np.sum(np.diff(singles) ** 2)) + self.rest_steps, squares, self.count
        )

    def chi_squared(self, variance: float) -> float:
        """Return Σ r²/σ² for a reading variance σ² in m²."""
        return self.sum_of_squares / variance

    def covariance(self, variance: float) -> Array:
        """Return the covariance of the scaled coefficients for a reading variance in m²; shape
        (degree+1, degree+1).
        """
        return np.asarray(variance * (self.operator @ self.operator.T))


def fit_samples(
    samples: SpanSamples,
    axis: str,
    degree: int,
    span: str = "span",
    weight: Array | None = None,
    body: str = "",
) -> PolynomialFit:
    """Fit one axis of some samples by least squares; `weight`, shape (n,), multiplies each one.
    Raises TooFewSamplesError.

    Source: Golub & Van Loan, Matrix Computations, 4th ed., 2013, 5.3.
    """
    return fits_of_degrees(samples, axis, (degree,), span, weight, body)[0]


def fits_of_degrees(
    samples: SpanSamples,
    axis: str,
    degrees: tuple[int, ...],
    span: str = "span",
    weight: Array | None = None,
    body: str = "",
) -> list[PolynomialFit]:
    """Fit polynomials of several degrees to the same samples, from one factorisation; `weight`,
    shape (n,), multiplies each sample. Raises TooFewSamplesError.
    """
    degree = max(degrees)
    root, x = samples.root[axis], samples.x[axis]
    used = root > 0.0
    count = round(float(root @ root))
    if count < degree + 1:
        raise TooFewSamplesError(span, degree + 1, count)
    low, high = samples.ends[axis]
    middle, scale = 0.5 * (low + high), 0.5 * (high - low) or 1.0
    t0 = samples.origin + middle
    tau = (samples.t - (t0 - samples.origin)) / scale
    each = root[used] if weight is None else root[used] * weight[used]
    design = np.vander(tau[used], degree + 1, increasing=True) * each[:, None]
    q, r = np.linalg.qr(design)
    if weight is not None:
        q = q * weight[used][:, None]
    rest, found = samples.rest, []
    left = (
        (rest.squares((body, axis)), rest.changes((body, axis))) if rest is not None else (0.0, 0.0)
    )
    for own in degrees:
        size = own + 1  # the leading columns span the lower degrees
        operator = np.zeros((size, len(tau)))
        operator[:, used] = np.linalg.inv(r[:size, :size]) @ q[:, :size].T
        found.append(PolynomialFit(own, t0, scale, samples.start, operator, tau, x, root, *left))
    return found
