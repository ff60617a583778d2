"""Coverage factors, degrees of freedom and the equivalent normal z."""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from inertian.quantities.estimates import ErrorShape

P68 = math.erf(1.0 / math.sqrt(2.0))  # 0.6827, the normal one-sigma probability
GRID = 400  # half the points of a convolution: k to better than 1e-3
BOUNDED_SHARE = 0.02  # of the variance, below which bounded errors are taken as normal
P95 = math.erf(2.0 / math.sqrt(2.0))  # 0.9545, the normal two-sigma probability


@dataclass(frozen=True)
class Scalar:
    """A result: value ± u, effective degrees of freedom, and the factors that make u an interval.

    value ± k68·u and value ± k95·u contain the true value in 68.27 % and 95.45 % of cases; they are
    worked out when first asked for. `way` says where they come from: "first order" (t distribution,
    with the rectangular parts of `shape` where those matter), "mapped" (then `ends` holds intervals
    that need not lie evenly about the value) or "Monte Carlo" (then `factors` holds them). `u` 0
    means exact.
    """

    value: float
    u: float
    dof: float
    shape: ErrorShape | None = None
    factors: tuple[float, float] | None = None
    # Of 68 and 95 %, where they are not alike
    ends: tuple[tuple[float, float], tuple[float, float]] | None = None

    @property
    def way(self) -> str:
        """How the intervals were found."""
        if self.ends is not None:
            return "mapped"
        return "first order" if self.factors is None else "Monte Carlo"

    @property
    def interval68(self) -> tuple[float, float]:
        """The interval that holds the truth in 68.27 %."""
        return (
            self.ends[0]
            if self.ends
            else (self.value - self.k68 * self.u, self.value + self.k68 * self.u)
        )

    @property
    def interval95(self) -> tuple[float, float]:
        """The interval that holds the truth in 95.45 %."""
        return (
            self.ends[1]
            if self.ends
            else (self.value - self.k95 * self.u, self.value + self.k95 * self.u)
        )

    @cached_property
    def _k(self) -> tuple[float, float]:
        if self.factors is not None:
            return self.factors
        if self.ends is not None and self.u > 0.0:  # the wider side, for those who want one number
            far = [max(self.value - low, high - self.value) / self.u for low, high in self.ends]
            return far[0], far[1]
        bounded = sum(a * a for a in self.shape.half_widths) if self.shape is not None else 0.0
        if self.shape is not None and self.u > 0.0 and bounded > 3.0 * BOUNDED_SHARE * self.u**2:
            return _mixed_factors(self.u, self.shape)
        return coverage_factor(P68, self.dof), coverage_factor(P95, self.dof)

    @property
    def k68(self) -> float:
        """The factor of u for 68.27 %."""
        return self._k[0]

    @property
    def k95(self) -> float:
        """The factor of u for 95.45 %."""
        return self._k[1]


def coverage_factor(probability: float, dof: float) -> float:
    """Return k so that value ± k·u contains the truth with `probability` (JCGM 100:2008, G.3.2).

    dof is ν > 0, infinity for a known u.
    """
    from scipy.special import ndtri, stdtrit

    level = 0.5 * (1.0 + probability)
    if math.isinf(dof) or dof > 1e7:
        return float(ndtri(level))
    return float(stdtrit(dof, level))


def _mixed_factors(u: float, shape: ErrorShape) -> tuple[float, float]:
    """Return k68 and k95 of a t part plus rectangular parts, by convolution on a grid.

    Adding a rectangle of half-width a to an error with distribution function F gives [G(y+a) −
    G(y−a)]/2a, where G = ∫F. A dominant rectangle makes 68 % need k = 1.18 and 95 % only 1.65 (JCGM
    100:2008, G.1.3 and G.2.2).
    """
    from scipy.special import ndtr, stdtr

    spread = max(shape.spread / u, 0.01)
    reach = sum(shape.half_widths) / u + spread * (8.0 if shape.dof > 30 else 40.0)
    grid = np.linspace(-reach, reach, 2 * GRID + 1)
    below = (
        ndtr(grid / spread)
        if math.isinf(shape.dof) or shape.dof > 1e6
        else stdtr(shape.dof, grid / spread)
    )
    step = grid[1] - grid[0]
    for width in shape.half_widths:
        a = width / u
        if a < 1e-3:
            continue
        area = np.concatenate([[0.0], np.cumsum(0.5 * (below[1:] + below[:-1])) * step])
        upper = np.where(
            grid + a > reach, area[-1] + (grid + a - reach), np.interp(grid + a, grid, area)
        )
        below = (upper - np.interp(grid - a, grid, area)) / (2.0 * a)
    inside = (below - below[::-1])[GRID:]
    k68, k95 = np.interp((P68, P95), inside, grid[GRID:])
    return float(k68), float(k95)


def two_sided_p(ratio: float, dof: float) -> float:
    """Return P(|T_ν| ≥ |ratio|), the probability of an imbalance this large if there is none."""
    from scipy.special import ndtr, stdtr

    if math.isinf(dof) or dof > 1e7:
        return float(2.0 * ndtr(-abs(ratio)))
    return float(2.0 * stdtr(dof, -abs(ratio)))


def detectable(dof: float, power: float = 0.95) -> float:
    """Return how many u a true difference must be to exceed 95.45 % intervals with a probability.

    The ratio of difference and estimated u is noncentral t with ν degrees of freedom (Johnson, Kotz
    & Balakrishnan, Continuous Univariate Distributions 2, 2nd ed., 1995, ch. 31): 3.64 for a known
    u, 3.84 for ν = 20, 5.05 for ν = 4. Below ν = 1 it is that of 1.
    """
    from scipy.special import nctdtrinc, ndtri

    if math.isinf(dof) or dof > 1e7:
        return float(coverage_factor(P95, dof) + ndtri(power))
    dof = max(dof, 1.0)
    return float(nctdtrinc(dof, 1.0 - power, coverage_factor(P95, dof)))


def equivalent_z(ratio: float, dof: float) -> float:
    """Return the normal deviate with the same tail probability as `ratio` under t with ν degrees of
    freedom.

    The tail is taken by its logarithm where it underflows, so very large ratios stay finite and
    ordered.
    """
    from scipy.special import ndtri

    if math.isinf(dof) or dof > 1e7:
        return ratio
    tail = two_sided_p(ratio, dof) / 2.0
    if tail > 1e-280:
        return math.copysign(-float(ndtri(tail)), ratio)
    from scipy.stats import t  # slow to import, and hardly ever needed

    log_tail = float(t.logsf(abs(ratio), dof))
    if not math.isfinite(log_tail):
        return math.copysign(math.sqrt(dof * math.log1p(ratio * ratio / dof)), ratio)
    guess = math.sqrt(-2.0 * log_tail)
    for _ in range(30):
        guess = math.sqrt(
            max(-2.0 * (log_tail + math.log(guess) + 0.5 * math.log(2.0 * math.pi)), 1.0)
        )
    return math.copysign(guess, ratio)
