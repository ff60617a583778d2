"""Any quantity of a body at any moments, with what each value hangs on: raw samples, and facts of
the setup.

A quantity is a formula of local positions, velocities and accelerations; its partial derivatives
turn their operators on the samples into its own (JCGM 100:2008, 5.1.2), so that readings of it keep
all their correlations.
"""

from collections.abc import Callable, Mapping

import numpy as np

from inertian.motion.derivatives.local_derivatives import mean_over_windows
from inertian.motion.numerics.operators import Operator, identity_operator
from inertian.motion.recording.frame import ANGLE, CENTRE, zero_key
from inertian.physics.definitions.requests import NEEDS_CENTRE, NEEDS_MASS, Quantity, QuantityRef
from inertian.physics.evaluation.formula_series import formula_at_all_samples
from inertian.physics.evaluation.formula_values import formula_values
from inertian.physics.evaluation.frame_facts import Motion
from inertian.physics.evaluation.trial_context import NoValueError, QuantityValues, TrialContext
from inertian.physics.evaluation.turns import turns_of
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.facts import FactId

MAGNITUDE = "magnitude"
ORDERS = {
    Quantity.POSITION: 0,
    Quantity.VELOCITY: 1,
    Quantity.ACCELERATION: 2,
    Quantity.MOMENTUM: 1,
}
EXACT_UP_TO = 1_000  # samples up to which each is moved along its own velocity
ChannelKey = tuple[str, int]  # axis, order of the derivative
ChannelDerivative = Mapping[ChannelKey, Array]


def quantity_values(
    context: TrialContext, shown: QuantityRef, body: str, times: Array, rows: Rows | None = None
) -> QuantityValues:
    """Return a quantity at some times in s, shape (m,); `rows` are those of the samples there, if
    they are at samples.

    Raises NoValueError where something is missing: an axis, a mass, a centre of rotation.
    """
    if shown.quantity is Quantity.SENSOR:
        return _sensor_readout(context, shown, body, times, rows)
    if shown.quantity is Quantity.DERIVED:
        return formula_values(context, shown, body, times, rows)
    values, terms = np.zeros(len(times)), []
    facts: dict[FactId, Array] = {}
    for name in context.bodies_of(body):
        _require(context, shown, name)
        needed = derivatives_needed(shown, context.trial.body(name).axes)
        operators = {key: operator_at(context, name, *key, times, rows) for key in needed}
        local = {key: op.applied(_samples(context, name, key[0])) for key, op in operators.items()}
        if shown.quantity is Quantity.ANGLE and len(times) > 1:
            turns_of(context, name).require_one_piece(times)
        y, slopes = formula(context, shown, name, times, local)
        values = values + y
        terms += [
            (context.trial.channel_id(name, axis), operators[axis, k].scaled(s))
            for (axis, k), s in slopes.items()
        ]
        for (axis, k), s in slopes.items():
            for key, one in (
                context.left_out(name, axis, k, times).items() if k > 0 or rows is None else ()
            ):
                facts[key] = facts.get(key, np.zeros(len(times))) + s * one

        def across(key: ChannelKey, name: str = name) -> Array:
            operator = operator_at(context, name, *key, times, rows)
            return operator.applied(_samples(context, name, key[0]))

        of_facts = _fact_slopes(context, shown, name, y, local, slopes, across)
        for key, s in of_facts.items():
            facts[key] = facts.get(key, np.zeros(len(times))) + s
    return QuantityValues(times, values, tuple(terms), facts)


def at_all_samples(context: TrialContext, shown: QuantityRef, body: str) -> tuple[Array, Array]:
    """Return a quantity and its standard uncertainty at all samples, shape (n,), NaN where there is
    none.

    As `quantity_values`, in one pass over the samples; within one instant all derivatives share
    their samples.
    """
    n = len(context.trial.t)
    if shown.quantity is Quantity.DERIVED:
        return formula_at_all_samples(context, shown, body)
    if shown.quantity is Quantity.SENSOR:
        channel = context.sensor(body, shown.axis)
        source = context.trial.channel_id(body, shown.axis)
        return channel.si, np.sqrt(context.clock_noise.reading[source][1].of_one(n))
    total, variance, jitter = np.zeros(n), np.zeros(n), _Jitter(context)
    facts: dict[FactId, Array] = {}
    for name in context.bodies_of(body):
        _require(context, shown, name)
        needed = derivatives_needed(shown, context.trial.body(name).axes)
        found = {key: context.derivative(name, *key) for key in needed}
        local = {key: one.value for key, one in found.items()}
        y, slopes = formula(context, shown, name, context.trial.t, local)
        total = total + y
        for (axis, order), s in slopes.items():
            variance += s**2 * (
                context.reading_part(name, axis, order) + found[axis, order].bias ** 2
            )
            jitter.add(name, axis, order, s)

        def across(key: ChannelKey, name: str = name) -> Array:
            return context.derivative(name, *key).value

        for key, slope in _fact_slopes(context, shown, name, y, local, slopes, across).items():
            facts[key] = facts.get(key, np.zeros(n)) + slope
    variance += jitter.variance()
    us = context.us()
    variance += sum((s * us[key]) ** 2 for key, s in facts.items())
    return total, np.sqrt(variance)


class _Jitter:
    """What errors of the time stamps do to a quantity at all samples, added up over the channels it
    is made of.

    Each moves all samples along the motion: of short recordings every sample along its own
    velocity, of long ones all of a window along what is usual in it.
    """

    def __init__(self, context: TrialContext) -> None:
        self._seen, self._n = context, len(context.trial.t)
        self._exact = self._n <= EXACT_UP_TO
        self._total = np.zeros((self._n, self._n) if self._exact else self._n)

    def add(self, body: str, axis: str, order: int, slopes: Array) -> None:
        """Add slopes · derivative of a channel; slopes of shape (n,)."""
        if not self._seen.noise.stamp:
            return
        rate = np.nan_to_num(self._seen.derivative(body, axis, 1).value)
        if not self._exact:
            self._total += (
                slopes
                * self._seen.derivative(body, axis, order).norm
                * self._usual(body, axis, order, rate)
            )
        elif order == 0:
            self._total += np.diag(np.nan_to_num(slopes) * rate)
        else:
            fits = self._seen.local_fits(body, axis)
            weights = (
                fits.operator(self._seen.trial.t[fits.usable], order)
                .scaled(slopes[fits.usable])
                .matrix()
            )
            self._total[np.ix_(fits.usable, fits.usable)] += weights * rate[fits.usable]

    def _usual(self, body: str, axis: str, order: int, rate: Array) -> Array:
        """The root mean square rate of the window of each sample, with the sign it has at its
        middle.
        """
        fits = self._seen.local_fits(body, axis)
        found = rate.copy()
        if order > 0 and len(fits.usable):
            own = rate[fits.usable]
            found[fits.usable] = np.sqrt(mean_over_windows(own**2, fits.sizes[order])) * np.where(
                own < 0.0, -1.0, 1.0
            )
        return found

    def variance(self) -> Array:
        """Return the variance they cause at each sample, shape (n,)."""
        squares = np.einsum("ij,ij->i", self._total, self._total) if self._exact else self._total**2
        return np.asarray(self._seen.noise.stamp**2 * squares)


def _samples(context: TrialContext, body: str, axis: str) -> Array:
    return context.trial.body(body).channel(axis).si


def _sensor_readout(
    context: TrialContext, shown: QuantityRef, body: str, times: Array, rows: Rows | None
) -> QuantityValues:
    x = context.sensor(body, shown.axis).si
    operator = operator_at(context, body, shown.axis, 0, times, rows)
    facts: dict[FactId, Array] = {}
    if rows is None:
        facts |= context.left_out(body, shown.axis, 0, times)
    if zero_key(body, shown.axis) in context.shared:
        facts[context.shared[zero_key(body, shown.axis)][0]] = np.full(len(times), -1.0)
    key = context.trial.channel_id(body, shown.axis)
    return QuantityValues(times, operator.applied(x), ((key, operator),), facts)


def _require(context: TrialContext, shown: QuantityRef, body: str) -> None:
    axes = context.trial.body(body).axes
    if shown.axis not in ("", MAGNITUDE, *axes) or not axes:
        raise NoValueError(f"{body} was not followed along {shown.axis}.")
    if shown.quantity in NEEDS_MASS and body not in context.masses:
        raise NoValueError(f"The mass of {body} is not known. Type it in the margin.")
    if shown.quantity in NEEDS_CENTRE and (context.frame.centre is None or set(axes) != {"x", "y"}):
        raise NoValueError(
            "An angle needs x, y and a centre of rotation. Set the centre in the frame."
        )


def derivatives_needed(shown: QuantityRef, axes: tuple[str, ...]) -> list[tuple[str, int]]:
    """Which local derivatives a quantity is made of, by axis and order."""
    quantity = shown.quantity
    if quantity in ORDERS and shown.axis != MAGNITUDE:
        return [(shown.axis, ORDERS[quantity])]
    if quantity is Quantity.ANGULAR_SPEED:
        return [(axis, order) for axis in axes for order in (0, 1)]
    order = ORDERS.get(quantity, 1 if quantity in (Quantity.SPEED, Quantity.KINETIC) else 0)
    return [(axis, order) for axis in axes]


def operator_at(
    context: TrialContext, body: str, axis: str, order: int, times: Array, rows: Rows | None
) -> Operator:
    """Return a derivative of a channel at some times in s, shape (m,), as weights on its samples.

    At samples, whose rows are given, a position is the sample itself.
    """
    fits = context.local_fits(body, axis)
    return (
        identity_operator(fits.usable, rows)
        if order == 0 and rows is not None
        else fits.operator(times, order)
    )


def formula(
    context: TrialContext,
    shown: QuantityRef,
    body: str,
    times: Array,
    local: ChannelDerivative,
    mass: Array | float | None = None,
) -> tuple[Array, dict[tuple[str, int], Array]]:
    """Return a quantity in SI and its partial derivatives by axis and order, from local
    derivatives in SI of shape (…, m) at times in s, shape (m,).
    """
    quantity, keys = shown.quantity, list(local)
    if mass is None:
        mass = context.masses[body][1].si if quantity in NEEDS_MASS else 1.0
    if quantity in NEEDS_CENTRE:
        y, partial = _about_centre(quantity, context.frame.centre or (0.0, 0.0), local)
        if quantity is Quantity.ANGLE:
            y = turns_of(context, body).followed(times, y)
        return y, partial
    if quantity is Quantity.KINETIC:
        squares = sum(local[k] ** 2 for k in keys)
        return np.asarray(0.5 * mass * squares), {k: mass * local[k] for k in keys}
    if quantity in ORDERS and shown.axis != MAGNITUDE:
        (key,) = keys
        return mass * local[key], {key: mass + np.zeros_like(local[key])}
    size = np.sqrt(sum(local[k] ** 2 for k in keys))
    with np.errstate(divide="ignore", invalid="ignore"):
        slopes = {k: mass * np.where(size > 0, local[k] / size, 1.0) for k in keys}
    return mass * size, slopes


def _about_centre(
    quantity: Quantity, centre: tuple[float, float], local: ChannelDerivative
) -> tuple[Array, dict[tuple[str, int], Array]]:
    x, y = local["x", 0] - centre[0], local["y", 0] - centre[1]
    r2 = x * x + y * y
    if quantity is Quantity.RADIUS:
        r = np.sqrt(r2)
        return r, {("x", 0): x / r, ("y", 0): y / r}
    if quantity is Quantity.ANGLE:
        return np.arctan2(y, x), {("x", 0): -y / r2, ("y", 0): x / r2}
    vx, vy = local["x", 1], local["y", 1]
    omega = (x * vy - y * vx) / r2
    return omega, {
        ("x", 0): (vy - 2.0 * omega * x) / r2,
        ("y", 0): (-vx - 2.0 * omega * y) / r2,
        ("x", 1): -y / r2,
        ("y", 1): x / r2,
    }


def _fact_slopes(
    context: TrialContext,
    shown: QuantityRef,
    body: str,
    y: Array,
    local: ChannelDerivative,
    slopes: Mapping[ChannelKey, Array],
    across: Callable[[ChannelKey], Array],
) -> dict[FactId, Array]:
    """∂y/∂fact for the facts that a quantity hangs on; `across` gives what was not needed for y
    itself.
    """
    found: dict[FactId, Array] = {}
    if shown.quantity in NEEDS_MASS:
        key, fact = context.masses[body]
        found[key] = y / fact.si
    centre = dict.fromkeys("xy", 0.0)
    if shown.quantity in NEEDS_CENTRE:  # the centre is of the picture: a scale stretches it too
        centre = dict(zip("xy", context.frame.centre or (0.0, 0.0), strict=True))
    for (axis, order), s in slopes.items():
        value = local[axis, order] - (centre[axis] if order == 0 else 0.0)
        sideways = None
        if ANGLE in context.shared and set(context.trial.body(body).axes) == {"x", "y"}:
            other = ("y" if axis == "x" else "x", order)
            sideways = local[other] if other in local else across(other)
        motion = Motion(axis, order, value, sideways)
        for fact_id, slope in motion.slopes(context.frame, context.shared).items():
            found[fact_id] = found.get(fact_id, np.zeros(len(y))) + s * slope
    if shown.quantity in NEEDS_CENTRE:
        for axis, name in CENTRE.items():
            if name in context.shared and (axis, 0) in slopes:
                found[context.shared[name][0]] = -slopes[axis, 0]
    return found
