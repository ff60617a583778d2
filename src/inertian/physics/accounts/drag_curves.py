"""Motion that drag slows down, as one curve over a span: x − x₀ = v (1 − e^(−qτ))/q where the drag
grows with the speed, and ln(1 + q v τ)/q where it grows with its square (French, *Newtonian
Mechanics*, 1971, ch. 5).
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.curve_shapes import CurveShape, shape_definition
from inertian.motion.fits.curves import CurveError, CurveFit, fit_curve
from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.motion.spans.spans import Span
from inertian.physics.accounts.entries import LINEAR_FACT, QUADRATIC_FACT
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import QuantityValues, TrialContext
from inertian.quantities.estimates import Array, Estimate, SampleWeights

FEWEST = 8  # samples that tell a drag
NODES = 24  # places at which a curve is summed up
BESIDES = 2.0  # u of a steady deceleration, from which on drag is not all that slows a body down
STEP = 1e-6  # of a parameter, for the slope of the curve by it
# Which curves to fit, and whether q has the sign of the way that the body goes; else it is positive
DRAGS = {
    LINEAR_FACT: ("x_0 + v (1 - exp(-q t))/q", False),
    QUADRATIC_FACT: ("x_0 + ln(1 + q v t)/q", True),
}


@dataclass(frozen=True, eq=False)
class DragCurve:
    """A fitted curve of drag: whose coefficient it tells, of which axis and span, and the samples
    it was fitted to.
    """

    symbol: str
    axis: str
    span: Span
    fit: CurveFit
    samples: QuantityValues
    rows: Array
    way: float  # ±1, the way the body goes

    @property
    def _names(self) -> list[str]:
        formula = DRAGS[self.symbol][0]
        return [p.symbol for p in shape_definition(CurveShape.FORMULA, formula).parameters]

    def covers(self, start: float, stop: float) -> bool:
        """Return whether a stretch from start to stop in s lies in its span."""
        return self.span.start <= start and stop <= self.span.stop

    def rate(self) -> Estimate:
        """Return q as an estimate, in 1/s where drag is linear, in 1/m where it is quadratic."""
        sign = self.way if DRAGS[self.symbol][1] else 1.0
        place = self._names.index("q")
        c = self._spread(sign * self.fit.operator[place])
        return self.samples.estimate(c, sign * float(self.fit.values[place]))

    def at(self, context: TrialContext, body: str, time: float, order: int) -> Estimate:
        """Return position, velocity or acceleration at a time in s, in SI, without what a frame
        adds.
        """
        values = self.fit.values
        slopes = self._slopes(lambda changed: self._motion(changed, time, order))
        channel = context.trial.channel_id(body, self.axis)
        weights = SampleWeights(int(self.rows[0]), self._spread(slopes @ self.fit.operator))
        return Estimate(self._motion(values, time, order), {channel: weights})

    def summed(
        self, context: TrialContext, body: str, times: tuple[float, float], power: int, signed: bool
    ) -> Estimate:
        """Return ∫ |v|ⁿ dt between two times in s, in SI; `signed` with the sign of v (Gauss and
        Legendre's rule).
        """
        nodes, weights = np.polynomial.legendre.leggauss(NODES)
        half, middle = 0.5 * (times[1] - times[0]), 0.5 * (times[0] + times[1])

        def whole(values: Array) -> float:
            v = np.array([self._motion(values, middle + half * node, 1) for node in nodes])
            own = np.abs(v) ** power * (np.sign(v) if signed else 1.0)
            return float(half * weights @ own)

        slopes = self._slopes(whole)
        channel = context.trial.channel_id(body, self.axis)
        spread = SampleWeights(int(self.rows[0]), self._spread(slopes @ self.fit.operator))
        value, facts = whole(self.fit.values), dict[object, float]()
        for name, exponent in ((SCALE, power), (TIME_BASE, 1 - power)):
            if name in context.shared:
                key, fact = context.shared[name]
                facts[key] = exponent * value / fact.si
        return Estimate(value, {channel: spread}, facts)

    def _slopes(self, of: Callable[[Array], float]) -> Array:
        """The derivative of something by each parameter."""
        slopes = np.zeros(len(self.fit.values))
        for k, value in enumerate(self.fit.values):
            step = np.zeros(len(slopes))
            step[k] = STEP * (abs(value) or 1.0)
            slopes[k] = (of(self.fit.values + step) - of(self.fit.values - step)) / (2.0 * step[k])
        return slopes

    def _spread(self, own: Array) -> Array:
        """Weights of the samples that were used, over all rows."""
        c = np.zeros(len(self.rows))
        c[np.isfinite(self.samples.values)] = own
        return c

    def _motion(self, values: Array, time: float, order: int) -> float:
        own = dict(zip(self._names, values, strict=True))
        tau, v, q = time - self.fit.start, own["v"], own["q"]
        if self.symbol == LINEAR_FACT:
            fades = np.exp(-q * tau)
            moves = (own["x_0"] + v * (1.0 - fades) / q, v * fades, -q * v * fades)
        else:
            slows = 1.0 + q * v * tau
            moves = (own["x_0"] + np.log(slows) / q, v / slows, -q * (v / slows) ** 2)
        return float(moves[order])


def drag_curve(context: TrialContext, body: str, span: Span) -> DragCurve | None:
    """Return the curve of drag, linear or quadratic, that leaves less of a motion along one axis;
    None where neither fits.
    """
    axis = context.trial.body(body).axes[0]
    own = span.rows(context.trial.t)
    rows = np.arange(own.start, own.stop)
    shown = QuantityRef(Quantity.POSITION, axis)
    whole = quantity_values(context, shown, body, context.trial.t[rows], rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < FEWEST:
        return None
    way = 1.0 if whole.values[good[-1]] >= whole.values[good[0]] else -1.0
    found: list[DragCurve] = []
    for symbol, (formula, _along) in DRAGS.items():
        try:
            one = fit_curve(
                whole.times,
                whole.values,
                CurveShape.FORMULA,
                float(whole.times[0]),
                formula=formula,
            )
        except (CurveError, TooFewSamplesError):
            continue
        made = DragCurve(symbol, axis, span, one, whole, rows, way)
        if not one.curves and made.rate().value > 0.0 and not _slowed_besides(one):
            found.append(made)
    return min(found, key=lambda made: made.fit.scatter, default=None)


def _slowed_besides(one: CurveFit) -> bool:
    """Whether the residuals of a curve show a steady deceleration besides, such as friction: then
    its coefficient would be wrong by many u (score test: Rao, Proc. Camb. Phil. Soc. 44 (1948) 50).
    """
    design = np.vstack([one.slopes(one.t), (one.t - one.start) ** 2]).T
    scales = np.linalg.norm(design, axis=0)
    if not scales.all() or len(one.t) <= len(scales):
        return True
    gain = np.linalg.pinv(design / scales)
    found = gain @ one.residuals
    left = one.residuals - design / scales @ found
    scatter = float(left @ left) / (len(one.t) - len(scales))
    u = float(np.sqrt(scatter * (gain[-1] @ gain[-1])))
    return bool(abs(found[-1]) > BESIDES * u)
