"""Intervals of curved readings, such as a kinetic energy near rest: mapped through the formula, not
linearised.

Of all errors that move a reading by so many u at first order, the most likely ones are proportional
to Σ·w (the conditional mean of a normal distribution). Along that line the formula itself is
followed; the least and greatest reading within ± k are the ends. An interval of v that covers v
gives an interval of ½mv² that covers ½mv², so coverage is never less than stated.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.numerics.operators import Operator
from inertian.physics.definitions.requests import NamedReading, Quantity, ReadingKind
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.physics.readings.reading_monte_carlo import Draws, drawn_values
from inertian.physics.readings.reading_plan import reading_plan
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Array, ChannelId, Estimate
from inertian.quantities.facts import FactId
from inertian.quantities.propagation import SECOND_ORDER_LIMIT

NONLINEAR_SHARE = (Quantity.KINETIC, Quantity.SPEED, Quantity.ANGULAR_SPEED, Quantity.DERIVED)
STEPS = 60  # on either side
NODES, WEIGHTS = np.polynomial.hermite_e.hermegauss(15)


@dataclass(frozen=True, eq=False)
class LineThroughInputs(Draws):
    """Everything a trial hangs on, moved by `steps` u along the most likely errors, (count, 1)."""

    steps: Array = None  # type: ignore[assignment]
    errors: Mapping[ChannelId, Array] = None  # type: ignore[assignment]
    facts: Mapping[FactId, float] = None  # type: ignore[assignment]

    def off(self, operator: Operator, body: str, axis: str) -> Array:
        """Return how far off the estimates of an operator on a channel are, shape (count, m)."""
        moved = self.errors.get(self.context.trial.channel_id(body, axis))
        m = len(operator.factor)
        if moved is None:
            return np.zeros((self.count, m))
        return np.asarray(self.steps * np.nan_to_num(replace(operator, total=0.0).applied(moved)))

    def fact(self, key: FactId, u: float, bounded: bool) -> Array:
        """Return how far off a fact is, (count, 1)."""
        return self.steps * self.facts.get(key, 0.0)


def _most_likely(
    context: TrialContext, estimate: Estimate, u: float
) -> tuple[dict[ChannelId, Array], dict[FactId, float]]:
    """Errors of the samples of each channel, (n,), and of the facts, that move an estimate by one
    u.
    """
    noise, n = context.clock_noise, len(context.trial.t)
    weights = {}
    for channel, one in estimate.weights.items():
        weights[channel] = np.zeros(n)
        weights[channel][one.start : one.stop] = one.values
    stamps = np.zeros(n)
    for channel, w in weights.items():
        if noise.jitter > 0.0 and channel in noise.rate:
            stamps += noise.jitter * w * np.asarray(noise.rate[channel])
    errors = {
        channel: (
            noise.reading[channel][1].applied(w)
            + (stamps * np.asarray(noise.rate.get(channel, 0.0)))
        )
        / u
        for channel, w in weights.items()
    }
    us = context.us()
    return errors, {
        key: us[key] ** 2 * slope / u
        for key, slope in estimate.sensitivities.items()
        if isinstance(key, FactId) and key in us
    }


def _least(values: Array) -> float:
    """The least of values at even steps, with the vertex of the parabola through the three about
    it.
    """
    k = int(np.nanargmin(values))
    if not 0 < k < len(values) - 1:
        return float(values[k])
    before, here, after = values[k - 1 : k + 2]
    bend = before - 2.0 * here + after
    return float(here - (after - before) ** 2 / (8.0 * bend)) if bend > 0.0 else float(here)


def interval_if_nonlinear(context: TrialContext, named: NamedReading, first: Scalar) -> Scalar:
    """Return a reading with mapped intervals where first order does not do, else as it is.

    First order does while the second-order term along the most likely errors stays under a tenth of
    u.
    """
    skipped = named.kind in (ReadingKind.SPREAD, ReadingKind.RATIO, ReadingKind.AREA)
    if named.shown.quantity not in NONLINEAR_SHARE or skipped or not first.u > 0.0:
        return first
    plan = reading_plan(context, named)
    errors, facts = _most_likely(context, plan.estimate(), first.u)

    def moved(steps: Array) -> Array:
        along = LineThroughInputs(
            context, len(steps), np.random.default_rng(0), {}, steps[:, None], errors, facts
        )
        with np.errstate(all="ignore"):
            return plan.taken(drawn_values(along, plan.shown, named.body, plan.times, plan.rows))

    below, above = moved(np.array([-1.0, 1.0]))
    if not abs(0.5 * (below + above) - first.value) > SECOND_ORDER_LIMIT * first.u:
        return first
    ends = []
    for k in (first.k68, first.k95):
        values = moved(k * np.linspace(-1.0, 1.0, 2 * STEPS + 1))
        ends.append((_least(values), -_least(-values)))
    u = float(np.sqrt(WEIGHTS @ (moved(NODES) - first.value) ** 2 / WEIGHTS.sum()))
    return Scalar(first.value, u, first.dof, None, None, (ends[0], ends[1]))
