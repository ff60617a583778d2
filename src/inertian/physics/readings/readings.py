"""Readings with their uncertainties: at a moment, over a span, between two moments; and curves
fitted over spans.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from inertian.motion.fits.correlated_residuals import (
    NOT_NOTICED,
    Correlation,
    correlation_about,
)
from inertian.motion.fits.curve_shapes import CurveShape, shape_definition
from inertian.motion.fits.curves import CurveFit, fit_curve
from inertian.motion.noise.reading_noise import READINGS
from inertian.motion.noise.stated_noise import contradicted
from inertian.motion.spans.spans import Span
from inertian.physics.definitions.reading_units import rate_unit
from inertian.physics.definitions.requests import (
    AT_MOMENT,
    BETWEEN,
    CurveRequest,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import NoValueError, QuantityValues, TrialContext
from inertian.physics.readings.nonlinear_intervals import interval_if_nonlinear
from inertian.physics.readings.reading_plan import (
    TooFewError,
    at_moment_plan,
    over_span_plan,
    span_of,
)
from inertian.physics.readings.scatter_over_noise import scatter_over_noise, with_scatter
from inertian.quantities.coverage import P95, Scalar, coverage_factor
from inertian.quantities.estimates import (
    Array,
    ClockNoise,
    Estimate,
    JointScalars,
    Name,
    Rows,
    joint_scalars,
)
from inertian.quantities.propagation import Results

WIDENED = "; the samples scatter more than the noise, so each ± is widened to their scatter"


def at_moment(
    context: TrialContext, shown: QuantityRef, body: str, time: float
) -> dict[ReadingKind, Estimate]:
    """Return value and local slope at a time in s, as far as there are samples for them. Raises
    NoValueError.
    """
    found: dict[ReadingKind, Estimate] = {}
    for kind in (ReadingKind.VALUE, ReadingKind.SLOPE):
        try:
            plan = at_moment_plan(context, shown, body, time, kind)
        except TooFewError:
            continue
        except NoValueError:  # a value may be had where its slope has no meaning, such as of a rate
            if kind is ReadingKind.VALUE:
                raise
            continue
        if np.isfinite(plan.whole.values[plan.c != 0.0]).all():
            found[kind] = plan.estimate()
    return found


def over_span(
    context: TrialContext, shown: QuantityRef, body: str, span: Span, kind: ReadingKind
) -> Estimate | Scalar:
    """Return a reading over a span. Raises NoValueError where the span holds too few samples."""
    plan = over_span_plan(context, shown, body, span, kind)
    if kind is not ReadingKind.SPREAD:
        return plan.estimate()
    y, rows = plan.whole.values, plan.rows
    assert rows is not None
    window = (
        1
        if shown.quantity in (Quantity.POSITION, Quantity.SENSOR)
        else _window(context, body, rows)
    )
    freedom = max((len(y) - 1) / window, 1.0)
    return Scalar(float(y.std(ddof=1)), float(y.std(ddof=1) / np.sqrt(2.0 * freedom)), freedom)


def _window(context: TrialContext, body: str, rows: Rows) -> int:
    """Samples that a velocity owes to, at the middle of some rows."""
    name = context.bodies_of(body)[0]
    fits = context.local_fits(name, context.trial.body(name).axes[0])
    near = np.searchsorted(fits.usable, rows[len(rows) // 2])
    return int(fits.sizes[1][min(near, len(fits.usable) - 1)])


def correlated_scalars(context: TrialContext, estimates: Mapping[str, Estimate]) -> JointScalars:
    """Return estimates of one trial as correlated scalars."""
    parts = context.fact_parts(estimates.values())
    return joint_scalars(estimates, context.clock_noise, parts, context.pools())


def scalars(context: TrialContext, estimates: Mapping[str, Estimate]) -> dict[str, Scalar]:
    """Return estimates as values with u and degrees of freedom, by name."""
    together = correlated_scalars(context, estimates)
    return {name: scalar_of(together, name) for name in estimates}


def between(
    context: TrialContext, shown: QuantityRef, body: str, times: tuple[float, float]
) -> dict[ReadingKind, Scalar]:
    """Return difference and ratio of a quantity at two moments, the second against the first, as
    correlated. Raises NoValueError where there is none.
    """
    pair = quantity_values(context, shown, body, np.array(times))
    if not np.isfinite(pair.values).all():
        raise NoValueError("There are too few samples at one of the two moments.")
    together = correlated_scalars(
        context,
        {"1": pair.estimate(np.array([1.0, 0.0])), "2": pair.estimate(np.array([0.0, 1.0]))},
    )
    results = Results(_compared, together)
    return {kind: results[kind] for kind in BETWEEN}


def _compared(q: Mapping[str, Any]) -> dict[str, Any]:
    return {ReadingKind.DIFFERENCE: q["2"] - q["1"], ReadingKind.RATIO: q["2"] / q["1"]}


def read_named(context: TrialContext, named: NamedReading) -> Scalar:
    """Return the result of a named reading; where first order does not do, from draws. Raises
    NoValueError.
    """
    return interval_if_nonlinear(context, named, _at_first_order(context, named))


def _at_first_order(context: TrialContext, named: NamedReading) -> Scalar:
    if named.kind in BETWEEN:
        return between(context, named.shown, named.body, (named.times[0], named.times[1]))[
            named.kind
        ]
    if named.kind in AT_MOMENT:
        found = at_moment(context, named.shown, named.body, named.times[0])
        if named.kind not in found:
            raise NoValueError("There are too few samples at that moment.")
        return scalars(context, {"": found[named.kind]})[""]
    one = over_span(context, named.shown, named.body, span_of(context, named.span), named.kind)
    return one if isinstance(one, Scalar) else scalars(context, {"": one})[""]


@dataclass(frozen=True, eq=False)
class CurveResult:
    """A curve fitted over a span: parameters as correlated scalars, units, χ² where residuals are
    of raw samples.

    `remark` says in words what the residuals look like; `covariance` is that of all parameters, (p,
    p); `spread` the standard deviation of one sample about the curve, NaN where residuals are not
    of raw samples. `estimates` are the parameters with what they hang on.
    """

    request: CurveRequest
    fit: CurveFit
    parameters: tuple[tuple[str, Scalar], ...]
    units: Mapping[str, str]
    chi_squared: float | None
    remark: str
    covariance: Array
    spread: float
    estimates: Mapping[str, Estimate]
    wider: float  # what each u was multiplied by, where residuals are larger than the noise

    def u_of_sample(self, t: Array) -> Array:
        """Return the standard uncertainty of one more sample at times t in s, in SI, shape (m,):
        of the curve and of itself.
        """
        slopes = self.fit.slopes(t)
        return np.asarray(
            np.sqrt(np.einsum("im,ij,jm->m", slopes, self.covariance, slopes) + self.spread**2)
        )

    def reach(self, t: Array) -> tuple[Array, Array]:
        """Return the limits, in SI, between which 95.45 % of further samples would lie at times
        t in s, shape (m,) (prediction band).
        """
        k = coverage_factor(P95, max(self.dof, 1.0))
        middle, wide = self.fit.curve(t), k * self.u_of_sample(t)
        return middle - wide, middle + wide

    @property
    def dof(self) -> float:
        """Degrees of freedom of the least well known parameter."""
        return min((one.dof for _, one in self.parameters), default=float(self.fit.dof))


def fit_curve_request(context: TrialContext, request: CurveRequest) -> CurveResult:
    """Fit a curve over a span. Raises NoValueError, CurveError or TooFewSamplesError."""
    span = span_of(context, request.span)
    all_rows = span.rows(context.trial.t)
    rows = np.arange(all_rows.start, all_rows.stop)
    whole = quantity_values(context, request.shown, request.body, context.trial.t[rows], rows)
    held = dict(request.held)
    u, stamp = _of_samples(context, request, rows)
    fit = fit_curve(
        whole.times,
        whole.values,
        request.shape,
        span.start,
        held=held,
        formula=request.formula,
        robust=request.robust,
        u=u,
        stamp=stamp,
    )
    good = np.flatnonzero(np.isfinite(whole.values))
    form = shape_definition(request.shape, request.formula)
    estimates = {}
    for k, parameter in enumerate(form.parameters):
        c = np.zeros(len(rows))
        c[good] = fit.operator[k]
        estimates[parameter.symbol] = whole.estimate(c, float(fit.values[k]))
    raw = request.shown.quantity in (Quantity.POSITION, Quantity.SENSOR)
    chi = _chi_squared(context, request, whole, fit) if raw else None
    alike = _correlation_about(context, request, fit) if raw else NOT_NOTICED
    chi_with_it = None if chi is None else chi * alike.ratio
    pool = _pool(request)
    wider, dof = scatter_over_noise(context.pools(), chi_with_it, fit.dof, fit.curves, pool)
    joint = joint_scalars(
        estimates,
        _with_correlation(context, request, alike.rho),
        context.fact_parts(estimates.values()),
        context.pools(),
    )
    together = with_scatter(joint, wider, dof, pool)
    found = {name: scalar_of(together, name) for name in estimates}
    # Then nobody has said what the units of its parameters are
    own = request.shape is CurveShape.FORMULA
    units = {
        p.symbol: "" if own else _unit(request.shown.unit, p.power, p.seconds)
        for p in form.parameters
    }
    remark = _remark(fit, raw) + (WIDENED if contradicted(wider**2, fit.dof) else "")
    covariance = together.covariance
    spread = wider * _sample_spread(context, request, fit) if raw else float("nan")
    return CurveResult(
        request, fit, tuple(found.items()), units, chi, remark, covariance, spread, estimates, wider
    )


def _correlation_about(context: TrialContext, request: CurveRequest, fit: CurveFit) -> Correlation:
    """How far the samples about a curve err alike; coarse steps have their own pattern for that."""
    key = context.trial.channel_id(request.body, request.shown.axis)
    if context.clock_noise.reading[key][1].rounding:
        return NOT_NOTICED
    free = [k for k, row in enumerate(fit.operator) if row.any()]
    slopes = fit.slopes(fit.t)[free][:, fit.counted]
    return correlation_about(fit.residuals[fit.counted], slopes)


def _with_correlation(context: TrialContext, request: CurveRequest, rho: float) -> ClockNoise:
    """The noise of a trial, with readings of the channel of a curve that err alike about it."""
    noise = context.clock_noise
    key = context.trial.channel_id(request.body, request.shown.axis)
    if not rho:
        return noise
    source, own = noise.reading[key]
    return replace(noise, reading={**noise.reading, key: (source, replace(own, alike=rho))})


def _of_samples(
    context: TrialContext, request: CurveRequest, rows: Rows
) -> tuple[Array | None, float]:
    """Standard uncertainties of samples and of their times, where fits are to weigh them; else None
    and 0.
    """
    if request.shown.quantity not in (Quantity.POSITION, Quantity.SENSOR):
        return None, 0.0
    key = context.trial.channel_id(request.body, request.shown.axis)
    noise = context.clock_noise
    own = noise.reading[key][1]
    stamp = context.noise.stamp if key in noise.rate else 0.0
    if stamp == 0.0 and isinstance(own.variance, float):
        return None, 0.0
    return np.sqrt(own.of_one(len(context.trial.t)))[rows], stamp


def _pool(request: CurveRequest) -> str:
    """The pool of degrees of freedom that the noise of what is fitted belongs to."""
    sensor = request.shown.quantity is Quantity.SENSOR
    return f"{request.body} {request.shown.axis}" if sensor else READINGS


def scalar_of(joint: JointScalars, name: Name) -> Scalar:
    """Return one of correlated scalars by itself."""
    value = float(joint.values[joint.index(name)])
    return Scalar(value, joint.u(name), joint.dof(name), joint.shape(name))


def _unit(unit: str, power: int, seconds: int) -> str:
    if power == 0:
        return "" if seconds == 0 else "s"
    for _ in range(-seconds):
        unit = rate_unit(unit)
    return unit


def _chi_squared(
    context: TrialContext, request: CurveRequest, whole: QuantityValues, fit: CurveFit
) -> float:
    """Σ r²/(σ² + σ_t² v²), with the noise of the series."""
    parts = fit.residuals**2 / np.maximum(_variances(context, request, fit), np.finfo(float).tiny)
    return float(np.sum(parts[fit.counted]))


def _sample_spread(context: TrialContext, request: CurveRequest, fit: CurveFit) -> float:
    return float(np.sqrt(np.mean(_variances(context, request, fit))))


def _variances(context: TrialContext, request: CurveRequest, fit: CurveFit) -> Array:
    """σ² + σ_t² v² of each sample, shape (n,)."""
    key = context.trial.channel_id(request.body, request.shown.axis)
    noise = context.clock_noise
    rows = np.searchsorted(context.trial.t, fit.t)
    variance = noise.reading[key][1].of_one(len(context.trial.t))[rows]
    if key in noise.rate:
        velocity = np.nan_to_num(context.derivative(request.body, request.shown.axis, 1).value)
        variance = variance + noise.jitter * velocity[rows] ** 2
    return variance


def _remark(fit: CurveFit, raw: bool) -> str:
    if not raw:
        return "neighbouring values share samples, so residuals look smoother than they are"
    if fit.curves:
        return f"residuals follow a pattern: a {fit.shape} is too simple here"
    if not fit.counted.all():
        return f"{int((~fit.counted).sum())} samples lie far off and say little; the others scatter"
    if len(fit.t) < 8:
        return "too few samples to tell whether residuals follow a pattern"
    return "residuals scatter without a pattern"
