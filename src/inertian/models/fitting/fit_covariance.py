"""The covariance of all that a fit found: samples trial by trial, facts once."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from inertian.models.fitting.fitted_trial import FittedTrial, parts_of
from inertian.quantities.estimates import (
    Estimate,
    JointScalars,
    Pools,
    SharedPart,
    SourceCovariance,
    joint_scalars,
)


def joint_of(
    trials: Sequence[FittedTrial], estimates: Mapping[tuple[int, str], Estimate], pools: Pools
) -> JointScalars:
    """Return all seeds as correlated scalars: samples trial by trial, facts once."""
    if len(trials) == 1:
        return _of_one(trials[0], estimates, pools, parts_of(trials[0], list(estimates.values())))
    shared: dict[object, SharedPart] = {}
    for trial in trials:
        for part in parts_of(trial, list(estimates.values())):
            shared.setdefault((part.source, part.ids), part)
    whole = _of_one(trials[0], _of_trial(trials[0], estimates, True), pools, list(shared.values()))
    merged = {part.source: part.covariance for part in whole.parts}
    for trial in trials[1:]:
        for own in _of_one(trial, _of_trial(trial, estimates, False), pools, []).parts:
            merged[own.source] = merged.get(own.source, 0.0) + own.covariance
    parts = tuple(SourceCovariance(s, m) for s, m in merged.items())
    return replace(whole, parts=parts, origin=None)


def _of_trial(
    trial: FittedTrial, estimates: Mapping[tuple[int, str], Estimate], facts: bool
) -> dict[tuple[int, str], Estimate]:
    own = trial.made.context.trial.id
    return {
        key: Estimate(
            one.value,
            {c: w for c, w in one.weights.items() if c.trial == own},
            one.sensitivities if facts else {},
        )
        for key, one in estimates.items()
    }


def _of_one(
    trial: FittedTrial, estimates: Mapping[tuple[int, str], Estimate], pools: Pools,
    parts: list[SharedPart],
) -> JointScalars:  # fmt: skip
    noise = trial.made.context.clock_noise
    reading = dict(noise.reading)
    for one in trial.made.samples:
        rho = trial.alike[f"{one.body} {one.axis}"].rho
        if rho:
            source, own = reading[one.key]
            reading[one.key] = source, replace(own, alike=rho)
    return joint_scalars(estimates, replace(noise, reading=reading), parts, pools)


def widened(joint: JointScalars, factors: Mapping[tuple[int, str], float]) -> JointScalars:
    """Return the same with the u of some multiplied, and their correlations as they are."""
    if all(f <= 1.0 for f in factors.values()):
        return joint
    scale = np.array([factors.get(name, 1.0) for name in joint.names])
    parts = tuple(
        replace(part, covariance=part.covariance * np.outer(scale, scale)) for part in joint.parts
    )
    return replace(joint, parts=parts, origin=None)
