"""The slope of places over a span, of the samples and of a model: with how far apart they are."""

from dataclasses import dataclass

import numpy as np

from inertian.models.fitting.fit import ModelFit
from inertian.models.fitting.fitted_trial import parts_of
from inertian.physics.readings.readings import scalar_of
from inertian.physics.readings.scatter_over_noise import with_scatter
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import joint_scalars, weighted_sum

LEAST = 3  # samples of a span


@dataclass(frozen=True)
class ComparedSlope:
    """Of one channel over a span, in m/s: the slope of a straight line through the samples, through
    what the model gives at the same moments, and their difference, which knows that the model was
    fitted to the samples.
    """

    body: str
    axis: str
    data: Scalar
    model: Scalar
    difference: Scalar

    @property
    def apart(self) -> float:
        """The difference in u of itself; 0 where it has none."""
        return self.difference.value / self.difference.u if self.difference.u > 0.0 else 0.0


def compared_slopes(fit: ModelFit, place: int, start: float, stop: float) -> list[ComparedSlope]:
    """Compare slopes from one moment to another, in s, in all channels of a trial of a fit. Raises
    Refusal where there are too few samples.
    """
    trial, found, row = fit.trials[place], [], 0
    for one in trial.made.samples:
        rows = slice(row, row + len(one.x))
        row += len(one.x)
        inside = np.flatnonzero((one.t >= start) & (one.t <= stop))
        if len(inside) < LEAST:
            continue
        tau = one.t[inside] - one.t[inside].mean()
        weights = np.zeros(len(one.x))
        weights[inside] = tau / (tau @ tau)
        data = one.estimate(weights, float(weights @ one.x))
        predicted = trial.predicted
        slopes = weights @ predicted.slopes[rows] if trial.seeds else np.zeros(0)
        model = fit.estimate(place, float(weights @ predicted.values[rows]), slopes)
        named = {
            "data": data,
            "model": model,
            "difference": weighted_sum([(1.0, model), (-1.0, data)]),
        }
        context = trial.made.context
        joint = joint_scalars(
            named, context.clock_noise, parts_of(trial, list(named.values())), context.pools()
        )
        joint = with_scatter(joint, fit.wider, float(fit.dof)) if fit.wider > 1.0 else joint
        found.append(ComparedSlope(one.body, one.axis, *(scalar_of(joint, n) for n in named)))
    if not found:
        raise Refusal("There are too few samples in this span where the model runs.")
    return found
