"""One trial of a fit: what is predicted, what is left, and the facts its numbers hang on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.models.fitting.trial_model import Predicted, TrialModel
from inertian.motion.fits.correlated_residuals import Correlation
from inertian.quantities.estimates import Array, Estimate, SharedPart, fact_part, joint_scalars
from inertian.quantities.facts import Fact, FactId


@dataclass(frozen=True, eq=False)
class FittedTrial:
    """One trial of a fit: what is predicted, with slopes by all seeds, and what is left.

    `seeds` are names in the program: settings and starts that were fitted or adjusted, then starts
    that are held.
    """

    made: TrialModel
    values: Mapping[str, float]
    places: Array
    rates: Array
    seeds: tuple[str, ...]
    predicted: Predicted
    residuals: Array  # (n,), in m
    sigma: Array  # (n,), in m
    alike: Mapping[str, Correlation]  # by channel


def without_start(trial: FittedTrial) -> Array:
    """Return residuals less what a start that is held may be off by."""
    held = [k for k, seed in enumerate(trial.seeds) if seed in trial.made.start.held]
    if not held:
        return trial.residuals
    columns = trial.predicted.slopes[:, held]
    c = np.linalg.lstsq(columns, trial.residuals, rcond=None)[0]
    return np.asarray(trial.residuals - columns @ c)


def u_of(trial: FittedTrial, one: Estimate) -> float:
    """Return u of a start that is held: of its samples and facts."""
    context = trial.made.context
    parts = parts_of(trial, [one])
    return float(joint_scalars({"": one}, context.clock_noise, parts, context.pools()).u(""))


def parts_of(trial: FittedTrial, estimates: Sequence[Estimate]) -> list[SharedPart]:
    """Return the parts of covariance that come from facts, typed ones of the model with them."""
    context = trial.made.context
    parts = context.fact_parts(estimates)
    setup = context.facts()
    typed: dict[FactId, Fact] = {
        s.key: s.fact
        for s in trial.made.system.distinct
        if s.key is not None and s.fact is not None and s.key not in setup
    }
    typed |= trial.made.start.facts
    return [*parts, *(fact_part(key, fact) for key, fact in typed.items())]
