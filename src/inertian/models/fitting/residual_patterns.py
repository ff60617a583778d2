"""What the residuals of a model say: nothing, or how they grow, and what kind of force would take
that away.

Each kind of misfit has its own pattern: the slope of what is predicted by a force that is not in
the model, by a kick at a moment, or slow waves. What fitted parameters could take up is taken out,
and the residuals are projected on the rest (score test: Rao, Proc. Camb. Phil. Soc. 44 (1948)
50-57). The largest of all is judged by how large it becomes with noise alone, drawn with the
covariance that the patterns have in common (Westfall & Young, *Resampling-Based Multiple Testing*,
1993, 2.3).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.models.definitions.force_kinds import (
    DRY_TORQUE,
    FRICTION,
    LINEAR,
    PUSH,
    QUADRATIC,
    SPRING,
    TORSION,
    VISCOUS_TORQUE,
)
from inertian.models.definitions.model import Force, Parameter
from inertian.models.definitions.system import Coordinate, MovingBody
from inertian.models.fitting.fitted_trial import FittedTrial
from inertian.models.fitting.settings import system_of
from inertian.models.fitting.trial_model import Predicted, TrialModel
from inertian.models.stepping.reference import ModelRunError
from inertian.physics.definitions.fact_names import mass_key
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

NONE, SPEED, TIME, PLACE, WAVES = (
    "no pattern", "grows with speed", "grows with time", "follows the position", "a slow pattern",
)  # fmt: skip
NO_SAMPLES = "nothing to compare with"
SUDDEN = "sudden at {at:.2f} s"
BY_CHANCE = 0.03  # how often noise alone may be called a pattern
DRAWS, SEED = 4_000, 20261129
KICKS, SLOW = 24, 6
HARDLY_NEW = 1e-6  # share of a pattern that parameters leave, below which it is rounding
MOST_BODIES = 3
MUCH, MOST_TRIED = 0.6, 4  # share of the largest from which a force is tried, and how many
# How much less of χ² a force may take away than a kick or a wave, a simple force than another, a
# kick than a wave, and still be named: e² to e³ times less likely
FORCE_FIRST, SIMPLE_FIRST, SUDDEN_FIRST = 5.0, 4.0, 4.0
_SAYS = {
    FRICTION: TIME, PUSH: TIME, DRY_TORQUE: TIME, LINEAR: SPEED, QUADRATIC: SPEED,
    VISCOUS_TORQUE: SPEED, SPRING: PLACE, TORSION: PLACE,
}  # fmt: skip
SIMPLICITY = (FRICTION, DRY_TORQUE, PUSH, LINEAR, VISCOUS_TORQUE, QUADRATIC, SPRING, TORSION)
_COEFFICIENT = {
    FRICTION: "μ", LINEAR: "b", QUADRATIC: "c", PUSH: "F", SPRING: "k", DRY_TORQUE: "M_d",
    VISCOUS_TORQUE: "β", TORSION: "κ",
}  # fmt: skip


@dataclass(frozen=True)
class ResidualPattern:
    """What residuals say in words, how clearly as a normal deviate, how often noise alone would say
    as much, and which force would take it away ("" where none is known).
    """

    pattern: str
    statistic: float
    p: float
    force: str = ""
    body: str = ""
    at: float | None = None
    adds: Force | None = None  # the force, ready to be fitted
    # What other forces would say that take much of it away, the best first
    nearly: tuple["ResidualPattern", ...] = ()

    @property
    def as_well(self) -> tuple[str, ...]:
        """Other forces that would take it away as well, as far as these samples tell."""
        own = [one for one in self.nearly if (one.force, one.body) == (self.force, self.body)]
        if not own:
            return ()
        least = max(one.statistic for one in self.nearly) ** 2 - SIMPLE_FIRST
        near = [one.force for one in self.nearly if one.statistic**2 >= least]
        return tuple(dict.fromkeys(f for f in near if f != self.force))

    @property
    def structured(self) -> bool:
        """Whether there is a pattern."""
        return self.pattern not in (NONE, NO_SAMPLES)


@dataclass(frozen=True)
class _Candidate:
    says: str
    force: str = ""
    body: str = ""
    at: float | None = None
    opposes: bool = False  # whether only a positive coefficient is physics
    adds: Force | None = None


def residual_pattern(trial: FittedTrial) -> ResidualPattern:
    """Return what the residuals of one trial say."""
    if not trial.made.samples:
        return ResidualPattern(NO_SAMPLES, 0.0, 1.0)
    try:
        columns, candidates = _columns(trial)
    except ModelRunError:
        return ResidualPattern(NONE, 0.0, 1.0)
    inverse = 1.0 / trial.sigma
    taken, off = _taken(trial, inverse)
    weighted = np.vstack([columns * inverse[:, None], np.zeros((len(off), columns.shape[1]))])
    before = np.linalg.norm(weighted, axis=0)
    if taken.shape[1]:
        q, r = np.linalg.qr(taken / np.maximum(np.linalg.norm(taken, axis=0), 1e-300))
        q = q[:, np.abs(np.diag(r)) > 1e-9]
        weighted = weighted - q @ (q.T @ weighted)
        weighted = weighted - q @ (q.T @ weighted)
    size = np.linalg.norm(weighted, axis=0)
    useful = np.flatnonzero((size > HARDLY_NEW * before) & (before > 0.0) & np.isfinite(size))
    if not len(useful):
        return ResidualPattern(NONE, 0.0, 1.0)
    patterns = weighted[:, useful] / size[useful]
    covariance = _covariance(trial, patterns)
    spread = np.sqrt(np.maximum(np.diag(covariance), 1e-12))
    z = (patterns.T @ np.append(trial.residuals * inverse, off)) / spread
    largest = float(np.max(np.abs(z)))
    p = _by_chance(largest, covariance / np.outer(spread, spread), _freedom(trial))
    if p > BY_CHANCE:
        return ResidualPattern(NONE, largest, p)
    best = _best(z, [candidates[k] for k in useful])
    one = candidates[useful[best]]
    says = SUDDEN.format(at=one.at) if one.at is not None else one.says
    nearly = _nearly(z, [candidates[k] for k in useful], p)
    return ResidualPattern(says, largest, p, one.force, one.body, one.at, one.adds, nearly)


def _nearly(z: Array, candidates: Sequence[_Candidate], p: float) -> tuple[ResidualPattern, ...]:
    largest = float(np.max(np.abs(z)))
    order = [k for k in np.argsort(-np.abs(z)) if candidates[k].force]
    usable = [
        k
        for k in order
        if abs(z[k]) > MUCH * largest and not (candidates[k].opposes and z[k] < 0.0)
    ]
    return tuple(
        ResidualPattern(c.says, float(abs(z[k])), p, c.force, c.body, adds=c.adds)
        for k in usable[:MOST_TRIED]
        for c in [candidates[k]]
    )


def _taken(trial: FittedTrial, inverse: Array) -> tuple[Array, Array]:
    """What fitted parameters, a start that is held and what is fixed with a ± may take up, over σ;
    and by how many u what is stated of each of the latter is above what it was adjusted to,
    (facts,). Each has a row of its own, which says that it is off by its u at 1.
    """
    stated = {s.code: (s.fact.si, s.fact.u) for s in trial.made.system.adjusted if s.fact}
    stated |= {code: (0.0, u) for code, (_, u) in trial.made.force_errors.items()}
    free, facts, off = [], [], []
    for k, seed in enumerate(trial.seeds):
        if seed in stated:
            value, u = stated[seed]
            facts.append(trial.predicted.slopes[:, k] * u)
            off.append((value - trial.values.get(seed, value)) / u)
        else:
            free.append(trial.predicted.slopes[:, k])
    own = [np.append(column * inverse, np.zeros(len(facts))) for column in free]
    own += [np.append(c * inverse, row) for c, row in zip(facts, np.eye(len(facts)), strict=True)]
    rows = len(inverse) + len(facts)
    return (np.column_stack(own) if own else np.zeros((rows, 0))), np.array(off)


def _best(z: Array, candidates: Sequence[_Candidate]) -> int:
    """The candidate that is named: a force with the sign that physics has, where it tells nearly as
    much as the best kick or wave, of which there are many; and the simplest of those forces that
    tell nearly the same.
    """
    likelihood = z**2
    forces = [
        k for k, one in enumerate(candidates) if one.force and not (one.opposes and z[k] < 0.0)
    ]
    best = max((likelihood[k] for k in forces), default=0.0)
    if best < likelihood.max() - FORCE_FIRST:
        # A kick between the moments that are looked at is nearly a wave, and says more
        largest = int(np.argmax(likelihood))
        kicks = [k for k, one in enumerate(candidates) if one.at is not None]
        sudden = max(kicks, key=lambda k: float(likelihood[k]), default=largest)
        return sudden if likelihood[sudden] >= likelihood[largest] - SUDDEN_FIRST else largest
    near = [k for k in forces if likelihood[k] >= best - SIMPLE_FIRST]
    return min(near, key=lambda k: (SIMPLICITY.index(candidates[k].force), -likelihood[k]))


def _freedom(trial: FittedTrial) -> float:
    relative = trial.made.context.pools().relative.get(("readings", "readings"), 0.0)
    return 2.0 / relative if relative > 0.0 else np.inf


def _by_chance(largest: float, correlation: Array, dof: float) -> float:
    rng = np.random.default_rng(SEED)
    values, vectors = np.linalg.eigh(correlation)
    root = vectors * np.sqrt(np.maximum(values, 0.0))
    draws = np.max(np.abs(root @ rng.normal(size=(len(values), DRAWS))), axis=0)
    if np.isfinite(dof):
        draws = draws / np.sqrt(rng.chisquare(max(dof, 1.0), DRAWS) / max(dof, 1.0))
    return float((1 + np.count_nonzero(draws >= largest)) / (1 + DRAWS))


def _covariance(trial: FittedTrial, patterns: Array) -> Array:
    """The covariance of the projections of residuals over σ on patterns, with all that the noise of
    the trial has: errors alike, rounding, time stamps; and of facts that are off by their ±.
    """
    made, many = trial.made, patterns.shape[1]
    noise = made.context.clock_noise
    rows = len(made.context.trial.t)
    total, pulled, row = np.zeros((many, many)), np.zeros((rows, many)), 0
    for one in made.samples:
        own = noise.reading[one.key][1]
        part = patterns[row : row + len(one.x)] / one.sigma[:, None]
        row += len(one.x)
        whole = np.zeros((rows, many))
        whole[one.rows] = one.spread(part.T).T
        if isinstance(own.variance, float) and not own.alike and not own.rounding:
            total += own.variance * (whole.T @ whole)
        else:
            total += whole.T @ np.column_stack([own.applied(column) for column in whole.T])
        if one.key in noise.rate and noise.jitter > 0.0:
            pulled += whole * np.asarray(noise.rate[one.key][0:rows])[:, None]
    total += noise.jitter * (pulled.T @ pulled)
    off = patterns[row:]
    return np.asarray(total + off.T @ off)


def _columns(trial: FittedTrial) -> tuple[Array, list[_Candidate]]:
    """Patterns of all candidates, (n, candidates), and what they are."""
    made = trial.made
    forces = _forces_beside(made.system.bodies[:MOST_BODIES], trial)
    masses = dict(made.context.masses)
    for body in made.context.trial.followed:
        kilogram = Fact(1.0, 0.0, Meaning.EXACT, unit_of("mass", "kg"))
        masses.setdefault(body.name, (FactId(mass_key(body.name)), kilogram))
    setup = dict(made.context.setup)
    for moving in made.system.bodies:
        unknown = Fact(1.0, 0.0, Meaning.EXACT, unit_of("inertia", "kg·m²"))
        key = FactId(f"moment of inertia of {moving.name}")
        setup.setdefault(("I", moving.name), (key, unknown))
    context = replace(made.context, masses=masses, setup=setup)
    model = replace(made.model, forces=(*made.model.acting, *forces))
    system = replace(
        system_of(context, model), signs=made.system.signs, recorded=made.system.recorded
    )
    beside = replace(made, system=system)
    begin = len(made.system.forces)
    codes = [
        system.setting(begin + k, _COEFFICIENT[f.kind], f.bodies[0]).code
        for k, f in enumerate(forces)
    ]
    starts = [n for c in system.coordinates for n in (c.place, c.rate)]
    seeds = (*codes, *starts)
    # Names of settings are the same in the larger system
    values = {**trial.values, **dict.fromkeys(codes, 0.0)}
    predicted = beside.predicted(values, trial.places, trial.rates, seeds)
    columns = [predicted.slopes[:, k] for k in range(len(codes))]
    candidates = [
        _Candidate(
            _SAYS[f.kind], f.kind, f.bodies[0], opposes=f.kind != PUSH, adds=_to_be_fitted(f)
        )
        for f in forces
    ]
    for c in system.coordinates:
        for at, column in _kicks(beside, predicted, c, len(codes)):
            columns.append(column)
            candidates.append(_Candidate("", "", c.body, at))
    row = 0
    for one in made.samples:
        inside = (one.t - made.stretch.start) / (made.stretch.stop - made.stretch.start)
        for k in range(1, SLOW + 1):
            column = np.zeros(made.count)
            column[row : row + len(one.x)] = np.cos(np.pi * k * inside)
            columns.append(column)
            candidates.append(_Candidate(WAVES, "", one.body))
        row += len(one.x)
    return np.column_stack(columns), candidates


def _forces_beside(bodies: Sequence[MovingBody], trial: FittedTrial) -> list[Force]:
    found = []
    for body in bodies:
        kinds = (DRY_TORQUE, VISCOUS_TORQUE, TORSION) if body.turning else (
            FRICTION, LINEAR, QUADRATIC, PUSH, SPRING,
        )  # fmt: skip
        for kind in kinds:
            parameters: tuple[Parameter, ...] = (
                Parameter(_COEFFICIENT[kind], _exactly_zero(kind), True),
            )
            if kind == SPRING:
                own = [s for s in trial.made.samples if s.body == body.name]
                middle = float(np.mean([s.x.mean() for s in own[:1]])) if own else 0.0
                fact = Fact(middle, 0.0, Meaning.EXACT, unit_of("length", "m"))
                parameters = (*parameters, Parameter("x_0", fact))
            found.append(Force(kind, parameters, (body.name,)))
    return found


def _to_be_fitted(force: Force) -> Force:
    """A candidate with its coefficient to be found."""
    return force.with_parameter(Parameter(_COEFFICIENT[force.kind], None, True))


_KINDS = {
    FRICTION: ("number", ""), LINEAR: ("linear drag", "kg/s"),
    QUADRATIC: ("quadratic drag", "kg/m"),
    PUSH: ("force", "N"), SPRING: ("stiffness", "N/m"), DRY_TORQUE: ("torque", "N·m"),
    VISCOUS_TORQUE: ("turning drag", "N·m·s"), TORSION: ("torsion stiffness", "N·m/rad"),
}  # fmt: skip


def _exactly_zero(kind: str) -> Fact:
    return Fact(0.0, 0.0, Meaning.EXACT, unit_of(*_KINDS[kind]))


def _kicks(
    beside: TrialModel, predicted: Predicted, c: Coordinate, first: int
) -> list[tuple[float, Array]]:
    """What a kick of a coordinate at some moments does to all channels, by the slopes by the
    start: Φ(t) Φ(t₁)⁻¹.
    """
    motion = predicted.motion
    n = len(beside.system.coordinates)
    order = [first + 2 * k for k in range(n)] + [first + 2 * k + 1 for k in range(n)]
    states = np.concatenate(
        [motion.place_slopes[order], motion.rate_slopes[order]], axis=1
    ).transpose(2, 1, 0)
    number = [k.place for k in beside.system.coordinates].index(c.place)
    looked = np.linspace(0, len(motion.t) - 1, KICKS + 2).astype(int)[1:-1]
    found = []
    for row in np.unique(looked):
        whole = states[row]
        if not np.isfinite(whole).all() or np.linalg.cond(whole) > 1e8:
            continue
        begin = np.linalg.solve(whole, np.eye(2 * n)[:, n + number])
        column = predicted.slopes[:, order] @ begin
        late = np.concatenate([one.t > motion.t[row] for one in beside.samples])
        if np.count_nonzero(late) > 3:
            found.append((float(motion.t[row]), np.where(late, column, 0.0)))
    return found
