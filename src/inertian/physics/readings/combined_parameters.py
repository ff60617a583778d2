"""One parameter of a curve over several trials: its common value, and whether the trials agree.

Fitting all trials at once with that parameter in common gives, at first order, the mean of the
values found alone, weighted by what each trial errs by itself (Frisch & Waugh, Econometrica 1
(1933) 387-401). What all share, such as a scale, errs alike in all of them and does not average out
(JCGM 100:2008, F.1.2.3).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.noise.stated_noise import contradicted
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.physics.readings.readings import CurveResult, correlated_scalars
from inertian.quantities.coverage import Scalar
from inertian.quantities.facts import FactId


@dataclass(frozen=True)
class CombinedParameter:
    """The common value of a parameter, and χ² of the trials about it with its degrees of freedom.

    If they differ by clearly more than their own errors, u is widened to their scatter and `agree`
    is false.
    """

    value: Scalar
    chi_squared: float
    dof: int
    agree: bool


@dataclass(frozen=True, eq=False)
class _Alone:
    """A parameter of one trial: value, variance of what only this trial errs by, u by shared fact,
    and ν.
    """

    value: float
    own: float
    shared: dict[FactId, float]
    dof: float


def combine_parameters(
    found: Sequence[tuple[TrialContext, CurveResult]], symbol: str
) -> CombinedParameter | None:
    """Return the common value of a parameter that was fitted in several trials; None for fewer than
    two.
    """
    alone = [
        _alone(context, result, symbol)
        for context, result in found
        if symbol not in dict(result.request.held)
    ]
    if len(alone) < 2:
        return None
    values, own = np.array([a.value for a in alone]), np.array([a.own for a in alone])
    weights = 1.0 / own if np.all(own > 0.0) else np.ones(len(own))
    weights = weights / weights.sum()
    mean = float(weights @ values)
    chi = float(np.sum((values - mean) ** 2 / np.maximum(own, np.finfo(float).tiny)))
    freedom = len(alone) - 1
    agree = not contradicted(chi / freedom, freedom)
    variance = float(weights**2 @ own) * (1.0 if agree else chi / freedom)
    for key in {key for a in alone for key in a.shared}:
        variance += float(weights @ [a.shared.get(key, 0.0) for a in alone]) ** 2
    dof = min(a.dof for a in alone) if agree else float(freedom)
    return CombinedParameter(Scalar(mean, float(np.sqrt(variance)), dof), chi, freedom, agree)


def _alone(context: TrialContext, result: CurveResult, symbol: str) -> _Alone:
    scalar, estimate = dict(result.parameters)[symbol], result.estimates[symbol]
    us = {
        key: fact.u for key, fact in context.facts().items() if not key.scope.startswith("trial ")
    }
    shared = {key: estimate.sensitivities.get(key, 0.0) * u for key, u in us.items()}
    shared = {key: part for key, part in shared.items() if part != 0.0}
    total = correlated_scalars(context, {"": estimate}).u("") ** 2
    own = max(total - sum(part**2 for part in shared.values()), 0.0) * result.wider**2
    return _Alone(scalar.value, own, shared, scalar.dof)
