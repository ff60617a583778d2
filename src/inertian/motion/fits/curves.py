"""Curves of the shapes motions have, fitted over a span, with starting values found by the program.

Each shape is one plain function of time since the start of the span, linear in its level and
amplitudes. The few parameters it is not linear in are searched on a grid, the others follow by
least squares (Golub & Pereyra, SIAM J. Numer. Anal. 10 (1973) 413-432); from there
Levenberg-Marquardt steps (Moré, Lect. Notes Math. 630 (1978) 105-116) go to the least sum of
squares over all parameters.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from inertian.motion.fits.curve_shapes import (
    CurveShape,
    ShapeDefinition,
    nothing_searched,
    shape_definition,
)
from inertian.motion.fits.errors_in_variables import fit_curve_both_axes
from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.motion.numerics.least_squares import refined_parameters
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Mask

BIWEIGHT = 4.685  # robust σ at which a sample says nothing: 95 % efficient for normal errors

# Rounds of reweighting at most, and the share of a parameter by which they settle
ROBUST_ROUNDS, ROBUST_SETTLED = 30, 1e-9

ROBUST_COST = 1.02  # times that u of such a fit is larger than its weights alone would say

BOTH_AXES_UP_TO = 5_000  # samples up to which times are adjusted as well


class CurveError(Refusal):
    """A curve cannot be fitted; the text says why and what to do."""


RELATIVE_STEP = 1e-6  # of a parameter, for the slope of the curve by it


@dataclass(frozen=True, eq=False)
class CurveFit:
    """A fitted curve. `operator`, shape (parameters, n), takes samples to parameters at first
    order; 0 for held ones.

    `t` are the times used in s, `start` where τ = 0; `residuals` sample minus curve, in SI.
    """

    shape: CurveShape
    start: float
    values: Array
    operator: Array
    t: Array
    y: Array
    residuals: Array
    held: tuple[str, ...] = ()
    curves: bool = field(default=False)  # whether residuals follow a pattern
    formula: str = ""
    weights: Array | None = None  # of the samples in a robust fit, shape (n,)

    @property
    def counted(self) -> Mask:
        """Which samples count fully or nearly so: all, but for those a robust fit lets say little;
        shape (n,).
        """
        return np.ones(len(self.t), dtype=bool) if self.weights is None else self.weights > 0.5

    @property
    def dof(self) -> int:
        """Samples that count minus parameters that were free."""
        return int(self.counted.sum()) - len(self.values) + len(self.held)

    @property
    def scatter(self) -> float:
        """√(Σr²/ν) in SI."""
        left = self.residuals[self.counted]
        return float(np.sqrt(left @ left / max(self.dof, 1)))

    @property
    def r_squared(self) -> float:
        """The share of Σ(y − ȳ)² that the curve accounts for; 0 where y does not vary."""
        around = self.y - self.y.mean()
        total = float(around @ around)
        return 1.0 - float(self.residuals @ self.residuals) / total if total > 0.0 else 0.0

    def curve(self, t: Array) -> Array:
        """Return the curve at times t."""
        with np.errstate(all="ignore"):
            return np.asarray(
                shape_definition(self.shape, self.formula).curve(t - self.start, *self.values)
                + np.zeros_like(t)
            )

    def slopes(self, t: Array) -> Array:
        """Return ∂curve/∂parameter at times t, shape (parameters, len(t)); 0 for held ones."""
        form, found = (
            shape_definition(self.shape, self.formula),
            np.zeros((len(self.values), len(t))),
        )
        for k, parameter in enumerate(form.parameters):
            if parameter.symbol in self.held:
                continue
            step = np.zeros(len(self.values))
            step[k] = RELATIVE_STEP * (abs(self.values[k]) or 1.0)
            with np.errstate(all="ignore"):
                above, below = (
                    form.curve(t - self.start, *(self.values + s)) for s in (step, -step)
                )
            found[k] = (above - below) / (2.0 * step[k])
        return found


def fit_curve(
    t: Array,
    y: Array,
    shape: CurveShape,
    start: float,
    *,
    held: Mapping[str, float] | None = None,
    formula: str = "",
    first: Mapping[str, float] | None = None,
    robust: bool = False,
    u: Array | None = None,
    stamp: float = 0.0,
) -> CurveFit:
    """Fit a shape to samples y at times t in s, both of shape (n,), NaN left out; τ counts from
    `start`.

    `held` fixes parameters by symbol, `first` says where to begin instead of searching. A `robust`
    fit lets samples that lie far off say little (Tukey's biweight: Beaton & Tukey, Technometrics 16
    (1974) 147-185). Where they differ, `u` are standard uncertainties of the samples, (n,), which
    then weigh 1/u²; `stamp` is that of the times in s, which are adjusted as well, by orthogonal
    distances. Raises TooFewSamplesError, or CurveError where no curve of the shape fits.
    """
    form, held = shape_definition(shape, formula), held or {}
    used = np.isfinite(y)
    t, y, u = t[used], y[used], None if u is None else u[used]
    symbols = [p.symbol for p in form.parameters]
    free = np.array([s not in held for s in symbols])
    if len(t) <= free.sum():
        raise TooFewSamplesError(shape, int(free.sum()) + 1, len(t))
    problem = _CurveProblem(form, t - start, y, free, u)
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        values = (
            np.array([first[s] for s in symbols])
            if first
            else first_values(form, problem.tau, y, held)
        )
        for k, symbol in enumerate(symbols):
            values[k] = held.get(symbol, values[k])
        if robust:
            values, slopes, weights = problem.robust(values)
        else:
            values, slopes, weights = *problem.refined(values, stamp), None
        residuals = problem.residuals(values)
    if not all(np.isfinite(part).all() for part in (values, slopes, residuals)):
        raise CurveError(f"No {shape} fits these samples; choose another shape or a longer span.")
    operator = np.zeros((len(values), len(t)))
    operator[free] = slopes * (ROBUST_COST if robust else 1.0)
    curved = pattern_z(residuals, np.ones(len(t))) > PATTERN_Z
    kept = tuple(s for s in symbols if s in held)
    return CurveFit(shape, start, values, operator, t, y, residuals, kept, curved, formula, weights)


@dataclass(frozen=True, eq=False)
class _CurveProblem:
    """Samples y at times tau that a shape is to fit, and which of its parameters are free."""

    form: ShapeDefinition
    tau: Array
    y: Array
    free: Mask
    u: Array | None

    @property
    def root(self) -> Array:
        """The roots of the weights of the samples, 1 on the whole."""
        if self.u is None:
            return np.ones(len(self.tau))
        return np.asarray(float(np.mean(self.u)) / self.u)

    def residuals(self, values: Array) -> Array:
        """Return y less the curve."""
        return np.asarray(
            self.y - np.asarray(self.form.curve(self.tau, *values) + np.zeros_like(self.tau))
        )

    def weighted(self, values: Array, root: Array) -> tuple[Array, Array]:
        """Return parameters and ∂parameters/∂y of the least sum of weighted squares."""
        linear = self.form.searched is nothing_searched
        return refined_parameters(
            self.form.curve, self.tau, self.y, values, self.free, linear, root
        )

    def refined(self, values: Array, stamp: float) -> tuple[Array, Array]:
        """Return them with times adjusted as well, where their u is known and samples are few."""
        values, slopes = self.weighted(values, self.root)
        if stamp > 0.0 and self.u is not None and len(self.tau) <= BOTH_AXES_UP_TO:
            stamps = np.full(len(self.tau), stamp)
            both = fit_curve_both_axes(
                self.form.curve, self.tau, self.y, values, self.free, stamps, self.u
            )
            if both is not None:
                return both
        return values, slopes

    def robust(self, values: Array) -> tuple[Array, Array, Array]:
        """Return them with samples that lie far off saying little, and what each one counts."""
        values, slopes = self.weighted(values, self.root)
        weights = np.ones(len(self.tau))
        for _ in range(ROBUST_ROUNDS):
            old, weights = values, _biweight(self.residuals(values))
            values, slopes = self.weighted(values, self.root * np.sqrt(weights))
            if np.all(np.abs(values - old) <= ROBUST_SETTLED * np.abs(values)):
                break
        return values, slopes, weights


def _biweight(residuals: Array) -> Array:
    """The weight of each sample, from its distance in robust σ; shape (n,)."""
    scale = MEDIAN_TO_SIGMA * float(np.median(np.abs(residuals)))
    if scale == 0.0:
        return np.ones(len(residuals))
    return np.asarray(np.clip(1.0 - (residuals / (BIWEIGHT * scale)) ** 2, 0.0, None) ** 2)


def first_values(form: ShapeDefinition, tau: Array, y: Array, held: Mapping[str, float]) -> Array:
    """Return the best parameters on the grid of searched ones, on at most some hundreds of samples;
    tau and y have shape (n,). Raises CurveError where no curve of the shape comes near.
    """
    names = [p.symbol for p in form.parameters]
    grid = form.searched(tau)
    searched = (
        [p.symbol for p in form.parameters if not p.power and p.symbol not in ("φ",)]
        if len(grid)
        else []
    )
    for row, symbol in enumerate(searched):
        if symbol in held:
            grid[row] = held[symbol]
    some = np.unique(np.linspace(0, len(tau) - 1, min(len(tau), 600)).astype(int))
    best, least = None, np.inf
    for point in grid.T:
        parts = form.linear(tau[some], *point)
        columns = np.stack(parts, axis=1) if parts else np.zeros((len(some), 0))
        target = y[some] if form.rest is None else y[some] - form.rest(tau[some], point)
        if not (np.isfinite(columns).all() and np.isfinite(target).all()):
            continue
        c, *_ = np.linalg.lstsq(columns, target, rcond=None)
        left = target - columns @ c
        if np.isfinite(left).all() and left @ left < least:
            best, least = form.taken(c, point), float(left @ left)
    if best is None:
        raise CurveError(
            "No curve of this shape comes near these samples; choose another shape or a longer "
            "span."
        )
    assert len(best) == len(names)
    return np.asarray(best, dtype=float)
