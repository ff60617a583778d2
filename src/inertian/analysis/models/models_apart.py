"""How far two models of a trial are apart, with data or without: where most, with its ±.

What both hang on, samples, facts and what was typed alike, is one error and not two (JCGM 100:2008,
F.1.2).
"""

from dataclasses import dataclass, replace

import numpy as np

from inertian.analysis.models.model_results import ModelResult
from inertian.analysis.models.shown_curves import model_curve
from inertian.models.fitting.fitted_trial import parts_of
from inertian.models.stepping.reference import run_reference
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.readings.readings import scalar_of
from inertian.physics.readings.scatter_over_noise import with_scatter
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Estimate, SharedPart, joint_scalars, weighted_sum

LOOKED_AT = 201  # moments
TOUCH = 1e-9  # m, up to which two curves are the same


@dataclass(frozen=True)
class Apart:
    """Where two models are farthest apart: a body along an axis at a moment in s, and by how much
    the second is ahead of the first, in m.
    """

    body: str
    axis: str
    t: float
    by: Scalar


def farthest_apart(one: ModelResult, other: ModelResult) -> Apart | None:
    """Return where two models of the same trial are farthest apart while both run; None where no
    body and axis is in both, or they are the same.
    """
    stretches = [result.trial.made.stretch for result in (one, other)]
    start, stop = max(s.start for s in stretches), min(s.stop for s in stretches)
    if not stop > start:
        return None
    t = np.linspace(start, stop, LOOKED_AT)
    motions = [
        run_reference(
            r.trial.made.system, t, r.trial.places, r.trial.rates, r.trial.values, r.trial.seeds,
            start=r.trial.made.stretch.start,
        )
        for r in (one, other)
    ]  # fmt: skip
    found: tuple[float, str, str, int, list[Estimate]] | None = None
    for body, axis in _seen(one):
        if (body, axis) not in _seen(other):
            continue
        shown = QuantityRef(Quantity.POSITION, axis)
        pairs = [model_curve(r, body, shown, m) for r, m in zip((one, other), motions, strict=True)]
        apart = pairs[1][0] - pairs[0][0]
        k = int(np.argmax(np.abs(apart)))
        if found is None or abs(apart[k]) > abs(found[0]):
            ends = [
                r.fit.estimate(r.place, float(values[k]), slopes[:, k])
                for r, (values, slopes) in zip((one, other), pairs, strict=True)
            ]
            found = float(apart[k]), body, axis, k, ends
    if found is None or abs(found[0]) <= TOUCH:
        return None
    by, body, axis, k, ends = found
    return Apart(body, axis, float(t[k]), _scalar(one, other, by, ends))


def _seen(result: ModelResult) -> list[tuple[str, str]]:
    system, trial = result.trial.made.system, result.trial.made.context.trial
    moved = [(body.name, axis) for body in system.bodies for axis in trial.body(body.name).axes]
    return [*moved, *((one.body, one.axis) for one in system.followers)]


def _scalar(one: ModelResult, other: ModelResult, by: float, ends: list[Estimate]) -> Scalar:
    difference = replace(weighted_sum([(1.0, ends[1]), (-1.0, ends[0])]), value=by)
    shared: dict[object, SharedPart] = {}
    for result in (one, other):
        for part in parts_of(result.trial, [difference]):
            shared.setdefault((part.source, part.ids), part)
    context = one.trial.made.context
    joint = joint_scalars(
        {"apart": difference}, context.clock_noise, list(shared.values()), context.pools()
    )
    wider = max(one.fit.wider, other.fit.wider)
    if wider > 1.0:
        joint = with_scatter(joint, wider, float(min(one.fit.dof, other.fit.dof)))
    return scalar_of(joint, "apart")
