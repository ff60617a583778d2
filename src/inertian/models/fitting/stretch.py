"""From when to when a model runs, and with what places and velocities it starts."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.models.definitions.force_kinds import (
    BUMPER,
    CONTACT,
    DAMPED,
    FRICTION,
    PENDULUM,
    PUSH,
    RECORDED,
    REPULSION,
    ROLLING,
    SPRING,
    THRUST,
    TORSION,
)
from inertian.models.definitions.model import Model
from inertian.models.definitions.system import Coordinate, MovingBody, System
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.numerics.circles import CircleError, fit_circle
from inertian.motion.spans.spans import Span
from inertian.physics.definitions.requests import CurveRequest, Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.physics.readings.readings import fit_curve_request
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.estimates import Array, Estimate
from inertian.quantities.facts import Fact, FactId

# Forces that carry a model through what else would end its stretch
THROUGH = (
    BUMPER, CONTACT, REPULSION, PUSH, THRUST, RECORDED, SPRING, DAMPED, PENDULUM, TORSION,
)  # fmt: skip
BEGIN = 9  # samples at the begin that tell a first guess
LEAST = 6  # samples of a stretch
SURE = 0.05  # of a radius, up to which a circle tells its centre
MOVES = 3.0  # u of a velocity, from which a body is said to move


@dataclass(frozen=True)
class Stretch:
    """From one moment to another, in s of the file."""

    start: float
    stop: float


@dataclass(frozen=True, eq=False)
class StartState:
    """Places and rates of all coordinates at the start, in SI, (coordinates,). Those that come from
    samples, or are typed with a ±, have an estimate; `free` are adjusted with the parameters.
    """

    places: Array
    rates: Array
    held: dict[str, Estimate]  # by the name of the coordinate in the program
    free: tuple[str, ...]
    facts: dict[FactId, Fact]  # what was typed with a ±


def stretch_of(context: TrialContext, model: Model, bodies: Sequence[str]) -> Stretch:
    """Return when a model runs. Raises Refusal where its span is none, or too little is left."""
    t = context.trial.t
    start, span = float(t[0]), None
    if model.start.span:
        span = _span(context, model.start.span)
        start = span.start
    elif model.start.time is not None:
        start = model.start.time
        if not t[0] <= start < t[-1]:
            raise Refusal(
                f"The start, {start:.4g} s, is not inside the recording, which goes from "
                f"{t[0]:.4g} s to {t[-1]:.4g} s."
            )
    stop = float(t[-1])
    if not any(force.kind in THROUGH for force in model.acting):
        pieces = _free_pieces(context, bodies)
        if model.start.span or model.start.time is not None:
            ahead = [p for p in pieces if p.start <= start + 1e-12 and p.stop > start]
            stop = ahead[0].stop if ahead else stop
        elif pieces:
            longest = max(pieces, key=lambda p: p.stop - p.start)
            start, stop = longest.start, longest.stop
    if model.until is not None:
        stop = model.until
    many = int(np.sum((t >= start) & (t <= stop)))
    if many < LEAST:
        raise Refusal(
            f"From {start:.4g} s to {stop:.4g} s there are {many} samples; a model needs {LEAST}."
        )
    return Stretch(start, stop)


def _span(context: TrialContext, name: str) -> Span:
    for span in context.spans:
        if span.name == name:
            return span
    there = ", ".join(s.name for s in context.spans) or "none"
    raise Refusal(f"There is no span “{name[:40]}” in {context.trial.name}. There is: {there}.")


def _free_pieces(context: TrialContext, bodies: Sequence[str]) -> list[Stretch]:
    """The recording between what changes velocities all at once."""
    t = context.trial.t
    events = sorted(
        {(s.start, s.stop) for b in bodies for s in context.spans.of(b) if s.kind.event}
    )
    edges, pieces = float(t[0]), []
    for start, stop in events:
        if start > edges:
            pieces.append(Stretch(edges, start))
        edges = max(edges, stop)
    if edges < t[-1]:
        pieces.append(Stretch(edges, float(t[-1])))
    return [p for p in pieces if np.sum((t >= p.start) & (t <= p.stop)) >= LEAST]


def seen_coordinates(
    context: TrialContext, system: System, body: MovingBody, values: dict[str, float]
) -> dict[str, tuple[Array, Array]]:
    """Return what samples tell of the coordinates of a body: places and rates at all rows, (n,), by
    the name of the coordinate; NaN where nothing is known. Circles of turning bodies are found
    first, into `values`.
    """
    trial = context.trial.body(body.name)
    if not context.trial.recorded:
        nothing = np.full(len(context.trial.t), np.nan)
        return {c.place: (nothing, nothing) for c in body.coordinates}
    if not body.turning:
        return {
            c.place: (
                trial.channel(c.axis).si,
                context.derivative(body.name, c.axis, 1).value,
            )
            for c in body.coordinates
        }
    c = body.coordinates[0]
    t = context.trial.t
    if len(trial.axes) > 1:
        x, y = (trial.channel(axis).si for axis in "xy")
        centre = _circle(system, body, t, x, y, values)
        dx, dy = x - centre[0], y - centre[1]
        angle = np.arctan2(dx, -dy) if body.hanging else np.arctan2(dy, dx)
    else:
        x = trial.channel(trial.axes[0]).si
        length = _length(system, body, values, t, x)
        angle = np.arcsin(np.clip((x - _pivot(system, body, values, x)) / length, -0.999, 0.999))
    good = np.isfinite(angle)
    followed = np.full(len(t), np.nan)
    followed[good] = np.unwrap(angle[good])
    return {c.place: (followed, _rates(t, followed))}


def _rates(t: Array, angle: Array) -> Array:
    """Differences over some samples, for a first guess."""
    good = np.flatnonzero(np.isfinite(angle))
    found = np.full(len(t), np.nan)
    wide = max(1, min(3, len(good) // 6))
    if len(good) > 2 * wide:
        middle = good[wide:-wide]
        found[middle] = (angle[good[2 * wide :]] - angle[good[: -2 * wide]]) / (
            t[good[2 * wide :]] - t[good[: -2 * wide]]
        )
        found[good[:wide]], found[good[-wide:]] = found[middle[0]], found[middle[-1]]
    return found


def _pendulum(system: System, body: MovingBody) -> int:
    return next(k for k, f in enumerate(system.forces) if f.kind == "pendulum"
                and any(b is body for b in system.acted_on(k)))  # fmt: skip


def _circle(
    system: System, body: MovingBody, t: Array, x: Array, y: Array, values: dict[str, float]
) -> tuple[float, float]:
    if body.hanging:
        place = _pendulum(system, body)
        names = [system.setting(place, f"{axis}_p", body.name) for axis in "xy"]
    else:
        names = [system.setting(-1, f"{axis}_c", body.name) for axis in "xy"]
    radius = system.setting(-1, "r", body.name)
    known = [s.value if s.known else values.get(s.code) for s in names]
    if None in known:
        known = list(_centre(system, body, t, x, y))
        for one, value in zip(names, known, strict=True):
            if not one.known:
                values[one.code] = float(value or 0.0)
    centre = tuple(s.value if s.known else values[s.code] for s in names)
    values[radius.code] = float(np.nanmean(np.hypot(x - centre[0], y - centre[1])))
    return centre[0], centre[1]


def _centre(system: System, body: MovingBody, t: Array, x: Array, y: Array) -> tuple[float, float]:
    """Where the circle has its centre; of a short arc of a pendulum, as far above as it swings
    slowly.
    """
    try:
        circle = fit_circle(x, y)
        if circle.u[2] < SURE * circle.r and (not body.hanging or circle.y > np.nanmax(y)):
            return circle.x, circle.y
    except CircleError:
        pass
    if not body.hanging:
        return 0.0, 0.0
    length = natural_length(t, x, system.setting(_pendulum(system, body), "g").value)
    return 0.5 * float(np.nanmax(x) + np.nanmin(x)), float(np.nanmin(y)) + length


def _pivot(system: System, body: MovingBody, values: dict[str, float], x: Array) -> float:
    one = system.setting(_pendulum(system, body), "x_p", body.name)
    if one.known:
        return one.value
    return values.setdefault(one.code, 0.5 * float(np.nanmax(x) + np.nanmin(x)))


def _length(
    system: System, body: MovingBody, values: dict[str, float], t: Array, x: Array
) -> float:
    place = _pendulum(system, body)
    one = system.setting(place, "l", body.name)
    if one.known:
        return one.value
    if one.code not in values:
        values[one.code] = natural_length(t, x, system.setting(place, "g").value)
    return max(values[one.code], 0.51 * float(np.nanmax(x) - np.nanmin(x)))


def natural_length(t: Array, x: Array, g: float) -> float:
    """Return the length of a pendulum that swings as often as values about their middle, in m."""
    good = np.isfinite(x)
    around, times = x[good] - 0.5 * (np.max(x[good]) + np.min(x[good])), t[good]
    wide = 0.25 * float(np.max(np.abs(around)))
    side = np.where(around > wide, 1, np.where(around < -wide, -1, 0))
    kept = np.flatnonzero(side)
    turns = np.flatnonzero(np.diff(side[kept]))
    if len(turns) > 1:
        first, last = times[kept[turns[0]]], times[kept[turns[-1]]]
        period = 2.0 * float(last - first) / (len(turns) - 1)
    else:
        period = 2.0 * float(times[-1] - times[0])
    return g * (period / (2.0 * np.pi)) ** 2


def start_state(
    context: TrialContext, model: Model, system: System, stretch: Stretch,
    seen: dict[str, tuple[Array, Array]],
) -> StartState:  # fmt: skip
    """Return the state a model starts from. Raises Refusal where nothing is known of it."""
    places: list[float] = []
    rates: list[float] = []
    held: dict[str, Estimate] = {}
    free: list[str] = []
    facts: dict[FactId, Fact] = {}
    trial = context.trial.id
    for c in system.coordinates:
        typed = next((s for s in model.start.typed if (s.body, s.axis) == (c.body, c.axis)), None)
        whole = typed is not None and None not in (typed.place, typed.rate)
        if not whole and not context.trial.recorded:
            raise Refusal(
                f"Nothing was recorded of {c.body}: type where it starts, "
                + ("φ = 10 ° and ω = 0 1/s." if c.axis == "angle" else "x = 0 m and v = 1.4 m/s.")
            )
        first = (0.0, 0.0) if whole else _first_guess(context.trial.t, *seen[c.place], stretch)
        estimates = None
        wanted = model.start.span or model.start.time is not None
        if wanted and not model.start.fitted and c.axis != "angle":
            estimates = _from_samples(context, model, c, stretch.start)
        resting = _rests(context, system, c, stretch)
        pairs = ((c.place, "place", places), (c.rate, "rate", rates))
        for k, (name, what, into) in enumerate(pairs):
            fact = getattr(typed, what) if typed is not None else None
            if fact is not None:
                into.append(fact.si)
                # What two models say alike of the start is one error
                key = FactId(f"{name} = {fact} at the start", f"trial {trial}")
                facts[key] = fact
                held[name] = Estimate(fact.si, {}, {key: 1.0} if fact.u else {})
            elif resting and what == "rate":
                into.append(0.0)
                held[name] = Estimate(0.0)
            elif estimates is not None:
                into.append(estimates[k].value)
                held[name] = estimates[k]
            else:
                into.append(first[k])
                free.append(name)
    return StartState(np.array(places), np.array(rates), held, tuple(free), facts)


def _first_guess(t: Array, x: Array, v: Array, stretch: Stretch) -> tuple[float, float]:
    inside = np.flatnonzero((t >= stretch.start) & (t <= stretch.stop) & np.isfinite(x))
    if len(inside) < 2:
        raise Refusal("There are too few samples at the start of the model.")
    rows = inside[: max(BEGIN, min(len(inside) // 20, 400))]
    tau = t[rows] - stretch.start
    degree = 2 if len(rows) >= 6 else 1
    scale = float(tau[-1]) or 1.0
    found = np.polynomial.polynomial.polyfit(tau / scale, x[rows], degree)
    return float(found[0]), float(found[1] / scale)


def _rests(context: TrialContext, system: System, c: Coordinate, stretch: Stretch) -> bool:
    """Whether a body that dry friction acts on does not move at the start: then friction keeps it
    where it is, and its velocity is zero, not what the samples scatter by.
    """
    dry = any(
        force.kind in (FRICTION, ROLLING) and (not force.bodies or c.body in force.bodies)
        for force in system.forces
    )
    if not dry or c.axis == "angle":
        return False
    t, body = context.trial.t, context.trial.body(c.body)
    for channel in body.channels:
        inside = np.flatnonzero(
            (t >= stretch.start) & (t <= stretch.stop) & np.isfinite(channel.si)
        )
        rows = inside[: max(BEGIN, len(inside) // 3)]
        if len(rows) < BEGIN:
            return False
        tau = t[rows] - t[rows].mean()
        x = channel.si[rows] - channel.si[rows].mean()
        slope = float(tau @ x / (tau @ tau))
        variance = float(np.mean(context.noise.variance(channel)))
        if slope**2 * float(tau @ tau) > MOVES**2 * variance:
            return False
    return True


def _from_samples(
    context: TrialContext, model: Model, c: Coordinate, at: float
) -> tuple[Estimate, Estimate]:
    """Place and rate at the start: of a parabola over the span, or of the samples about the
    moment.
    """
    try:
        if model.start.span:
            shown = QuantityRef(Quantity.POSITION, c.axis)
            request = CurveRequest(shown, c.body, model.start.span, CurveShape.PARABOLA)
            made = fit_curve_request(context, request)
            names = [symbol for symbol, _ in made.parameters]
            return made.estimates[names[0]], made.estimates[names[1]]
        time, one = np.array([at]), np.array([1.0])
        pair = [
            quantity_values(context, QuantityRef(q, c.axis), c.body, time).estimate(one)
            for q in (Quantity.POSITION, Quantity.VELOCITY)
        ]
    except InertianError as error:
        raise Refusal(f"No start can be had for {c.body}: {error}") from None
    if not all(np.isfinite(e.value) for e in pair):
        raise Refusal(f"There are too few samples of {c.body} at {at:.4g} s to start from.")
    return pair[0], pair[1]
