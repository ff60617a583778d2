"""Any quantity of a body at any moments, with what each value hangs on: raw samples, and facts of the setup.

A quantity is a formula of local positions, velocities and accelerations; its partial derivatives turn their operators
on the samples into its own (JCGM 100:2008, 5.1.2), so that readings of it keep all their correlations.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from inertian.motion.derivatives import Derivatives
from inertian.motion.frame import ANGLE, CENTRE, ORIGIN, Frame, zero_key
from inertian.motion.glitches import scatter
from inertian.motion.local import Operator, local_operator, samples_themselves
from inertian.motion.noise import READINGS, Noise
from inertian.motion.spans import Spans
from inertian.motion.trials import Channel, Trial
from inertian.physics.asked import NEEDS_CENTRE, NEEDS_MASS, TOTAL, Quantity, Shown
from inertian.physics.collisions import SCALE, STAMP_SOURCE, TIME_BASE
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import (
    Array,
    ChannelId,
    ClockNoise,
    Estimate,
    Rows,
    SampleWeights,
    SharedPart,
    Source,
)
from inertian.quantities.facts import Fact, FactId

MAGNITUDE = "magnitude"
ORDERS = {Quantity.POSITION: 0, Quantity.VELOCITY: 1, Quantity.ACCELERATION: 2, Quantity.MOMENTUM: 1}
# powers of length and of 1/time in each quantity, for a scale or a time base that is a fact with a ±
DIMENSIONS = {
    Quantity.POSITION: (1, 0),
    Quantity.RADIUS: (1, 0),
    Quantity.VELOCITY: (1, 1),
    Quantity.SPEED: (1, 1),
    Quantity.MOMENTUM: (1, 1),
    Quantity.ACCELERATION: (1, 2),
    Quantity.KINETIC: (2, 2),
    Quantity.ANGLE: (0, 0),
    Quantity.ANGULAR_SPEED: (0, 1),
    Quantity.SENSOR: (0, 0),
}
Local = Mapping[tuple[str, int], Array]  # by axis and order of the derivative


class ReadoutError(Refusal):
    """A quantity cannot be had of this trial; the text says what is missing."""


@dataclass(frozen=True, eq=False)
class Observed:
    """A trial as it is read: samples that count, spans, frame, and the facts and noise that hold for it."""

    trial: Trial
    spans: Spans
    frame: Frame
    noise: Noise
    masses: Mapping[str, tuple[FactId, Fact]]
    shared: Mapping[str, tuple[FactId, Fact]] = field(default_factory=dict)  # scale, time base, angle, origin, centre
    known: Derivatives = field(default_factory=Derivatives)

    def walls(self, body: str) -> tuple[float, ...]:
        """Return the times that nothing of a body may be derived across."""
        return self.spans.of(body).walls()

    def derivative(self, body: str, axis: str, order: int) -> tuple[Array, Array]:
        """Return value, velocity or acceleration at all samples, and the norms √Σw² of their weights; shape (n,)."""
        x = self.trial.body(body).channel(axis).si
        if order == 0:
            return x, np.ones(len(x))
        return self.known.of((body, axis), self.trial.t, x, order, self.walls(body))

    def bodies_of(self, body: str) -> tuple[str, ...]:
        """Return the bodies behind one name: all of them for the total."""
        return tuple(b.name for b in self.trial.followed) if body == TOTAL else (body,)

    def sensor(self, body: str, axis: str) -> Channel:
        """Return a channel that was measured in its own right. Raises ReadoutError."""
        for channel in self.trial.body(body).sensors:
            if channel.axis == axis:
                return channel
        raise ReadoutError(f"{body} has no such sensor.")

    def clock_noise(self) -> ClockNoise:
        """Return Σ of the trial: noise of each channel's readings, and the jitter of its clock along the motion."""
        reading, rate = {}, {}
        for body in self.trial.bodies:
            source = Source(f"readings of {body.name}", READINGS, READINGS)
            for channel in body.channels:
                key = self.trial.channel_id(body.name, channel.axis)
                reading[key] = (source, self.noise.reading**2)
                rate[key] = np.nan_to_num(self.derivative(body.name, channel.axis, 1)[0])
            for channel in body.sensors:
                good = np.isfinite(channel.si)
                sigma = max(scatter(self.trial.t[good], channel.si[good]), channel.resolution / np.sqrt(12.0))
                own = Source(f"readings of {body.name}, {channel.column}", READINGS, f"{body.name} {channel.axis}")
                reading[self.trial.channel_id(body.name, channel.axis)] = (own, sigma**2)
        return ClockNoise(reading, rate, self.noise.stamp**2, STAMP_SOURCE)

    def fact_parts(self) -> list[SharedPart]:
        """Return the parts of the covariance that come from facts."""
        facts = dict((*self.masses.values(), *self.shared.values()))
        return [
            SharedPart(Source(k.name, "fact", f"fact {k.name}", f.bounded), (k,), np.array([[f.u**2]]))
            for k, f in facts.items()
        ]


@dataclass(frozen=True, eq=False)
class Readout:
    """A quantity at m moments: values, and per channel and fact the partial derivatives behind them."""

    times: Array
    values: Array
    terms: tuple[tuple[ChannelId, Operator], ...]
    facts: Mapping[FactId, Array]

    def estimate(self, c: Array, value: float | None = None) -> Estimate:
        """Return Σ_j c_j · value_j as an estimate; c has shape (m,), zero where a value is missing."""
        weights: dict[ChannelId, SampleWeights] = {}
        for channel, operator in self.terms:
            more = operator.gathered(c)
            weights[channel] = _added(weights[channel], more) if channel in weights else more
        known = np.where(c != 0.0, self.values, 0.0)
        total = float(c @ known) if value is None else value
        return Estimate(total, weights, {k: float(c @ np.nan_to_num(s)) for k, s in self.facts.items()})


def _added(a: SampleWeights, b: SampleWeights) -> SampleWeights:
    start, stop = min(a.start, b.start), max(a.stop, b.stop)
    total = np.zeros(max(stop - start, 0))
    for one in (a, b):
        total[one.start - start : one.stop - start] += one.values
    return SampleWeights(start, total)


def readout(seen: Observed, shown: Shown, body: str, times: Array, rows: Rows | None = None) -> Readout:
    """Return a quantity at some times in s, shape (m,); `rows` are those of the samples there, if they are at samples.

    Raises ReadoutError where something is missing: an axis, a mass, a centre of rotation.
    """
    if shown.quantity is Quantity.SENSOR:
        return _sensor_readout(seen, shown, body, times, rows)
    values, terms = np.zeros(len(times)), []
    facts: dict[FactId, Array] = {}
    for name in seen.bodies_of(body):
        _require(seen, shown, name)
        needed = _needed(shown, seen.trial.body(name).axes)
        operators = {key: _operator(seen, name, *key, times, rows) for key in needed}
        local = {key: op.applied(_samples(seen, name, key[0])) for key, op in operators.items()}
        y, slopes = formula(seen, shown, name, local)
        values = values + y
        terms += [(seen.trial.channel_id(name, axis), operators[axis, k].scaled(s)) for (axis, k), s in slopes.items()]
        for key, s in _fact_slopes(seen, shown, name, y, local, slopes).items():
            facts[key] = facts.get(key, np.zeros(len(times))) + s
    return Readout(times, values, tuple(terms), facts)


def at_all_samples(seen: Observed, shown: Shown, body: str) -> tuple[Array, Array]:
    """Return a quantity and its standard uncertainty at all samples, shape (n,), NaN where there is none.

    As `readout`, in one pass over the samples; within one instant all derivatives share their samples.
    """
    n = len(seen.trial.t)
    if shown.quantity is Quantity.SENSOR:
        channel = seen.sensor(body, shown.axis)
        source = seen.trial.channel_id(body, shown.axis)
        return channel.si, np.full(n, np.sqrt(seen.clock_noise().reading[source][1]))
    total, variance, jitter = np.zeros(n), np.zeros(n), np.zeros(n)
    facts: dict[FactId, Array] = {}
    for name in seen.bodies_of(body):
        _require(seen, shown, name)
        needed = _needed(shown, seen.trial.body(name).axes)
        found = {key: seen.derivative(name, *key) for key in needed}
        local = {key: value for key, (value, _norm) in found.items()}
        y, slopes = formula(seen, shown, name, local)
        total = total + y
        for (axis, order), s in slopes.items():
            pull = s * found[axis, order][1]
            variance += (pull * seen.noise.reading) ** 2
            if seen.noise.stamp > 0.0:
                jitter += pull * np.nan_to_num(seen.derivative(name, axis, 1)[0])
        for key, slope in _fact_slopes(seen, shown, name, y, local, slopes).items():
            facts[key] = facts.get(key, np.zeros(n)) + slope
    variance += (seen.noise.stamp * jitter) ** 2
    us = {key: fact.u for key, fact in (*seen.masses.values(), *seen.shared.values())}
    variance += sum((s * us[key]) ** 2 for key, s in facts.items())
    return total, np.sqrt(variance)


def _samples(seen: Observed, body: str, axis: str) -> Array:
    return seen.trial.body(body).channel(axis).si


def _sensor_readout(seen: Observed, shown: Shown, body: str, times: Array, rows: Rows | None) -> Readout:
    x = seen.sensor(body, shown.axis).si
    usable = np.flatnonzero(np.isfinite(x))
    if rows is not None:
        operator = samples_themselves(rows)
    else:
        operator = local_operator(seen.trial.t, usable, times, seen.walls(body), 0)
    key = seen.trial.channel_id(body, shown.axis)
    zero = seen.shared.get(zero_key(body, shown.axis))
    return Readout(times, operator.applied(x), ((key, operator),), {zero[0]: np.full(len(times), -1.0)} if zero else {})


def _require(seen: Observed, shown: Shown, body: str) -> None:
    axes = seen.trial.body(body).axes
    if shown.axis not in ("", MAGNITUDE, *axes) or not axes:
        raise ReadoutError(f"{body} was not followed along {shown.axis}.")
    if shown.quantity in NEEDS_MASS and body not in seen.masses:
        raise ReadoutError(f"The mass of {body} is not known. Type it in the margin.")
    if shown.quantity in NEEDS_CENTRE and (seen.frame.centre is None or set(axes) != {"x", "y"}):
        raise ReadoutError("An angle needs x, y and a centre of rotation. Set the centre in the frame.")


def _needed(shown: Shown, axes: tuple[str, ...]) -> list[tuple[str, int]]:
    """Which local derivatives a quantity is made of, by axis and order."""
    quantity = shown.quantity
    if quantity in ORDERS and shown.axis != MAGNITUDE:
        return [(shown.axis, ORDERS[quantity])]
    if quantity is Quantity.ANGULAR_SPEED:
        return [(axis, order) for axis in axes for order in (0, 1)]
    order = ORDERS.get(quantity, 1 if quantity in (Quantity.SPEED, Quantity.KINETIC) else 0)
    return [(axis, order) for axis in axes]


def _operator(seen: Observed, body: str, axis: str, order: int, times: Array, rows: Rows | None) -> Operator:
    if order == 0 and rows is not None:
        return samples_themselves(rows)
    usable = np.flatnonzero(np.isfinite(_samples(seen, body, axis)))
    return local_operator(seen.trial.t, usable, times, seen.walls(body), order)


def formula(seen: Observed, shown: Shown, body: str, local: Local) -> tuple[Array, dict[tuple[str, int], Array]]:
    """Return a quantity and its partial derivatives by axis and order, from local derivatives of shape (m,)."""
    quantity, keys = shown.quantity, list(local)
    mass = seen.masses[body][1].si if quantity in NEEDS_MASS else 1.0
    if quantity in NEEDS_CENTRE:
        return _about_centre(quantity, seen.frame.centre or (0.0, 0.0), local)
    if quantity is Quantity.KINETIC:
        squares = sum(local[k] ** 2 for k in keys)
        return np.asarray(0.5 * mass * squares), {k: mass * local[k] for k in keys}
    if quantity in ORDERS and shown.axis != MAGNITUDE:
        (key,) = keys
        return mass * local[key], {key: np.full(len(local[key]), mass)}
    size = np.sqrt(sum(local[k] ** 2 for k in keys))
    with np.errstate(divide="ignore", invalid="ignore"):
        slopes = {k: mass * np.where(size > 0, local[k] / size, 1.0) for k in keys}
    return mass * size, slopes


def _about_centre(
    quantity: Quantity, centre: tuple[float, float], local: Local
) -> tuple[Array, dict[tuple[str, int], Array]]:
    x, y = local["x", 0] - centre[0], local["y", 0] - centre[1]
    r2 = x * x + y * y
    if quantity is Quantity.RADIUS:
        r = np.sqrt(r2)
        return r, {("x", 0): x / r, ("y", 0): y / r}
    if quantity is Quantity.ANGLE:
        angle = np.arctan2(y, x)
        good = np.isfinite(angle)
        angle[good] = np.unwrap(angle[good])
        return angle, {("x", 0): -y / r2, ("y", 0): x / r2}
    vx, vy = local["x", 1], local["y", 1]
    omega = (x * vy - y * vx) / r2
    return omega, {
        ("x", 0): (vy - 2.0 * omega * x) / r2,
        ("y", 0): (-vx - 2.0 * omega * y) / r2,
        ("x", 1): -y / r2,
        ("y", 1): x / r2,
    }


def _fact_slopes(
    seen: Observed, shown: Shown, body: str, y: Array, local: Local, slopes: Mapping[tuple[str, int], Array]
) -> dict[FactId, Array]:
    """∂y/∂fact for the facts that a quantity hangs on."""
    found: dict[FactId, Array] = {}
    if shown.quantity in NEEDS_MASS:
        key, fact = seen.masses[body]
        found[key] = y / fact.si
    lengths, rates = DIMENSIONS[shown.quantity]
    for name, power in ((SCALE, lengths), (TIME_BASE, -rates)):
        if name in seen.shared and power:
            key, fact = seen.shared[name]
            found[key] = power * y / fact.si
    if ANGLE in seen.shared and set(seen.trial.body(body).axes) == {"x", "y"}:
        key, _ = seen.shared[ANGLE]
        handed = seen.frame.sign("x") * seen.frame.sign("y")
        turned = np.zeros(len(y))
        for (axis, order), s in slopes.items():
            other = "y" if axis == "x" else "x"
            sideways = local.get((other, order))
            if sideways is None:
                sideways = _across(seen, body, other, order, len(y))
            turned = turned + s * (handed if axis == "x" else -handed) * sideways
        found[key] = turned
    if shown.quantity in (Quantity.POSITION, *NEEDS_CENTRE):
        found.update(_place_slopes(seen, slopes))
    return found


def _across(seen: Observed, body: str, axis: str, order: int, m: int) -> Array:
    """The component at right angles, which the angle of the axes mixes in; its mean where not at samples."""
    values = seen.derivative(body, axis, order)[0]
    return values if len(values) == m else np.full(m, float(np.nanmean(values)))


def _place_slopes(seen: Observed, slopes: Mapping[tuple[str, int], Array]) -> dict[FactId, Array]:
    """Sensitivities to the origin and to the centre of rotation."""
    found: dict[FactId, Array] = {}
    places = {axis: s for (axis, order), s in slopes.items() if order == 0}
    for axis, name in ORIGIN.items():
        if name in seen.shared:
            found[seen.shared[name][0]] = -sum((s * seen.frame.mixed(a, axis) for a, s in places.items()), np.zeros(1))
    for axis, name in CENTRE.items():
        if name in seen.shared and axis in places:
            found[seen.shared[name][0]] = -places[axis]
    return found
