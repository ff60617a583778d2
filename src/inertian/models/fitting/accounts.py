"""The accounts of a model: its own, where what is unaccounted for is the error of stepping, and
that of the data with the forces of the model as entries.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.models.definitions.force_kinds import CORD, force_kind
from inertian.models.definitions.model import Rule
from inertian.models.fitting.fit import ModelFit
from inertian.models.fitting.fitted_trial import FittedTrial, parts_of
from inertian.models.stepping.along_path import along_path
from inertian.models.stepping.force_lines import write_forces
from inertian.models.stepping.program import (
    SteppedMotion,
    compiled,
    laws_text,
    namespace_of,
    run_program,
)
from inertian.models.stepping.reference import ReferenceMotion, run_reference
from inertian.models.stepping.written_forces import Entry
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.readings.readings import scalar_of
from inertian.physics.readings.scatter_over_noise import with_scatter
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, Estimate, joint_scalars, weighted_sum

ENERGY = "energy"
AXIS_OF_LAW = {"momentum along x": "x", "momentum along y": "y", "angular momentum": "angle"}
MOST_HALVED, ROUNDING = 20_000, 1e-11  # steps; of the places, below which there is rounding alone
OF_MODEL, OF_DATA = "model", "data"


@dataclass(frozen=True, eq=False)
class ModelLedger:
    """One account: of the model or of the data, from the start to the end of the stretch; entries
    are the forces of the model by name. In J, or kg·m/s.
    """

    law: str
    of: str
    unit: str
    start: float
    stop: float
    opening: Scalar
    closing: Scalar
    entries: tuple[tuple[str, Scalar], ...]
    unaccounted: Scalar
    change: Scalar


@dataclass(frozen=True, eq=False)
class Stepping:
    """A model stepped by its rule: its motion, how far it is from the reference at most in m (or
    rad), and the energy that it gains without any force, in J: at all moments, (n,).
    """

    motion: SteppedMotion
    reference: ReferenceMotion
    position: float
    drift: Array
    apart: Array  # largest distance of any coordinate at each moment, (n,)
    halved: float | None = None  # how many times closer the rule is with half the step

    @property
    def follows(self) -> bool:
        """Whether the rule can be carried on to the end."""
        return bool(np.isfinite(self.position) and np.isfinite(self.drift).all())

    @property
    def energy(self) -> float:
        """The energy gained in the end, in J."""
        return float(self.drift[-1])


def step_moments(trial: FittedTrial, step: float | None) -> Array:
    """Return the moments of a rule: from sample to sample, or with a typed step, in s."""
    made = trial.made
    if step is None:
        t = made.context.trial.t
        inside = t[(t > made.stretch.start) & (t <= made.stretch.stop)]
        return _evened(np.concatenate([[made.stretch.start], inside]))
    many = max(int(np.ceil((made.stretch.stop - made.stretch.start) / step - 1e-9)), 1)
    return np.asarray(made.stretch.start + step * np.arange(many + 1))


def _evened(t: Array) -> Array:
    """Moments that are even but for their last digits, as a loop has them."""
    if len(t) < 3:
        return t
    step = (t[-1] - t[0]) / (len(t) - 1)
    even = t[0] + step * np.arange(len(t))
    return even if np.max(np.abs(even - t)) < 1e-6 * step else t


def stepped(trial: FittedTrial, rule: Rule, step: float | None) -> Stepping:
    """Step a fitted model by a rule. Raises ModelRunError."""
    with np.errstate(all="ignore"):  # a rule may run away where the reference does not
        made = _stepped(trial, rule, step)
    if made.follows:
        return made
    apart, drift = (np.where(np.isfinite(a), a, np.nan) for a in (made.apart, made.drift))
    return replace(made, apart=apart, drift=drift, position=float("inf"), halved=None)


def _stepped(trial: FittedTrial, rule: Rule, step: float | None) -> Stepping:
    made, t = trial.made, step_moments(trial, step)
    reference = run_reference(made.system, t, trial.places, trial.rates, trial.values)
    if rule is Rule.REFERENCE:
        motion = SteppedMotion(t, reference.places, reference.rates)
        whole = run_reference(
            made.system, t, trial.places, trial.rates, trial.values, with_forces=True
        )
        drift = _kinetic(trial, whole.rates) - whole.work.sum(axis=0)
        return Stepping(motion, reference, 0.0, drift - drift[0], np.zeros(len(t)))
    motion = run_program(made.system, rule, t, trial.places, trial.rates, trial.values)
    apart = np.max(np.abs(motion.places - reference.places), axis=0)
    works = sum(_works(trial, motion).values(), np.zeros(len(t)))
    drift = _kinetic(trial, motion.rates) - works
    off = float(np.max(apart))
    halved = _halved(trial, rule, t, reference, off) if len(t) <= MOST_HALVED else None
    return Stepping(motion, reference, off, drift - drift[0], apart, halved)


def _halved(
    trial: FittedTrial, rule: Rule, t: Array, reference: ReferenceMotion, off: float
) -> float | None:
    """How many times closer to the reference a rule comes with half the step; None where rounding
    is all there is.
    """
    fine = np.empty(2 * len(t) - 1)
    fine[::2], fine[1::2] = t, 0.5 * (t[1:] + t[:-1])
    motion = run_program(trial.made.system, rule, fine, trial.places, trial.rates, trial.values)
    closer = float(np.max(np.abs(motion.places[:, ::2] - reference.places)))
    size = float(np.max(np.abs(reference.places)))
    return off / closer if min(off, closer) > ROUNDING * size else None


def _inertias(trial: FittedTrial) -> dict[str, float]:
    """All that is moved along each coordinate, by its name: masses, and what hangs on them."""
    system = trial.made.system
    written = write_forces(system, numbered=False)
    known = {**{s.code: s.value for s in system.distinct}, **trial.values}
    space = namespace_of(system, known)
    exec(compiled(laws_text(written)), space)
    exec(compiled("\n".join(written.before)), space)
    return {c.place: float(space[written.moved(c)]) for c in system.coordinates}


def _kinetic(trial: FittedTrial, rates: Array) -> Array:
    inertia = _inertias(trial)
    return np.asarray(
        sum(
            0.5 * inertia[c.place] * v**2
            for c, v in zip(trial.made.system.coordinates, rates, strict=True)
        )
    )


def _works(trial: FittedTrial, motion: SteppedMotion) -> dict[str, Array]:
    """The work of each force along the steps of a rule, from the start on, by name, (n,): by
    Simpson's rule, with cubics through the places and rates of two steps (Hermite).
    """
    system, t = trial.made.system, motion.t
    h = np.diff(t)
    x, v = motion.places, motion.rates
    middle_x = 0.5 * (x[:, 1:] + x[:, :-1]) + h / 8.0 * (v[:, :-1] - v[:, 1:])
    middle_v = 1.5 * np.diff(x, axis=1) / h - 0.25 * (v[:, 1:] + v[:, :-1])
    moments, rows = np.empty(2 * len(t) - 1), []
    moments[::2], moments[1::2] = t, t[:-1] + 0.5 * h
    for ends, middles in ((x, middle_x), (v, middle_v)):
        both = np.empty((len(ends), len(moments)))
        both[:, ::2], both[:, 1::2] = ends, middles
        rows.append(both)
    entries, forces, _ = along_path(
        system, moments, rows[0], rows[1], trial.values, trial.made.stretch.start
    )
    number = {c.place: k for k, c in enumerate(system.coordinates)}
    found: dict[str, Array] = {}
    for entry, force in zip(entries, forces, strict=True):
        power = force * rows[1][number[entry.coordinate.place]]
        parts = h / 6.0 * (power[:-2:2] + 4.0 * power[1::2] + power[2::2])
        name = entry_name(trial, entry)
        found[name] = found.get(name, np.zeros(len(t))) + np.append(0.0, np.cumsum(parts))
    return found


def entry_name(trial: FittedTrial, entry: Entry) -> str:
    """Return how a force is called in an account."""
    force = trial.made.system.forces[entry.force]
    if force.formula:
        return force.formula
    alike = [f for f in trial.made.system.forces if f.kind == force.kind]
    name = force_kind(force.kind).name
    return f"{name} on {', '.join(force.bodies)}" if len(alike) > 1 and force.bodies else name


def model_ledgers(
    fit: ModelFit, place: int = 0, stepping: Stepping | None = None
) -> list[ModelLedger]:
    """Return the accounts of a fitted model in one trial: its own, and that of the data."""
    trial = fit.trials[place]
    made = trial.made
    t = np.array([made.stretch.start, _last(trial)])
    seeds = trial.seeds
    motion = run_reference(
        made.system, t, trial.places, trial.rates, trial.values, seeds, with_forces=True,
        start=made.stretch.start,
    )  # fmt: skip
    found = []
    axes = {c.axis for c in made.system.coordinates}
    for law in [ENERGY, *(law for law, axis in AXIS_OF_LAW.items() if axis in axes)]:
        found += _of_law(fit, place, motion, law, stepping)
    return found


def _of_law(
    fit: ModelFit, place: int, motion: ReferenceMotion, law: str, stepping: Stepping | None
) -> list[ModelLedger]:
    trial = fit.trials[place]
    entries = _entries(fit, place, motion, law)
    ends = [_amount_of_model(fit, place, motion, law, end) for end in (0, 1)]
    off = 0.0
    if stepping is not None and not stepping.follows:
        stepping, off = None, float("nan")
    if stepping is not None and law == ENERGY:
        off = stepping.energy
        ends[1] = replace(ends[1], value=float(_kinetic(trial, stepping.motion.rates[:, -1:])[0]))
        works = _works(trial, stepping.motion)
        entries = {n: replace(e, value=float(works[n][-1])) for n, e in entries.items()}
    elif stepping is not None:
        axis = AXIS_OF_LAW[law]
        inertia = _inertias(trial)
        rates = stepping.motion.rates[:, -1]
        closing = sum(
            inertia[c.place] * v
            for c, v in zip(trial.made.system.coordinates, rates, strict=True)
            if c.axis == axis
        )
        off = float(closing) - ends[1].value
        ends[1] = replace(ends[1], value=float(closing))
    made = [_ledger(fit, place, law, OF_MODEL, ends, entries, off)]
    data = _amounts_of_data(fit, place, law)
    if data is not None:
        entries = _entries(fit, place, motion, law)
        made.append(_ledger(fit, place, law, OF_DATA, data, entries, None))
    return made


def _ledger(
    fit: ModelFit, place: int, law: str, of: str, ends: Sequence[Estimate],
    entries: Mapping[str, Estimate], off: float | None,
) -> ModelLedger:  # fmt: skip
    left = weighted_sum([(1.0, ends[1]), (-1.0, ends[0]), *((-1.0, e) for e in entries.values())])
    change = weighted_sum([(1.0, ends[1]), (-1.0, ends[0])])
    named = {"opening": ends[0], "closing": ends[1], "left": left, "change": change}
    named |= {f"entry {name}": one for name, one in entries.items()}
    scalars = _scalars(fit, place, named)
    if off is not None:  # its own account closes but for the error of stepping
        scalars["left"] = Scalar(off, 0.0, float("inf"))
    start, stop = fit.trials[place].made.stretch.start, _last(fit.trials[place])
    turning = any(c.axis == "angle" for c in fit.trials[place].made.system.coordinates)
    unit = "J" if law == ENERGY else ("kg·m²/s" if turning else "kg·m/s")
    return ModelLedger(
        law, of, unit, start, stop, scalars["opening"], scalars["closing"],
        tuple((name, scalars[f"entry {name}"]) for name in entries), scalars["left"],
        scalars["change"],
    )  # fmt: skip


def _scalars(fit: ModelFit, place: int, named: Mapping[str, Estimate]) -> dict[str, Scalar]:
    """Estimates of one trial as scalars, with the noise that the fit uses."""
    context = fit.trials[place].made.context
    parts = parts_of(fit.trials[place], list(named.values()))
    joint = joint_scalars(dict(named), context.clock_noise, parts, context.pools())
    joint = with_scatter(joint, fit.wider, float(fit.dof)) if fit.wider > 1.0 else joint
    return {name: scalar_of(joint, name) for name in named}


def _last(trial: FittedTrial) -> float:
    """The last sample that the model is held against: accounts go as far as there are samples."""
    return float(trial.made.moments[-1])


def _entries(fit: ModelFit, place: int, motion: ReferenceMotion, law: str) -> dict[str, Estimate]:
    trial = fit.trials[place]
    found: dict[str, Estimate] = {}
    for k, entry in enumerate(motion.entries):
        energy = law == ENERGY
        if not energy and entry.coordinate.axis != AXIS_OF_LAW[law]:
            continue
        rows, slopes = (
            (motion.work, motion.work_slopes) if energy else (motion.impulse, motion.impulse_slopes)
        )
        own = slopes[:, k, -1] if len(trial.seeds) else np.zeros(0)
        one = fit.estimate(place, float(rows[k, -1]), own)
        name = entry_name(trial, entry)
        found[name] = weighted_sum([(1.0, found[name]), (1.0, one)]) if name in found else one
    return found


def _amount_of_model(
    fit: ModelFit, place: int, motion: ReferenceMotion, law: str, end: int
) -> Estimate:
    """Energy, or momentum, of the model at its start or its end."""
    trial, total, slopes = fit.trials[place], 0.0, np.zeros(len(fit.trials[place].seeds))
    inertia = _inertias(trial)
    known = {s.code: s for s in trial.made.system.distinct}
    hangs = {f.kind for f in trial.made.system.forces}
    for k, c in enumerate(trial.made.system.coordinates):
        v, m = float(motion.rates[k, end]), inertia[c.place]
        dv = motion.rate_slopes[:, k, end] if len(trial.seeds) else slopes
        energy = law == ENERGY
        if not energy and c.axis != AXIS_OF_LAW[law]:
            continue
        total += 0.5 * m * v * v if energy else m * v
        slopes = slopes + (m * v if energy else m) * dv
        by_mass = 0.5 * v * v if energy else v
        for place_of, seed in enumerate(trial.seeds):
            if seed == c.inertia or (CORD in hangs and known.get(seed) is not None
                                     and known[seed].symbol == "m_h"):  # fmt: skip
                slopes[place_of] += by_mass
    return fit.estimate(place, total, slopes)


def _amounts_of_data(fit: ModelFit, place: int, law: str) -> list[Estimate] | None:
    """Energy, or momentum, at the start and the end as the samples alone tell; None where a mass is
    not known, or the ends are not seen.
    """
    trial = fit.trials[place]
    system = trial.made.system
    inertia, sums = _inertias(trial), []
    known = {s.code: s for s in system.distinct}
    for at in (trial.made.stretch.start, _last(trial)):
        terms: list[tuple[float, Estimate]] = []
        value = 0.0
        for c in system.coordinates:
            if law != ENERGY and c.axis != AXIS_OF_LAW[law]:
                continue
            speed = _rate_of_data(trial, c.body, c.axis, at)
            if speed is None:
                return None
            m, v = inertia[c.place], speed.value
            value += 0.5 * m * v * v if law == ENERGY else m * v
            terms.append((m * v if law == ENERGY else m, speed))
            mass = known.get(c.inertia)
            if mass is not None and mass.key is not None:
                part = 0.5 * v * v if law == ENERGY else v
                terms.append((part, Estimate(0.0, {}, {mass.key: 1.0})))
            elif mass is not None and not mass.known:
                return None
        sums.append(replace(weighted_sum(terms), value=value))
    return sums


def _rate_of_data(trial: FittedTrial, body: str, axis: str, at: float) -> Estimate | None:
    context = trial.made.context
    shown = (
        QuantityRef(Quantity.ANGULAR_SPEED)
        if axis == "angle"
        else QuantityRef(Quantity.VELOCITY, axis)
    )
    if axis == "angle" and len(context.trial.body(body).axes) < 2:
        return None
    try:
        one = quantity_values(context, shown, body, np.array([at])).estimate(np.array([1.0]))
    except InertianError:
        return None
    return one if np.isfinite(one.value) else None
