"""A trial as it is read, and what reading it gives: values with their partial derivatives behind
them.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest, window_duration
from inertian.motion.derivatives.local_fit_cache import LocalFitCache
from inertian.motion.derivatives.local_fits import ChannelSamples, DerivativeAtSamples, LocalFits
from inertian.motion.noise.local_noise import LocalNoise
from inertian.motion.noise.reading_noise import READINGS, STAMP_SOURCE, InstrumentNoise
from inertian.motion.noise.stated_noise import least_noise
from inertian.motion.numerics.operators import Operator
from inertian.motion.numerics.outliers import robust_scatter
from inertian.motion.numerics.quantisation import (
    harmonic_amplitudes,
    harmonic_patterns,
    harmonics_worth,
    white_variance,
)
from inertian.motion.recording.frame import Frame
from inertian.motion.recording.trials import Channel, Trial
from inertian.motion.spans.spans import Spans
from inertian.physics.definitions.derived_quantities import DerivedQuantity
from inertian.physics.definitions.requests import TOTAL, NamedReading
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import (
    Array,
    ChannelId,
    ClockNoise,
    ErrorSource,
    Estimate,
    Pools,
    ReadingNoise,
    SampleWeights,
    SharedPart,
    added,
    fact_part,
)
from inertian.quantities.facts import Fact, FactId

LEFT_OUT = "what local fits may leave out of {body} along {axis}"
# Of the scatter about local fits: if neighbours scatter less, there are jumps in the fits
SPOILED = 0.6
SPEAKS = 0.5  # of the noise in use: if a channel scatters less by itself, that is not the noise
ON_THE_SPOT = 4.0  # samples a degree of freedom costs where noise is told from four neighbours
BY_RULE = "what the rule may leave out of an area"


class NoValueError(Refusal):
    """A quantity cannot be had of this trial; the text says what is missing."""


@dataclass(frozen=True)
class LeftOut(FactId):
    """The name of an error with u = 1 that local fits, or a rule, leave out, and which it is."""

    place: tuple[int, int] = (0, 0)


class _Uncertainties(dict[FactId, float]):
    """u of facts by name; that of what is left out is 1."""

    def __missing__(self, key: FactId) -> float:
        if isinstance(key, LeftOut):
            return 1.0
        raise KeyError(key)

    def __contains__(self, key: object) -> bool:
        return isinstance(key, LeftOut) or super().__contains__(key)


@dataclass(frozen=True, eq=False)
class TrialContext:
    """A trial as it is read: samples that count, spans, frame, and the facts and noise that hold
    for it.
    """

    trial: Trial
    spans: Spans
    frame: Frame
    noise: InstrumentNoise
    masses: Mapping[str, tuple[FactId, Fact]]
    # Scale, time base, angle, origin, centre
    shared: Mapping[str, tuple[FactId, Fact]] = field(default_factory=dict)
    known: LocalFitCache = field(default_factory=LocalFitCache)
    # By symbol and body
    setup: Mapping[tuple[str, str], tuple[FactId, Fact]] = field(default_factory=dict)
    # Derived quantities, by symbol
    derived: Mapping[str, DerivedQuantity] = field(default_factory=dict)
    window: WindowRequest = BY_DATA  # of local fits
    # Readings that formulas may use, by name
    named: Mapping[str, NamedReading] = field(default_factory=dict)
    # How these are taken
    estimated: Callable[["TrialContext", NamedReading], Estimate] | None = None

    def walls(self, body: str) -> tuple[float, ...]:
        """Return the times that nothing of a body may be derived across."""
        return self.spans.of(body).walls()

    def derivative(self, body: str, axis: str, order: int) -> DerivativeAtSamples:
        """Return value, velocity or acceleration at all samples; the values are the samples
        themselves.
        """
        channel = self._samples(body, axis)
        if order == 0:
            return DerivativeAtSamples(channel.x, np.ones(len(channel.x)), np.zeros(len(channel.x)))
        return self.known.of(channel, order, self.walls(body), self.window)

    def local_fits(self, body: str, axis: str) -> LocalFits:
        """Return the local fits of a channel of positions, or of a sensor."""
        return self.known.fits(self._samples(body, axis), self.walls(body), self.window)

    def _samples(self, body: str, axis: str) -> ChannelSamples:
        if axis not in self.trial.body(body).axes:
            sensor = self.sensor(body, axis)
            return ChannelSamples(body, axis, self.trial.t, sensor.si, sensor.resolution)
        channel = self.trial.body(body).channel(axis)
        given = self.noise.reading if self.noise.given else 0.0
        variance = self.noise.variance(channel)
        share = None if isinstance(variance, float) else variance / self.noise.reading**2
        beside = self.trial.channels_followed
        return ChannelSamples(
            body, axis, self.trial.t, channel.si, channel.resolution, given, share, beside
        )

    def left_out(self, body: str, axis: str, order: int, times: Array) -> dict[FactId, Array]:
        """Return what local fits may leave out of a derivative at some times in s, (m,), in SI:
        by errors with u = 1, most of which all times and all derivatives share.
        """
        shared, rest = self.local_fits(body, axis).left_out(times, order)
        name, scope = LEFT_OUT.format(body=body, axis=axis), f"trial {self.trial.id}"
        found: dict[FactId, Array] = {
            LeftOut(name, scope, place): own for place, own in shared.items()
        }
        if rest.any() or not found:
            found[LeftOut(name, scope, (-1, order))] = rest
        return found

    def facts(self) -> dict[FactId, Fact]:
        """Return all facts that values may hang on."""
        return dict((*self.masses.values(), *self.shared.values(), *self.setup.values()))

    def us(self) -> Mapping[FactId, float]:
        """Return the standard uncertainty of every error that values share: facts, and what local
        fits leave out.
        """
        return _Uncertainties({key: fact.u for key, fact in self.facts().items()})

    @property
    def rule_bias_fact(self) -> FactId:
        """The name of what a rule may leave out of an area, an error of its own with u = 1."""
        return LeftOut(BY_RULE, f"trial {self.trial.id}")

    def bodies_of(self, body: str) -> tuple[str, ...]:
        """Return the bodies behind one name: all of them for the total."""
        return tuple(b.name for b in self.trial.followed) if body == TOTAL else (body,)

    def sensor(self, body: str, axis: str) -> Channel:
        """Return a channel that was measured in its own right. Raises NoValueError."""
        for channel in self.trial.body(body).sensors:
            if channel.axis == axis:
                return channel
        raise NoValueError(f"{body} has no such sensor.")

    @cached_property
    def clock_noise(self) -> ClockNoise:
        """Σ of the trial: noise of each channel's readings, and the jitter of its clock along the
        motion.
        """
        reading, rate = {}, {}
        for body in self.trial.bodies:
            source = ErrorSource(f"readings of {body.name}", READINGS, READINGS)
            for channel in body.channels:
                key = self.trial.channel_id(body.name, channel.axis)
                reading[key] = (source, self._position_noise(body.name, channel))
                rate[key] = np.nan_to_num(self.derivative(body.name, channel.axis, 1).value)
            for channel in body.sensors:
                own = ErrorSource(
                    f"readings of {body.name}, {channel.column}",
                    READINGS,
                    f"{body.name} {channel.axis}",
                )
                sigma = self.sensor_noise(body.name, channel).sigma
                variance = (
                    channel.stated**2
                    if channel.stated is not None
                    else float(np.nan_to_num(sigma)) ** 2
                )
                reading[self.trial.channel_id(body.name, channel.axis)] = (
                    own,
                    ReadingNoise(variance),
                )
        return ClockNoise(reading, rate, self.noise.stamp**2, STAMP_SOURCE)

    def _position_noise(self, body: str, channel: Channel) -> ReadingNoise:
        """The noise of a channel of positions: that of the series, with what neighbours share."""
        variance, alike = self.noise.variance(channel), self.correlation(body, channel.axis)
        sigma = float(np.sqrt(np.mean(variance)))
        if not harmonic_amplitudes(channel.resolution, sigma):
            return ReadingNoise(variance, alike)
        fits = self.local_fits(body, channel.axis)
        watched = window_duration(self.trial.t, fits.sizes[1]) if len(fits.usable) > 1 else 1.0
        many = harmonics_worth(len(self.trial.t))
        rounded = harmonic_patterns(
            fits.estimated(0).value, self.trial.t, watched, channel.resolution, sigma, many
        )
        white = white_variance(channel.resolution, sigma, many) / sigma**2
        return ReadingNoise(variance * white, alike, rounded)

    def correlation(self, body: str, axis: str) -> float:
        """Return ρ of the readings of a channel from one sample to the next; 0 where it is not
        noticed.

        What little the samples themselves scatter says nothing of a much larger noise that is known
        from elsewhere.
        """
        found = self.known.noise(self._samples(body, axis))
        speaks = found.sigma > SPEAKS * self.noise.reading
        return found.correlation if speaks else 0.0

    def reading_part(self, body: str, axis: str, order: int) -> Array:
        """Return the variance that readings give a derivative at all samples, in SI squared;
        (n,).
        """
        key = self.trial.channel_id(body, axis)
        noise = self.clock_noise.reading[key][1]
        n = len(self.trial.t)
        if order == 0:
            return noise.of_one(n)
        if isinstance(noise.variance, float) and not noise.alike and not noise.rounding:
            return np.asarray(noise.variance * self.derivative(body, axis, order).norm ** 2)
        fits = self.local_fits(body, axis)
        return fits.variance(order, noise)

    def sensor_noise(self, body: str, channel: Channel) -> LocalNoise:
        """Return the noise of a sensor: its scatter about local fits, or on the spot where a blow
        spoils those.
        """
        found = self.known.noise(
            ChannelSamples(body, channel.axis, self.trial.t, channel.si, channel.resolution)
        )
        good = np.isfinite(channel.si)
        spot = max(
            robust_scatter(self.trial.t[good], channel.si[good]), least_noise(channel.resolution)
        )
        if not found.sigma * SPOILED > spot > 0.0:
            return found
        return replace(found, sigma=spot, dof=float(good.sum()) / ON_THE_SPOT)

    def pools(self) -> Pools:
        """Return how well the variances of readings are known."""
        found = dict(self.noise.pools.relative)
        for body in self.trial.bodies:
            for channel in (c for c in body.sensors if c.stated is None):
                dof = self.sensor_noise(body.name, channel).dof
                if 0.0 < dof < np.inf:
                    pool = f"{body.name} {channel.axis}"
                    found[pool, pool] = 2.0 / dof
        return Pools(found)

    def reading(self, name: str) -> Estimate:
        """Return a named reading as an estimate. Raises NoValueError, also where it hangs on
        itself.
        """
        if name not in self.named or self.estimated is None:
            raise NoValueError(f"There is no reading {name} that does not hang on itself.")
        return self.estimated(self.without(name), self.named[name])

    def without(self, name: str) -> "TrialContext":
        """Return the same trial without a named reading, so that none hangs on itself."""
        return replace(self, named={k: n for k, n in self.named.items() if k != name})

    def fact_parts(self, estimates: Iterable[Estimate]) -> list[SharedPart]:
        """Return the parts of the covariance of some estimates that come from facts, and from what
        local fits leave out.
        """
        facts = [fact_part(key, fact) for key, fact in self.facts().items()]
        return [*left_out_parts(estimates), *facts]


def left_out_parts(estimates: Iterable[Estimate]) -> list[SharedPart]:
    """Return the parts of the covariance of some estimates that come from what local fits leave
    out.
    """
    names: dict[str, list[FactId]] = {}
    for key in dict.fromkeys(key for one in estimates for key in one.sensitivities):
        if isinstance(key, LeftOut):
            names.setdefault(key.name, []).append(key)
    return [
        SharedPart(
            ErrorSource(name, "local fits", f"local fits {name}"), tuple(keys), np.eye(len(keys))
        )
        for name, keys in names.items()
    ]


@dataclass(frozen=True, eq=False)
class QuantityValues:
    """A quantity at m moments: values, and per channel and fact the partial derivatives behind
    them.
    """

    times: Array
    values: Array
    terms: tuple[tuple[ChannelId, Operator], ...]
    facts: Mapping[FactId, Array]

    def estimate(self, c: Array, value: float | None = None) -> Estimate:
        """Return Σ_j c_j · value_j as an estimate in SI; c has shape (m,), zero where a value is
        missing.
        """
        weights: dict[ChannelId, SampleWeights] = {}
        for channel, operator in self.terms:
            more = operator.gathered(c)
            weights[channel] = added(weights[channel], more) if channel in weights else more
        known = np.where(c != 0.0, self.values, 0.0)
        total = float(c @ known) if value is None else value
        return Estimate(
            total, weights, {k: float(c @ np.nan_to_num(s)) for k, s in self.facts.items()}
        )
