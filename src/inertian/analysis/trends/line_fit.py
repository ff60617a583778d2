"""A line through the points of a trend: parameters whose ± has its own and its shared part, χ²,
residuals, and bands.

Points are weighed by what each errs by itself, along both axes (York et al., Am. J. Phys. 72 (2004)
367-375). What all share is led through the fit to first order (JCGM 102:2011, 6.2): it does not
average out. Where no point has a ± of its own, the scatter about the line tells it.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from inertian.analysis.trends.points import Points, pooled_dof, welch_satterthwaite
from inertian.analysis.trends.trend_lines import (
    LineDefinition,
    TrendLine,
    line_definition,
)
from inertian.motion.fits.curve_shapes import nothing_searched
from inertian.motion.fits.curves import CurveError, first_values
from inertian.motion.fits.errors_in_variables import fit_curve_both_axes, fit_line_both_axes
from inertian.motion.noise.stated_noise import contradicted
from inertian.motion.numerics.least_squares import refined_parameters
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, ErrorShape

LEAST_SHARE_OF_U = 1e-9  # of the largest u: a point that has less than that has no ± at all
ROUNDS = 4  # of weights that hang on the slope, before errors along both axes are adjusted
# Shared errors, and points, up to which both are moved; of more, first order does: their residuals
# are small against the whole
MOST_MOVED, MOST_POINTS_MOVED = 24, 100
STEP = 1e-30


class TrendError(Refusal):
    """A trend cannot be had; the text says why and what to do."""


@dataclass(frozen=True, eq=False)
class LineFit:
    """A fitted line. `operator` is ∂parameter/∂(x, y) of each point, (p, n, 2); `own` and `shared`
    are covariances of the parameters, (p, p), in SI.

    `residuals` are y less the line, `u` what each is expected to be by what its point errs by
    itself, (n,); `scatter` says that this was told by the residuals. `spread` is the standard
    deviation between trials that was added, in the unit of y.
    """

    definition: LineDefinition
    points: Points
    values: Array
    operator: Array
    own: Array
    residuals: Array
    u: Array
    scatter: bool
    spread: float = 0.0
    dof_own: Array | None = None  # where these are not those of the points
    widened: float = 1.0  # what own ± were multiplied by, as points scatter more than these say

    @property
    def names(self) -> tuple[str, ...]:
        """The names of the parameters."""
        return self.definition.names

    @property
    def dof(self) -> int:
        """Points less parameters."""
        return len(self.points) - len(self.values)

    @property
    def chi_squared(self) -> float | None:
        """Σ r²/u²; None where u was told by the residuals themselves."""
        return None if self.scatter else float(np.sum((self.residuals / self.u) ** 2))

    @property
    def p(self) -> float | None:
        """The probability of a χ² that is at least as large; of F where u were estimated."""
        from scipy.special import chdtrc, fdtrc

        if self.chi_squared is None or self.dof < 1:
            return None
        known = pooled_dof(self.u**2, self.points)
        if np.isinf(known):
            return float(chdtrc(self.dof, self.chi_squared))
        return float(fdtrc(self.dof, known, self.chi_squared / self.dof))

    @property
    def r_squared(self) -> float | None:
        """The share of Σ(y − ȳ)² that the line accounts for; None where y does not vary."""
        around = self.points.y - self.points.y.mean()
        total = float(around @ around)
        return 1.0 - float(self.residuals @ self.residuals) / total if total > 0.0 else None

    @cached_property
    def moved(self) -> Array:
        """What one unit of each shared error moves each parameter by, (p, k): as the same line does
        through points that are moved by the u of each error to either side.
        """
        shared = self.points.shared
        found = shared.moved(self.operator)
        us = np.sqrt(np.diag(shared.covariance))
        if len(us) > MOST_MOVED or len(self.points) > MOST_POINTS_MOVED:
            return found
        for k in np.flatnonzero(us > 0.0):
            ends = [self._through(self.points.moved_by(int(k), w * us[k])) for w in (1.0, -1.0)]
            if ends[0] is not None and ends[1] is not None:
                found[:, k] = (ends[0] - ends[1]) / (2.0 * us[k])
        return found

    def _through(self, points: Points) -> Array | None:
        """The values of the same line through other points; None where there are none."""
        with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
            try:
                values, _ = _solved(self.definition, points, not self.scatter)
            except (TrendError, np.linalg.LinAlgError):
                return None
        return values if np.isfinite(values).all() else None

    @cached_property
    def shared(self) -> Array:
        """The covariance of the parameters by what trials share, (p, p)."""
        return np.asarray(self.moved @ self.points.shared.covariance @ self.moved.T)

    def u_own(self, name: str) -> float:
        """Return the part of a parameter's u that points err by themselves."""
        k = self.names.index(name)
        return float(np.sqrt(max(self.own[k, k], 0.0)))

    def u_shared(self, name: str) -> float:
        """Return the part of a parameter's u that all trials share."""
        k = self.names.index(name)
        return float(np.sqrt(max(self.shared[k, k], 0.0)))

    def shares(self, name: str) -> dict[str, float]:
        """Return what each shared error gives to a parameter's u, the largest first."""
        k, together = self.names.index(name), self.points.shared
        us = np.abs(self.moved[k]) * np.sqrt(np.diag(together.covariance))
        found = {n: float(u) for n, u in zip(together.names, us, strict=True) if u > 0.0}
        return dict(sorted(found.items(), key=lambda one: -one[1]))

    def parameter(self, name: str) -> Scalar:
        """Return a parameter with its whole u."""
        k, together = self.names.index(name), self.points.shared
        own, shared = float(self.own[k, k]), float(self.shared[k, k])
        if self.dof_own is not None:
            dof = float(self.dof_own[k])
        else:
            gains = self.operator[k]
            dof = pooled_dof(np.einsum("ni,nij,nj->n", gains, self.points.own, gains), self.points)
        parts = [(own, dof)]
        alone = self.moved[k] ** 2 * np.diag(together.covariance)
        for variance, freedom in zip(alone, together.dof, strict=True):
            if np.isfinite(freedom):
                parts.append((float(variance), float(freedom)))
        rest = max(own + shared - sum(v for v, _ in parts), 0.0)
        whole = welch_satterthwaite([*parts, (rest, np.inf)])
        u = float(np.sqrt(own + shared))
        return Scalar(float(self.values[k]), u, whole, ErrorShape(u, whole, ()))

    @property
    def parameters(self) -> dict[str, Scalar]:
        """All parameters by name."""
        return {name: self.parameter(name) for name in self.names}

    def line(self, x: Array) -> Array:
        """Return the line at places x in SI."""
        with np.errstate(all="ignore"):
            return np.asarray(
                np.real(self.definition.shape.curve(x, *self.values)) + np.zeros_like(x)
            )

    def slopes(self, x: Array) -> Array:
        """Return ∂line/∂parameter at places x, shape (p, len(x))."""
        return slopes_by_parameters(self.definition, x, self.values)

    def u_of_line(self, x: Array) -> Array:
        """Return the standard uncertainty of the line at places x, in SI of y."""
        slopes = self.slopes(x)
        return np.asarray(np.sqrt(np.einsum("im,ij,jm->m", slopes, self.own + self.shared, slopes)))

    def u_of_point(self, x: Array) -> Array:
        """Return the standard uncertainty of one more point at places x in SI."""
        typical = self.widened * float(np.sqrt(np.mean(self.u**2))) if len(self.u) else 0.0
        return np.asarray(np.hypot(self.u_of_line(x), typical))


def slopes_by_parameters(definition: LineDefinition, x: Array, values: Array) -> Array:
    """Return ∂line/∂parameter at places x in SI, shape (p, len(x)), by complex steps."""
    rows = []
    with np.errstate(all="ignore"):
        for k in range(len(values)):
            moved = values.astype(complex)
            moved[k] += 1j * STEP
            rows.append(np.imag(definition.shape.curve(x, *moved) + 0j * x) / STEP)
    return np.array(rows).reshape(len(values), len(x))


def slope_along(definition: LineDefinition, x: Array, values: Array) -> Array:
    """Return ∂line/∂x at places x in SI, shape (len(x),)."""
    with np.errstate(all="ignore"):
        moved = definition.shape.curve(x + 1j * STEP, *values.astype(complex)) + 0j * x
    return np.asarray(np.imag(moved) / STEP)


def fit_line(points: Points, line: TrendLine, formula: str = "") -> LineFit:
    """Fit a line to points; `formula` is a typed one, in x and parameters. Raises FormulaError, or
    TrendError where there are too few points, or no line of the kind goes through them.
    """
    definition = line_definition(line, formula)
    if line is TrendLine.CONSTANT:
        points = points.with_exact_x()
    _check(points, definition)
    ux, uy = points.ux, points.uy
    told = bool((ux > 0.0).any() or (uy > 0.0).any())
    nowhere = f"No {line} line comes near these points; choose another."
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        try:
            values, gains = _solved(definition, points, told)
        except np.linalg.LinAlgError:
            raise TrendError(nowhere) from None
    if not (np.isfinite(values).all() and np.isfinite(gains).all()):
        raise TrendError(nowhere)
    return made_line(definition, points, values, gains, told)


def _solved(definition: LineDefinition, points: Points, told: bool) -> tuple[Array, Array]:
    """Values of a line, and ∂parameter/∂y, (p, n); `told` where points have a ± of their own."""
    if definition.line is TrendLine.STRAIGHT and told and (points.ux > 0.0).any():
        return _straight(definition, points)
    return _any_line(definition, points, told)


def _check(points: Points, definition: LineDefinition) -> None:
    n, many, kind = len(points), len(definition.names), definition.line
    name = "of the formula" if kind is TrendLine.FORMULA else str(kind)
    if n <= many:
        raise TrendError(
            f"A line ({name}) through {n} points leaves nothing over to tell its ±: it needs "
            f"at least {many + 1} trials."
        )
    if kind is TrendLine.POWER and (points.x <= 0.0).any():
        raise TrendError("A power of x needs all x above zero; choose another line.")
    if kind is TrendLine.ORIGIN and not points.x.any():
        raise TrendError("All x are zero, so that no line through the origin has a slope.")
    if kind not in (TrendLine.CONSTANT, TrendLine.ORIGIN) and float(np.ptp(points.x)) == 0.0:
        raise TrendError("All x are the same, so that no line has a slope.")
    without = points_without_u(points)
    if without.any() and not without.all():
        raise TrendError(
            f"{int(without.sum())} points have no ± while others do, so that they cannot be "
            "weighed beside them: give them one, or set them aside."
        )


def _widened(made: LineFit) -> LineFit:
    """A line with the ± of its parameters widened to the scatter of the points, where that is
    clearly larger than these say (Birge, Phys. Rev. 40 (1932) 207-227).
    """
    ratio = float(np.sum((made.residuals / made.u) ** 2)) / made.dof
    known = pooled_dof(made.u**2, made.points)
    freedom = 1.0 / (1.0 / made.dof + 1.0 / known)
    if not contradicted(ratio, freedom):
        return made
    dof = np.full(len(made.values), float(made.dof))
    return replace(made, own=ratio * made.own, widened=float(np.sqrt(ratio)), dof_own=dof)


def points_without_u(points: Points) -> Array:
    """Return which points err neither along x nor along y by themselves, as flags of shape (n,)."""
    x, y = points.ux, points.uy
    least = [LEAST_SHARE_OF_U * float(u.max(initial=0.0)) for u in (x, y)]
    return np.asarray((x <= least[0]) & (y <= least[1]))


def _straight(definition: LineDefinition, points: Points) -> tuple[Array, Array]:
    """Values of a straight line, and ∂parameter/∂y at the adjusted points, (p, n)."""
    found = fit_line_both_axes(points.x, points.y, points.ux, points.uy, points.correlation)
    values = np.array([found.intercept, found.slope])
    return values, _gains(definition, points, values)


def _gains(definition: LineDefinition, points: Points, values: Array) -> Array:
    """∂parameter/∂y at the adjusted points, (p, n)."""
    along = slope_along(definition, points.x, values)
    variance = _variance(points.own, along)
    left = points.y - np.real(definition.shape.curve(points.x, *values))
    there = points.x + (along * points.own[:, 0, 0] - points.own[:, 0, 1]) * left / variance
    root = 1.0 / np.sqrt(variance)
    matrix = slopes_by_parameters(definition, there, values).T * root[:, None]
    return np.asarray(np.linalg.pinv(matrix) * root)


def _variance(own: Array, along: Array) -> Array:
    """The variance of y less the line, by what each point errs by itself, (n,)."""
    return np.asarray(own[:, 1, 1] - 2.0 * along * own[:, 0, 1] + along**2 * own[:, 0, 0])


def _any_line(definition: LineDefinition, points: Points, told: bool) -> tuple[Array, Array]:
    """Values of any line, and ∂parameter/∂y, (p, n); with errors along both axes where both have
    some.
    """
    shape, x, y = definition.shape, points.x, points.y
    free = np.ones(len(definition.names), dtype=bool)
    linear = shape.searched is nothing_searched
    try:
        values = first_values(shape, x, y, {})
    except CurveError as error:
        raise TrendError(str(error)) from None
    root = np.ones(len(x))
    for _ in range(ROUNDS if told else 1):
        if told:
            variance = _variance(points.own, slope_along(definition, x, values))
            good = np.isfinite(variance) & (variance > 0.0)
            root = 1.0 / np.sqrt(np.where(good, variance, np.inf if good.any() else 1.0))
        values, gains = refined_parameters(shape.curve, x, y, values, free, linear, root)
        if not told or not (points.ux > 0.0).any():
            break
    if told and (points.ux > 0.0).any():
        both = fit_curve_both_axes(
            shape.curve, x, y, values, free, points.ux, points.uy, points.correlation
        )
        if both is not None:
            return both
    return values, gains


def made_line(
    definition: LineDefinition, points: Points, values: Array, gains: Array, told: bool
) -> LineFit:
    """Return a line of which parameters and ∂parameter/∂y, (p, n), are known."""
    along = slope_along(definition, points.x, values)
    operator = np.stack([-gains * along, gains], axis=2)
    left = points.y - np.real(definition.shape.curve(points.x, *values))
    dof = len(points) - len(values)
    if told:
        u = np.sqrt(_variance(points.own, along))
        own = np.einsum("pni,nij,qnj->pq", operator, points.own, operator)
        made = LineFit(definition, points, values, operator, own, left, u, False)
        return _widened(made)
    spread = float(np.sqrt(left @ left / dof))
    own = spread**2 * gains @ gains.T
    freedom = np.full(len(values), float(dof))
    return LineFit(
        definition,
        points,
        values,
        operator,
        own,
        left,
        np.full(len(points), spread),
        True,
        dof_own=freedom,
    )
