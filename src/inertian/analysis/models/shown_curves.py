"""What strips show of a model: data, prediction with its band, and what is left, at the samples."""

from dataclasses import dataclass

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.models.model_results import ModelResult
from inertian.models.definitions.model import Rule
from inertian.models.fitting.accounts import step_moments
from inertian.models.stepping.program import SteppedMotion, run_program
from inertian.models.stepping.reference import ReferenceMotion, run_reference
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.project import Project
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array

MOST_MOMENTS = 1200  # of a curve


@dataclass(frozen=True, eq=False)
class ShownCurve:
    """One body in a strip, in SI: samples or local fits at times, (n,), with their u where they
    have one, and the model's curve with its band, (m,).
    """

    body: str
    t: Array
    data: Array
    moments: Array
    curve: Array
    u: Array


def quantities_of(result: ModelResult) -> list[QuantityRef]:
    """Return what strips may show of a model: places, velocities, angles."""
    found: list[QuantityRef] = []
    for body in result.trial.made.system.bodies:
        axes = result.trial.made.context.trial.body(body.name).axes
        found += [QuantityRef(Quantity.POSITION, axis) for axis in axes]
        if not body.turning:
            found += [QuantityRef(Quantity.VELOCITY, axis) for axis in axes]
        elif len(axes) > 1 and not body.hanging:
            found += [QuantityRef(Quantity.ANGULAR_SPEED)]
    return list(dict.fromkeys(found))


def shown_curves(
    evaluator: Evaluator, project: Project, result: ModelResult, shown: QuantityRef
) -> list[ShownCurve]:
    """Return samples and curves of all bodies in a strip."""
    made = result.trial.made
    moments = np.linspace(made.stretch.start, made.stretch.stop, MOST_MOMENTS)
    motion = run_reference(
        made.system, moments, result.trial.places, result.trial.rates, result.trial.values,
        result.trial.seeds,
    )  # fmt: skip
    found = []
    for body in made.system.bodies:
        if shown.axis and shown.axis not in made.context.trial.body(body.name).axes:
            continue
        if (shown.quantity is Quantity.ANGULAR_SPEED) != body.turning and (
            shown.quantity is not Quantity.POSITION
        ):
            continue
        curve, slopes = model_curve(result, body.name, shown, motion)
        data = _data(evaluator, project, result, body.name, shown)
        u = result.fit.carried(result.place, curve, slopes) if len(slopes) else np.zeros_like(curve)
        t = made.context.trial.t
        found.append(ShownCurve(body.name, t, data, moments, curve, u))
    for one in made.system.followers:
        if shown.quantity is Quantity.POSITION and shown.axis == one.axis:
            curve, slopes = model_curve(result, one.body, shown, motion)
            u = result.fit.carried(result.place, curve, slopes)
            data = _data(evaluator, project, result, one.body, shown)
            found.append(ShownCurve(one.body, made.context.trial.t, data, moments, curve, u))
    return found


def _data(
    evaluator: Evaluator, project: Project, result: ModelResult, body: str, shown: QuantityRef
) -> Array:
    context = result.trial.made.context
    if shown.quantity is Quantity.POSITION:
        return context.trial.body(body).channel(shown.axis).si
    found = evaluator.band(project, result.entry, shown, body)
    return np.full(len(context.trial.t), np.nan) if isinstance(found, InertianError) else found[0]


def model_curve(
    result: ModelResult, body: str, shown: QuantityRef, motion: ReferenceMotion
) -> tuple[Array, Array]:
    """Return a quantity of a body of a model at all moments of a motion, (m,), and its slopes by
    the seeds, (seeds, m).
    """
    made, trial = result.trial.made, result.trial
    if shown.quantity is Quantity.POSITION:
        values, slopes = made.seen_at(
            body, shown.axis, motion, slice(None), trial.values, trial.seeds
        )
        return values, slopes.T
    cs = [c.place for c in made.system.coordinates]
    moving = next(b for b in made.system.bodies if b.name == body)
    c = moving.coordinates[0] if moving.turning else moving.along(shown.axis)
    assert c is not None
    k = cs.index(c.place)
    return motion.rates[k], motion.rate_slopes[:, k]


def tried_motion(result: ModelResult, values: dict[str, float]) -> SteppedMotion:
    """Return the motion of a model with other values of its settings and of its start, by their
    names in the program, by its own rule: fast enough to follow a slider.
    """
    trial, made, model = result.trial, result.trial.made, result.model
    cs = made.system.coordinates
    places = np.array(
        [values.get(c.place, x) for c, x in zip(cs, trial.places, strict=True)], dtype=float
    )
    rates = np.array(
        [values.get(c.rate, v) for c, v in zip(cs, trial.rates, strict=True)], dtype=float
    )
    settings = {**trial.values, **values}
    t = step_moments(trial, model.step)
    rule = Rule.RK4 if model.rule is Rule.REFERENCE else model.rule
    return run_program(made.system, rule, t, places, rates, settings)


def seen_of_motion(
    result: ModelResult, motion: SteppedMotion, body: str, shown: QuantityRef,
    values: dict[str, float],
) -> Array:  # fmt: skip
    """Return a quantity of a body along a stepped motion, (n,), in SI."""
    made = result.trial.made
    empty = np.zeros((0, len(made.system.coordinates), len(motion.t)))
    whole = ReferenceMotion(
        motion.t, motion.places, motion.rates, empty, empty, (), empty, empty, empty, empty, ()
    )
    if shown.quantity is Quantity.POSITION:
        settings = {**result.trial.values, **values}
        return made.seen_at(body, shown.axis, whole, slice(None), settings, ())[0]
    return model_curve(result, body, shown, whole)[0]


def tried_misfit(result: ModelResult, motion: SteppedMotion, values: dict[str, float]) -> float:
    """Return χ² of a tried motion: its places at the samples, straight between its steps."""
    total, made = 0.0, result.trial.made
    for one in made.samples:
        shown = QuantityRef(Quantity.POSITION, one.axis)
        curve = seen_of_motion(result, motion, one.body, shown, values)
        left = (one.x - np.interp(one.t, motion.t, curve)) / one.sigma
        total += float(left @ left)
    return total
