"""Curves of the shapes motions have, fitted over a span, with starting values found by the program.

Each shape is one plain function of time since the start of the span, linear in its level and
amplitudes. The few parameters it is not linear in are searched on a grid, the others follow by
least squares (Golub & Pereyra, SIAM J. Numer. Anal. 10 (1973) 413-432); from there
Levenberg-Marquardt steps (Moré, Lect. Notes Math. 630 (1978) 105-116) go to the least sum of
squares over all parameters.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from typing import Any

import numpy as np

from inertian.motion.fits.errors_in_variables import fit_curve_both_axes
from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.motion.numerics.least_squares import refined_parameters
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Mask
from inertian.quantities.expressions import Formula, FormulaError, parse_formula


class CurveShape(StrEnum):
    """The shapes of curves that can be fitted."""

    CONSTANT = "constant"
    LINE = "line"
    PARABOLA = "parabola"
    CUBIC = "cubic"
    SINE = "sine"
    DAMPED = "damped sine"
    EXPONENTIAL = "exponential"
    POWER = "power"
    FORMULA = "formula"  # that was typed


@dataclass(frozen=True)
class Parameter:
    """One parameter of a shape: its symbol, what it means, and its unit as powers of the quantity's
    unit and of s.
    """

    symbol: str
    meaning: str
    power: int = 1
    seconds: int = 0


LEVEL = Parameter("y₀", "value at the start")
Curve = Callable[..., Any]
BIWEIGHT = 4.685  # robust σ at which a sample says nothing: 95 % efficient for normal errors
# Rounds of reweighting at most, and the share of a parameter by which they settle
ROBUST_ROUNDS, ROBUST_SETTLED = 30, 1e-9
ROBUST_COST = 1.02  # times that u of such a fit is larger than its weights alone would say
BOTH_AXES_UP_TO = 5_000  # samples up to which times are adjusted as well
SEARCH_POINTS = 4000  # points that several parameters of a formula are searched at


@dataclass(frozen=True)
class ShapeDefinition:
    """What a shape is made of: formula, parameters, the curve, and where to search for what it is
    not linear in.
    """

    formula: str
    parameters: tuple[Parameter, ...]
    curve: Curve
    # Columns of the linear parameters, from τ and the searched ones
    linear: Callable[..., list[Any]]
    searched: Callable[[Array], Array]  # grid of the others from τ, shape (searched, points)
    taken: Callable[[Array, Array], Array]  # parameters from linear coefficients and searched ones
    rest: Callable[[Any, Any], Any] | None = None  # what is there without any linear parameter


def _nothing_searched(_tau: Array) -> Array:
    return np.zeros((0, 1))


def _straight(c: Array, _searched: Array) -> Array:
    return c


def _polynomial(formula: str, parameters: tuple[Parameter, ...]) -> ShapeDefinition:
    factors = np.array([1.0, 1.0, 0.5, 1.0 / 6.0])

    def columns(tau: Any) -> list[Any]:
        return [factors[k] * tau**k for k in range(len(parameters))]

    return ShapeDefinition(
        formula,
        parameters,
        lambda tau, *c: sum(a * b for a, b in zip(c, columns(tau), strict=True)),
        columns,
        _nothing_searched,
        _straight,
    )


def _steps(tau: Array) -> float:
    return float(np.median(np.diff(tau)))


def _periods(tau: Array) -> Array:
    """Periods from a little over two samples to twice the span, even in frequency; five to each
    resolvable one.
    """
    whole = float(np.ptp(tau))
    highest = min(0.45 / _steps(tau), 400.0 / whole)
    return np.asarray(1.0 / np.arange(0.4 / whole, highest, 0.2 / whole))[None]


def _decays(tau: Array) -> Array:
    return np.asarray(np.ptp(tau) * np.geomspace(0.02, 20.0, 60))[None]


def _periods_and_decays(tau: Array) -> Array:
    periods, decays = np.meshgrid(_periods(tau)[0], np.ptp(tau) * np.geomspace(0.1, 10.0, 7))
    return np.stack([periods.ravel(), decays.ravel()])


def _wave(c: Array, searched: Array) -> Array:
    amplitude, phase = np.hypot(c[1], c[2]), np.arctan2(c[2], c[1])
    return np.array([c[0], amplitude, searched[0], phase, *searched[1:]])


_PERIOD = Parameter("T", "period", 0, 1)
_SWING = (LEVEL, Parameter("A", "amplitude"), _PERIOD, Parameter("φ", "phase at the start", 0))
_POSITION = (LEVEL, Parameter("y₁", "slope at the start", 1, -1))

SHAPE_DEFINITIONS: Mapping[CurveShape, ShapeDefinition] = {
    CurveShape.CONSTANT: _polynomial("y₀", (Parameter("y₀", "value"),)),
    CurveShape.LINE: _polynomial("y₀ + y₁ t", (LEVEL, Parameter("y₁", "slope", 1, -1))),
    CurveShape.PARABOLA: _polynomial(
        "y₀ + y₁ t + ½ y₂ t²",
        (*_POSITION, Parameter("y₂", "second derivative: twice the t² term", 1, -2)),
    ),
    CurveShape.CUBIC: _polynomial(
        "y₀ + y₁ t + ½ y₂ t² + ⅙ y₃ t³",
        (
            *_POSITION,
            Parameter("y₂", "second derivative at the start", 1, -2),
            Parameter("y₃", "its rate", 1, -3),
        ),
    ),
    CurveShape.SINE: ShapeDefinition(
        "y₀ + A sin(2π t/T + φ)",
        (Parameter("y₀", "middle"), *_SWING[1:]),
        lambda tau, y, a, period, phase: y + a * np.sin(2 * np.pi * tau / period + phase),
        lambda tau, period: [
            np.ones_like(tau),
            np.sin(2 * np.pi * tau / period),
            np.cos(2 * np.pi * tau / period),
        ],
        _periods,
        _wave,
    ),
    CurveShape.DAMPED: ShapeDefinition(
        "y₀ + A e^(−t/τ) sin(2π t/T + φ)",
        (Parameter("y₀", "middle"), *_SWING[1:], Parameter("τ", "decay time", 0, 1)),
        lambda tau, y, a, period, phase, decay: (
            y + a * np.exp(-tau / decay) * np.sin(2 * np.pi * tau / period + phase)
        ),
        lambda tau, period, decay: [
            np.ones_like(tau),
            np.exp(-tau / decay) * np.sin(2 * np.pi * tau / period),
            np.exp(-tau / decay) * np.cos(2 * np.pi * tau / period),
        ],
        _periods_and_decays,
        _wave,
    ),
    CurveShape.EXPONENTIAL: ShapeDefinition(
        "y₀ + A e^(−t/τ)",
        (
            Parameter("y₀", "value it tends to"),
            Parameter("A", "amplitude"),
            Parameter("τ", "decay time", 0, 1),
        ),
        lambda tau, y, a, decay: y + a * np.exp(-tau / decay),
        lambda tau, decay: [np.ones_like(tau), np.exp(-tau / decay)],
        lambda tau: np.concatenate([_decays(tau), -_decays(tau)], axis=1),
        lambda c, s: np.array([*c, *s]),
    ),
    CurveShape.POWER: ShapeDefinition(
        "y₀ + A (t/1 s)ⁿ",
        (LEVEL, Parameter("A", "amplitude"), Parameter("n", "exponent", 0)),
        lambda tau, y, a, n: y + a * np.where(tau > 0, np.where(tau > 0, tau, 1.0) ** n, 0.0),
        lambda tau, n: [
            np.ones_like(tau),
            np.where(tau > 0, np.where(tau > 0, tau, 1.0) ** n, 0.0),
        ],
        lambda tau: np.linspace(0.1, 6.0, 60)[None],
        lambda c, s: np.array([*c, *s]),
    ),
}


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


def shape_definition(shape: CurveShape, formula: str = "") -> ShapeDefinition:
    """Return the form of a shape; `formula` is a typed one, in t and parameters. Raises
    FormulaError.
    """
    return formula_shape(formula) if shape is CurveShape.FORMULA else SHAPE_DEFINITIONS[shape]


@lru_cache(maxsize=64)
def formula_shape(text: str) -> ShapeDefinition:
    """Return the form of a formula in t and parameters. Raises FormulaError.

    Parameters it is linear in, jointly, are found by trying; the others are searched over orders of
    magnitude.
    """
    formula = parse_formula(text)
    if "t" not in formula.names:
        raise FormulaError(text, "t, the time since the start of the span, does not occur in it.")
    names = tuple(n for n in formula.names if n != "t")
    if not names:
        raise FormulaError(text, "there is nothing to fit: write a letter for each parameter.")
    linear = _linear_in(formula, names)
    others = tuple(n for n in names if n not in linear)

    def at(tau: Any, linear_values: Any, searched: Any) -> Any:
        values = dict(zip(linear, linear_values, strict=True)) | dict(
            zip(others, searched, strict=True)
        )
        return formula(t=tau, **values) + 0 * tau

    def columns(tau: Any, *searched: Any) -> list[Any]:
        return [
            at(tau, row, searched) - at(tau, np.zeros(len(linear)), searched)
            for row in np.eye(len(linear))
        ]

    def taken(c: Array, searched: Array) -> Array:
        values = dict(zip(linear, c, strict=True)) | dict(zip(others, searched, strict=True))
        return np.array([values[n] for n in names], dtype=float)

    return ShapeDefinition(
        text,
        tuple(Parameter(n, "parameter of the formula", 1 if n in linear else 0) for n in names),
        lambda tau, *p: formula(t=tau, **dict(zip(names, p, strict=True))),
        columns,
        (lambda tau: _magnitudes(tau, len(others))) if others else _nothing_searched,
        taken,
        lambda tau, searched: at(tau, np.zeros(len(linear)), searched),
    )


def _linear_in(formula: Formula, names: Sequence[str]) -> tuple[str, ...]:
    """The parameters that the formula is linear in, all together."""
    rng = np.random.default_rng(1)
    tau = np.linspace(0.1, 1.3, 7)
    found: list[str] = []
    for name in names:
        wanted = [*found, name]
        with np.errstate(all="ignore"):
            points = [
                {n: float(v) for n, v in zip(names, rng.uniform(0.5, 1.5, len(names)), strict=True)}
            ]
            points += [{**points[0], **{n: float(rng.uniform(0.5, 1.5)) for n in wanted}}]
            middle = {n: 0.5 * (points[0][n] + points[1][n]) for n in names}
            ends = [np.asarray(formula(t=tau, **p) + 0 * tau) for p in points]
            between = np.asarray(formula(t=tau, **middle) + 0 * tau)
        size = np.abs(ends[0]) + np.abs(ends[1])
        if np.all(np.abs(ends[0] + ends[1] - 2.0 * between) <= 1e-9 * size):
            found = wanted
    return tuple(found)


def _magnitudes(tau: Array, count: int) -> Array:
    """Points to search `count` parameters at: rates, times and plain numbers of both signs; shape
    (count, points).
    """
    whole = float(np.ptp(tau)) or 1.0
    fine = np.arange(0.5, 60.0, 0.25) / whole
    values = np.concatenate(
        [fine, whole * np.geomspace(0.02, 20.0, 40), np.linspace(0.25, 6.0, 24)]
    )
    values = np.unique(np.concatenate([values, -values]))
    if count == 1:
        return values[None]
    rng = np.random.default_rng(2)
    return np.stack([rng.choice(values, SEARCH_POINTS) for _ in range(count)])


def fit_curve(
    t: Array,
    y: Array,
    shape: CurveShape,
    start: float,
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
            else _first_values(form, problem.tau, y, held)
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
        linear = self.form.searched is _nothing_searched
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


def _first_values(form: ShapeDefinition, tau: Array, y: Array, held: Mapping[str, float]) -> Array:
    """The best parameters on the grid of searched ones, on at most some hundreds of samples."""
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
