"""The readings of one collision: speeds at the edges of the contact, masses and decelerations, as correlated inputs."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.fits.polynomial_fits import PolynomialFit
from inertian.motion.noise.reading_noise import READINGS, STAMPS, InstrumentNoise
from inertian.motion.numerics.quantisation import (
    harmonic_amplitudes,
    harmonic_patterns,
    white_variance,
)
from inertian.motion.recording.frame import ANGLE, FILE_FRAME, ORIGIN, Frame
from inertian.motion.recording.trials import Channel, Trial
from inertian.motion.spans.spans import Span
from inertian.physics.accounts.laws import Encounter
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import (
    Array,
    ClockNoise,
    ErrorSource,
    Estimate,
    JointScalars,
    ReadingNoise,
    SampleWeights,
    SharedPart,
    SparseRows,
    joint_scalars,
    overlap,
)
from inertian.quantities.facts import Fact, FactId

TIMER_Z = 5.0  # the contact is timed by a body whose change of speed exceeds this many of its own u
STAMP_SOURCE = ErrorSource("time stamps", STAMPS, STAMPS)


class AccountError(InertianError):
    """A ledger cannot be drawn up; the text says what is missing."""

    def __init__(self, trial: str, why: str) -> None:
        super().__init__(trial, why)
        self.trial, self.why = trial, why

    def __str__(self) -> str:
        return self.why


SCALE, TIME_BASE = "scale", "time base"


def offset_key(body: str) -> str:
    """Return the name under which the setup keeps the clock offset of a body that another recorder followed."""
    return f"clock offset of {body}"


def mass_key(body: str) -> str:
    """Return the name under which the setup keeps the mass of a body."""
    return f"mass of {body}"


def deceleration_key(body: str) -> str:
    """Return the name of the shared deceleration of a body."""
    return f"deceleration of {body}"


@dataclass(frozen=True, eq=False)
class SharedDecelerations:
    """The shared decelerations of a series in m/s²: values by body, and their covariance by source."""

    values: Mapping[str, float]
    parts: tuple[SharedPart, ...]
    scope: str

    def key(self, body: str) -> tuple[FactId, float] | None:
        """Return identity and value of one body's deceleration, or None if it has none."""
        if body not in self.values:
            return None
        return FactId(deceleration_key(body), self.scope), self.values[body]

    def u(self, body: str) -> float:
        """Return the standard uncertainty of one body's deceleration in m/s²."""
        key = FactId(deceleration_key(body), self.scope)
        return float(
            np.sqrt(
                sum(
                    p.covariance[p.ids.index(key), p.ids.index(key)]
                    for p in self.parts
                    if key in p.ids
                )
            )
        )


def shared_decelerations(
    spans: Sequence[Sequence[BodyFit]],
    values: Mapping[str, float],
    noise: InstrumentNoise,
    scope: str,
) -> SharedDecelerations:
    """Return the shared decelerations with covariance from reading noise and from the time stamps they share."""
    keys = {body: FactId(deceleration_key(body), scope) for body in values}
    fits = {b: [f for group in spans for f in group if f.body == b and f.moving] for b in values}
    information = {b: sum(f.information for f in fits[b]) for b in values}
    parts = [
        SharedPart(
            ErrorSource(deceleration_key(b), "fact", READINGS),
            (keys[b],),
            np.array([[noise.reading**2 / information[b]]]),
        )
        for b in values
    ]
    order = tuple(values)
    matrix = np.zeros((len(order), len(order)))
    for group in spans:
        pulled = {
            f.body: SampleWeights(
                next(iter(f.fits.values())).start,
                np.sum([f.bent[a] * f.velocity(a, values[f.body]) for a in f.fits], axis=0)
                / information[f.body],
            )
            for f in group
            if f.body in values and f.moving
        }
        for i, b1 in enumerate(order):
            for j, b2 in enumerate(order):
                if b1 in pulled and b2 in pulled:
                    left, right, _rows = overlap(pulled[b1], pulled[b2])
                    matrix[i, j] += noise.stamp**2 * float(left @ right)
    if noise.stamp > 0.0 and order:
        parts.append(SharedPart(STAMP_SOURCE, tuple(keys[b] for b in order), matrix))
    return SharedDecelerations(dict(values), tuple(parts), scope)


@dataclass(frozen=True, eq=False)
class CollisionInputs:
    """All inputs of the laws for one collision, as correlated scalars, with the fixed facts of the contact."""

    encounter: Encounter
    inputs: JointScalars


def _reading_noise(
    channel: Channel, noise: InstrumentNoise, fits: Sequence[PolynomialFit], t: Array
) -> ReadingNoise:
    """The noise of a channel's readings under its fits; where samples stand for many, the mean stands for each."""
    variance = noise.variance(channel)
    sigma = float(np.sqrt(np.mean(variance)))
    if any(float(fit.root.max(initial=0.0)) > 1.0 for fit in fits):
        return ReadingNoise(sigma**2)
    if not harmonic_amplitudes(channel.resolution, sigma):
        return ReadingNoise(variance)
    runs = []
    for fit in fits:
        own = t[fit.start : fit.start + len(fit.root)]
        found = harmonic_patterns(
            fit.curve(own), own, float(np.ptp(own)), channel.resolution, sigma
        )
        runs.append([SampleWeights(fit.start, p) for p in found])
    rounded = tuple(SparseRows(tuple(own)) for own in zip(*runs, strict=True))
    return ReadingNoise(
        variance * (white_variance(channel.resolution, sigma) / sigma**2), rounding=rounded
    )


def clock_noise(
    trial: Trial, fits: Sequence[BodyFit], noise: InstrumentNoise, glide: SharedDecelerations
) -> ClockNoise:
    """Return Σ of a trial: reading noise per channel, and time jitter along the fitted velocities."""
    reading, rate = {}, {}
    for body in trial.followed:
        source = ErrorSource(f"readings of {body.name}", READINGS, READINGS)
        for channel in body.channels:
            key = trial.channel_id(body.name, channel.axis)
            own = [fit.fits[channel.axis] for fit in fits if fit.body == body.name]
            reading[key] = (source, _reading_noise(channel, noise, own, trial.t))
            moving = [fit for fit in fits if fit.body == body.name and fit.moving]
            starts = [(fit.fits[channel.axis].start, fit) for fit in moving]
            a = glide.values.get(body.name, 0.0)
            rate[key] = SparseRows(
                tuple(SampleWeights(start, f.velocity(channel.axis, a)) for start, f in starts)
            )
    return ClockNoise(reading, rate, noise.stamp**2, STAMP_SOURCE)


def read_collision(
    trial: Trial,
    contact: Span,
    before: Sequence[BodyFit],
    after: Sequence[BodyFit],
    masses: Mapping[str, tuple[FactId, Fact]],
    noise: InstrumentNoise,
    glide: SharedDecelerations,
    restitution: tuple[FactId, Fact] | None = None,
    stretches: Mapping[str, tuple[FactId, Fact]] | None = None,
    offsets: Mapping[str, tuple[FactId, Fact]] | None = None,
    frame: Frame = FILE_FRAME,
) -> CollisionInputs:
    """Return positions, velocities and accelerations of every body at both edges of the contact, and the masses.

    Everything in SI; see `laws` for the names. Masses that are not known are left out. `stretches` has the scale of all
    lengths and the time base of all times, where they are facts with a ± of their own; `offsets` by body the
    offset of a clock of its own. `before` and `after` hold one fit per body. Raises AccountError if the bodies were not
    followed along the same axes.
    """
    _require_same_axes(trial)
    named: dict[str, Estimate] = {}
    for side, fits, time in (("open", before, contact.start), ("close", after, contact.stop)):
        for fit in fits:
            for axis in fit.fits:
                for order, letter in enumerate("xva"):
                    name = f"{letter} {fit.body} {axis} {side}"
                    named[name] = stretched(
                        fit.estimate(axis, time, order, glide.key(fit.body)), order, stretches or {}
                    )
    for body, (key, _fact) in (offsets or {}).items():
        _let_clocks_slip(named, body, key)
    if ANGLE in (stretches or {}):
        _let_axes_turn(named, (stretches or {})[ANGLE][0], frame)
    for axis, name in ORIGIN.items():
        if name in (stretches or {}):
            _let_origin_move(named, axis, (stretches or {})[name][0], frame)
    known = [*(stretches or {}).values(), *(offsets or {}).values()]
    shared = [*glide.parts, *(_part_of_fact(key, fact) for key, fact in known)]
    bodies = tuple(fit.body for fit in before)
    for name, (key, fact) in [(f"m {b}", masses[b]) for b in bodies if b in masses] + (
        [("e", restitution)] if restitution else []
    ):
        named[name] = Estimate(fact.si, {}, {key: 1.0})
        shared.append(_part_of_fact(key, fact))
    wait = FactId("moment of contact", f"trial {trial.id}")
    half = ErrorSource("moment of contact", "fact", "moment", True)
    shared.append(SharedPart(half, (wait,), np.array([[contact.length**2 / 12.0]])))
    sigma = clock_noise(trial, [*before, *after], noise, glide)
    inputs = joint_scalars(named, sigma, shared, noise.pools)
    timer = _timer(inputs, bodies, trial.axes)
    if timer is None:
        inputs = joint_scalars(
            {**named, "wait": Estimate(0.0, {}, {wait: 1.0})}, sigma, shared, noise.pools
        )
    return CollisionInputs(
        Encounter(bodies, trial.axes, contact.start, contact.stop, timer), inputs
    )


def _part_of_fact(key: FactId, fact: Fact) -> SharedPart:
    return SharedPart(
        ErrorSource(key.name, "fact", f"fact {key.name}", fact.bounded),
        (key,),
        np.array([[fact.u**2]]),
    )


def _let_clocks_slip(named: dict[str, Estimate], body: str, key: FactId) -> None:
    """Give a body's estimates their sensitivity to the offset of its clock: ∂x/∂offset = −v, ∂v/∂offset = −a."""
    for name in [n for n in named if n.split(" ", 1)[1].rsplit(" ", 2)[0] == body and n[0] in "xv"]:
        slope = -named["xva"["xva".index(name[0]) + 1] + name[1:]].value
        old = named[name]
        named[name] = Estimate(old.value, old.weights, {**old.sensitivities, key: slope})


def _let_axes_turn(named: dict[str, Estimate], key: FactId, frame: Frame) -> None:
    """Give vectors their sensitivity to the angle of the axes: each component changes by the other one."""
    values = {name: one.value for name, one in named.items()}
    for name, old in list(named.items()):
        letter, rest = name.split(" ", 1)
        body, axis, side = rest.rsplit(" ", 2)
        pair = {a: values.get(f"{letter} {body} {a} {side}", 0.0) for a in "xy"}
        rates = frame.turned_rates(pair)
        named[name] = Estimate(old.value, old.weights, {**old.sensitivities, key: rates[axis]})


def _let_origin_move(named: dict[str, Estimate], axis: str, key: FactId, frame: Frame) -> None:
    """Give positions their sensitivity to the origin along an axis of the file."""
    for name, old in list(named.items()):
        own = name.rsplit(" ", 2)[1]
        if name[0] == "x":
            slope = -frame.mixed(own, axis)
            named[name] = Estimate(old.value, old.weights, {**old.sensitivities, key: slope})


def stretched(
    estimate: Estimate, order: int, stretches: Mapping[str, tuple[FactId, Fact]]
) -> Estimate:
    """Return a position (order 0), velocity (1) or acceleration (2) with its sensitivities to scale and time base.

    A length is the scale times what was read, a time the time base times what was read, so ∂/∂scale is value/scale and
    ∂/∂(time base) is −order · value/(time base). Friction over the length of the contact, which is stretched too, is of
    second order and left out.
    """
    more: dict[object, float] = {}
    if SCALE in stretches:
        key, fact = stretches[SCALE]
        more[key] = estimate.value / fact.si
    if TIME_BASE in stretches and order:
        key, fact = stretches[TIME_BASE]
        more[key] = -order * estimate.value / fact.si
    return (
        Estimate(estimate.value, estimate.weights, {**estimate.sensitivities, **more})
        if more
        else estimate
    )


def _require_same_axes(trial: Trial) -> None:
    first = trial.followed[0]
    for other in trial.followed[1:]:
        if set(other.axes) != set(first.axes):
            why = (
                f"{first.name} was followed along {' and '.join(first.axes)}, {other.name} along "
                f"{' and '.join(other.axes)}. An account needs the same axes for all bodies."
            )
            raise AccountError(trial.name, why)


def _timer(inputs: JointScalars, bodies: Sequence[str], axes: Sequence[str]) -> str | None:
    """The body whose change of velocity stands out most, if any does."""
    best, clearest = None, TIMER_Z
    covariance = inputs.covariance
    for body in bodies:
        kick2, u2 = 0.0, 0.0
        for axis in axes:
            i, j = inputs.index(f"v {body} {axis} open"), inputs.index(f"v {body} {axis} close")
            kick2 += float(inputs.values[j] - inputs.values[i]) ** 2
            u2 += covariance[i, i] + covariance[j, j] - 2.0 * covariance[i, j]
        if u2 > 0.0 and np.sqrt(kick2 / u2) > clearest:
            best, clearest = body, float(np.sqrt(kick2 / u2))
    return best
