"""The readings of one collision: speeds at the edges of the contact, masses and decelerations, as
correlated inputs.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.fits.polynomial_fits import PolynomialFit
from inertian.motion.noise.reading_noise import READINGS, STAMP_SOURCE, InstrumentNoise
from inertian.motion.numerics.quantisation import (
    harmonic_amplitudes,
    harmonic_patterns,
    white_variance,
)
from inertian.motion.recording.frame import FILE_FRAME, Frame
from inertian.motion.recording.trials import Channel, Trial
from inertian.motion.spans.spans import Span
from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    ContactInput,
    DateValue,
    FactOf,
    InputKey,
    MassOf,
    RubbedInside,
)
from inertian.physics.accounts.encounters import Encounter
from inertian.physics.accounts.interactions import Interaction
from inertian.physics.accounts.shared_decelerations import SharedDecelerations
from inertian.physics.accounts.typed_entries import BY_HAND
from inertian.physics.evaluation.frame_facts import Motion
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import (
    Array,
    ClockNoise,
    ErrorSource,
    Estimate,
    JointScalars,
    Pools,
    ReadingNoise,
    SampleWeights,
    SharedPart,
    SparseRows,
    fact_part,
    joint_scalars,
    weighted_sum,
)
from inertian.quantities.facts import Fact, FactId

TIMER_Z = 5.0  # the contact is timed by a body whose change of speed exceeds this many of its own u


class AccountError(InertianError):
    """A ledger cannot be drawn up; the text says what is missing."""

    def __init__(self, trial: str, why: str) -> None:
        super().__init__(trial, why)
        self.trial, self.why = trial, why

    def __str__(self) -> str:
        return self.why


@dataclass(frozen=True, eq=False)
class CollisionInputs:
    """All inputs of the laws for one collision, as correlated scalars, with the fixed facts of the
    contact.
    """

    encounter: Encounter
    inputs: JointScalars
    # Which span each body was read from at each date; "" where it was local fits
    read_from: Mapping[tuple[str, int], str] = field(default_factory=dict)
    resting: tuple[bool, bool] = (False, False)  # whether all bodies rest, before and after


@dataclass(frozen=True, eq=False)
class ReadBeside:
    """What else an account of a contact hangs on, such as the impulse that a gauge recorded: inputs
    as estimates, the noise of their channels, what they share, and how well variances are known.
    """

    named: Mapping[InputKey, Estimate]
    noise: ClockNoise
    parts: tuple[SharedPart, ...]
    pools: Pools


def _reading_noise(
    channel: Channel, noise: InstrumentNoise, fits: Sequence[PolynomialFit], t: Array
) -> ReadingNoise:
    """The noise of a channel's readings under its fits; where samples stand for many, the mean
    stands for each.
    """
    variance = noise.variance(channel)
    sigma = float(np.sqrt(np.mean(variance)))
    if any(float(fit.root.max(initial=0.0)) > 1.0 for fit in fits):
        return ReadingNoise(sigma**2)
    if not harmonic_amplitudes(channel.resolution, sigma):
        return ReadingNoise(variance, noise.correlation)
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
    """Return Σ of a trial: reading noise per channel, and time jitter along the fitted
    velocities.
    """
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


KnownFacts = Mapping[str, tuple[FactId, Fact]]


@dataclass(frozen=True)
class CollisionFacts:
    """The facts that an account of a collision hangs on.

    `masses` by body; those that are not known are left out. `frame_facts` by name: the scale of all
    lengths, the time base of all times, the angle of the axes, the origin, where they have a ± of
    their own. `offsets` by body: that of a clock of its own. `restitution`, where it is given.
    `typed` are the amounts of typed entries, by name.
    """

    masses: KnownFacts
    frame_facts: KnownFacts = field(default_factory=dict)
    offsets: KnownFacts = field(default_factory=dict)
    restitution: tuple[FactId, Fact] | None = None
    frame: Frame = FILE_FRAME
    typed: KnownFacts = field(default_factory=dict)

    @property
    def key(self) -> tuple[object, ...]:
        """What equals that of other facts only if all of them are the same."""
        every = (self.masses, self.frame_facts, self.offsets, self.typed)
        return (self.frame, self.restitution, *(tuple(some.items()) for some in every))


def read_collision(
    trial: Trial,
    contact: Span,
    before: Sequence[BodyFit],
    after: Sequence[BodyFit],
    *,
    facts: CollisionFacts,
    noise: InstrumentNoise,
    glide: SharedDecelerations,
    interaction: Interaction | None = None,
    beside: "ReadBeside | None" = None,
) -> CollisionInputs:
    """Return positions, velocities and accelerations of every body at both edges of the contact,
    and the masses.

    Everything in SI; see `account_inputs` for the names. `before` and `after` hold one fit for each
    body; `interaction` what happens inside, where bodies do not touch; `beside` what else is read
    there. Raises AccountError if the bodies were not followed along the same axes.
    """
    _require_same_axes(trial)
    named: dict[InputKey, Estimate] = {}
    for date, fits, time in (
        (OPENING, before, contact.start),
        (CLOSING, after, contact.stop),
    ):
        plain = [_of_fit(fit, date, time, glide) for fit in fits]
        if interaction is not None:
            plain = _without_tails(fits, plain, date, facts.masses, interaction)
        for own in plain:
            named |= in_frame(own, facts)
    known = [*facts.frame_facts.values(), *facts.offsets.values()]
    shared = [*glide.parts, *(fact_part(key, fact) for key, fact in known)]
    bodies = tuple(fit.body for fit in before)
    sigma = clock_noise(trial, [*before, *after], noise, glide)
    if interaction is not None:
        shared += interaction.parts
        sigma = interaction.noise
        for b in bodies:
            named |= _rubbed(b, interaction, glide)
    constants: list[tuple[InputKey, tuple[FactId, Fact]]] = [
        (MassOf(b), facts.masses[b]) for b in bodies if b in facts.masses
    ]
    if facts.restitution:
        constants.append((ContactInput.RESTITUTION, facts.restitution))
    constants += [(FactOf(BY_HAND, name), fact) for name, fact in facts.typed.items()]
    for name, (key, fact) in constants:
        named[name] = Estimate(fact.si, {}, {key: 1.0})
        shared.append(fact_part(key, fact))
    wait = FactId("moment of contact", f"trial {trial.id}")
    half = ErrorSource("moment of contact", "fact", "moment", True)
    shared.append(SharedPart.single(half, wait, contact.length / np.sqrt(12.0)))
    pools = noise.pools
    if beside is not None:
        named |= beside.named
        shared += beside.parts
        sigma = replace(sigma, reading={**beside.noise.reading, **sigma.reading})
        pools = beside.pools
    inputs = joint_scalars(named, sigma, shared, pools)
    timer = _timer(inputs, bodies, trial.axes)
    if timer is None:
        named[ContactInput.WAIT] = Estimate(0.0, {}, {wait: 1.0})
        inputs = joint_scalars(named, sigma, shared, pools)
    return CollisionInputs(
        Encounter(bodies, trial.axes, contact.start, contact.stop, timer, interaction is None),
        inputs,
        {
            (fit.body, date): fit.span.name if interaction is None else ""
            for date, fits in ((OPENING, before), (CLOSING, after))
            for fit in fits
        },
        (not any(fit.moving for fit in before), not any(fit.moving for fit in after)),
    )


def _of_fit(
    fit: BodyFit, date: int, time: float, glide: SharedDecelerations
) -> dict[DateValue, Estimate]:
    """Position, velocity and acceleration of a body at an instant, as its free motion has them."""
    return {
        DateValue(order, fit.body, axis, date): fit.estimate(axis, time, order, glide.key(fit.body))
        for axis in fit.fits
        for order in range(3)
    }


def _without_tails(
    fits: Sequence[BodyFit],
    plain: Sequence[Mapping[DateValue, Estimate]],
    date: int,
    masses: KnownFacts,
    interaction: Interaction,
) -> list[dict[DateValue, Estimate]]:
    """The same with velocities of the smooth motion, which a tail does not bend.

    Where all bodies move freely, the sum of their momenta is kept as the fits have it: no force
    between them changes it, so that their fits, over the same samples, have it right however much
    a tail bends each of them.
    """
    found = [dict(own) for own in plain]
    same_rows = len({(f.span.start, f.span.stop) for f in fits}) == 1
    known = all((f.body, date) in interaction.steady and f.body in masses for f in fits)
    free = same_rows and len(fits) > 1 and known and not interaction.touching
    for axis in fits[0].fits:
        keys = [DateValue(1, f.body, axis, date) for f in fits]
        lines = [own[key] for own, key in zip(plain, keys, strict=True)]
        smooth = [interaction.velocities[key] for key in keys]
        kept = _kept_sum([masses[f.body] for f in fits], lines, smooth) if free else Estimate(0.0)
        for own, key, one in zip(found, keys, smooth, strict=True):
            own[key] = weighted_sum([(1.0, one), (1.0, kept)])
    return found


def _kept_sum(
    masses: Sequence[tuple[FactId, Fact]], lines: Sequence[Estimate], smooth: Sequence[Estimate]
) -> Estimate:
    """What all velocities have to be shifted by so that Σ m v is that of the lines."""
    total = sum(fact.si for _, fact in masses)
    shares = [fact.si / total for _, fact in masses]
    terms = [(m, line) for m, line in zip(shares, lines, strict=True)]
    shift = weighted_sum([*terms, *((-m, one) for m, one in zip(shares, smooth, strict=True))])
    by_mass: dict[object, float] = {
        key: (line.value - one.value - shift.value) / total
        for (key, _), line, one in zip(masses, lines, smooth, strict=True)
    }
    return Estimate(shift.value, shift.weights, {**shift.sensitivities, **by_mass})


def _rubbed(
    body: str, interaction: Interaction, glide: SharedDecelerations
) -> dict[InputKey, Estimate]:
    """What friction changes of a body's velocity and of its kinetic energy per kg inside."""
    travel, turning = interaction.travels[body], interaction.turning(body)
    shared = glide.key(body)

    def one(amount: float, unsure: float) -> Estimate:
        if shared is None:
            return Estimate(0.0)
        key, a = shared
        return Estimate(-a * amount, {}, {key: -amount, turning: -a * unsure})

    found: dict[InputKey, Estimate] = {
        RubbedInside(body, axis): one(travel.lasting[axis], travel.turning[axis])
        for axis in travel.lasting
    }
    found[RubbedInside(body, "")] = one(travel.path, travel.path_unsure)
    return found


def in_frame(
    plain: Mapping[DateValue, Estimate], facts: CollisionFacts
) -> dict[InputKey, Estimate]:
    """Values of one body at an instant with their sensitivities to the frame.

    Friction over the length of the contact, which scale and time base stretch too, is of second
    order and left out.
    """
    found: dict[InputKey, Estimate] = {}
    body = next(iter(plain)).body
    clock = facts.offsets[body][0] if body in facts.offsets else None
    for key, one in plain.items():
        across = plain.get(key._replace(axis="y" if key.axis == "x" else "x"))
        later = plain.get(key._replace(order=key.order + 1))
        motion = Motion(
            key.axis,
            key.order,
            one.value,
            across.value if across else None,
            later.value if later else None,
        )
        moved = motion.slopes(facts.frame, facts.frame_facts, clock)
        slopes: dict[object, float] = {fact: float(s) for fact, s in moved.items()}
        found[key] = Estimate(one.value, one.weights, {**one.sensitivities, **slopes})
    return found


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
            i, j = (inputs.index(DateValue(1, body, axis, date)) for date in (OPENING, CLOSING))
            kick2 += float(inputs.values[j] - inputs.values[i]) ** 2
            u2 += covariance[i, i] + covariance[j, j] - 2.0 * covariance[i, j]
        if u2 > 0.0 and np.sqrt(kick2 / u2) > clearest:
            best, clearest = body, float(np.sqrt(kick2 / u2))
    return best
