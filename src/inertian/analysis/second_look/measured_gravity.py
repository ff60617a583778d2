"""g as a single body shows it: on a slope of known angle, in flight, or in a swing."""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from inertian.analysis.second_look.cases import Case
from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.numerics.circles import CircleError, fit_circle
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.events import EventKind
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId

MOST_OF = 0.8  # of a recording that is one fall
SINE_STEPS = 12
SAME_FLIGHTS = 4.0  # u by which the accelerations of two flights may differ
STEADY_ACROSS = 4.0  # u of the acceleration across, of what was thrown
CLEAR_Z = 5.0  # u of an acceleration that is one


@dataclass(frozen=True)
class Measured:
    """g as a motion shows it, as a ratio to what it is, with its u; negative where heights count
    downwards.
    """

    ratio: float
    u: float
    body: str
    span: str
    t0: float
    t1: float


def _acceleration(case: Case, fit: BodyFit, axis: str) -> tuple[float, float]:
    own = fit.fits[axis]
    t, x = own.t0, own
    sigma = math.sqrt(max(x.sum_of_squares / max(x.dof, 1), case_floor(case, fit.body, axis)))
    return x.at(t, 2), sigma * float(np.linalg.norm(x.weights(t, 2).values))


def case_floor(case: Case, body: str, axis: str) -> float:
    """Return the least variance of a reading, from the step of the recording, in m²."""
    return case.trial.body(body).channel(axis).resolution ** 2 / 12.0


def _flights(case: Case) -> list[tuple[Span, BodyFit]]:
    body = case.trial.followed[0].name
    return [
        (span, fit)
        for span, fit in case.steady(body)
        if span.kind is SpanKind.ACCELERATION and not fit.stray
    ]


def measured_gravity(case: Case) -> Measured | None:
    """Return g as the only body of a trial shows it: on a slope of known angle, in flight or in a
    swing; None where nothing says that gravity moves it.
    """
    if len(case.trial.followed) != 1:
        return None
    facts = {
        **case.project.setup_facts(case.entry),
        **case.project.account_facts(case.entry),
    }
    g = facts["g", ""][1]
    if ("I", case.trial.followed[0].name) in facts:
        return None
    incline = facts.get(("θ", ""))
    if incline is not None and incline[1].si != 0.0:
        return _on_a_slope(case, g, incline[1], facts.get(("μ", "")))
    if case.event.kind is EventKind.SWING:
        return _in_a_swing(case, g)
    return _in_flight(case, g)


def _on_a_slope(
    case: Case, g: Fact, incline: Fact, friction: tuple[FactId, Fact] | None
) -> Measured | None:
    axis = next(iter(case.trial.followed[0].axes))
    if len(case.trial.followed[0].axes) != 1:
        return None
    flights = _flights(case)
    body = case.trial.followed[0].name
    pull = -g.si * math.sin(incline.si)
    u_pull = math.hypot(g.u * math.sin(incline.si), g.si * math.cos(incline.si) * incline.u)
    ways = _ways(flights, axis)
    if ways is not None:
        own = [_acceleration(case, fit, axis) for _, fit in ways]
        a, u = 0.5 * (own[0][0] + own[1][0]), 0.5 * math.hypot(own[0][1], own[1][1])
        return _ratio(a, u, pull, u_pull, body, ways[0][0].name, ways[0][0].start, ways[1][0].stop)
    if friction is None or len(flights) != 1:
        return None
    span, fit = flights[0]
    way = math.copysign(1.0, fit.fits[axis].at(fit.fits[axis].t0, 1))
    rub = friction[1].si * g.si * math.cos(incline.si)
    u_rub = friction[1].u * g.si * math.cos(incline.si)
    a, u = _acceleration(case, fit, axis)
    # Where the sign of the angle is wrong, friction still works against the motion
    if a * (pull - way * rub) < 0.0 < abs(pull) - rub:
        pull = -pull
        made = _ratio(
            a,
            u,
            pull - way * rub,
            math.hypot(u_pull, u_rub),
            body,
            span.name,
            span.start,
            span.stop,
        )
        return made and Measured(-made.ratio, made.u, body, span.name, span.start, span.stop)
    return _ratio(
        a, u, pull - way * rub, math.hypot(u_pull, u_rub), body, span.name, span.start, span.stop
    )


def _ways(
    flights: list[tuple[Span, BodyFit]], axis: str
) -> tuple[tuple[Span, BodyFit], tuple[Span, BodyFit]] | None:
    """Two spans that follow one another, the body going one way and then the other."""
    for one, two in pairwise(flights):
        v = [fit.fits[axis].at(fit.fits[axis].t0, 1) for _, fit in (one, two)]
        a = [fit.fits[axis].at(fit.fits[axis].t0, 2) for _, fit in (one, two)]
        if v[0] * v[1] < 0.0 < a[0] * a[1]:
            return one, two
    return None


def _ratio(
    a: float,
    u: float,
    expected: float,
    u_expected: float,
    body: str,
    span: str,
    t0: float,
    t1: float,
) -> Measured | None:
    if expected == 0.0 or a == 0.0:
        return None
    ratio = a / expected
    relative = math.hypot(u / a, u_expected / expected)
    return Measured(ratio, abs(ratio) * relative, body, span, t0, t1)


def _in_flight(case: Case, g: Fact) -> Measured | None:
    """g of a body that is thrown, falls or hops: what is accelerated alike in several flights,
    along y, or moves steadily across.
    """
    flights = _flights(case)
    if not flights:
        return None
    axes = case.trial.followed[0].axes
    length = float(case.trial.t[-1] - case.trial.t[0])
    typed = any(key.name == "gravity" for key in case.project.setup)
    bounces = [s for s in case.entry.spans if s.kind is SpanKind.BOUNCE]
    for axis in axes[::-1]:
        own = [_acceleration(case, fit, axis) for _, fit in flights]
        weights = np.array([1.0 / max(u, 1e-12) ** 2 for _, u in own])
        a = float(np.average([one for one, _ in own], weights=weights))
        u = float(1.0 / math.sqrt(weights.sum()))
        if abs(a) < CLEAR_Z * u or any(
            abs(one - a) > SAME_FLIGHTS * math.hypot(u_one, u) + 0.02 * abs(a) for one, u_one in own
        ):
            continue
        across = [
            _acceleration(case, fit, other) for _, fit in flights for other in axes if other != axis
        ]
        thrown = len(axes) == 2 and all(abs(b) < STEADY_ACROSS * v for b, v in across)
        whole = sum(s.length for s, _ in flights) > MOST_OF * length
        if not (
            (len(bounces) >= 1 and len(flights) >= 2)
            or (thrown and axis == "y" and whole and _moves_across(flights))
            or (whole and axes == ("y",))
            or (whole and typed and (thrown or len(axes) == 1))
        ):
            continue
        span = flights[0][0]
        return _ratio(
            abs(a), u, g.si, g.u, case.trial.followed[0].name, span.name, span.start,
            flights[-1][0].stop,
        )  # fmt: skip
    return None


def _moves_across(flights: list[tuple[Span, BodyFit]]) -> bool:
    return all(abs(fit.fits["x"].at(fit.fits["x"].t0, 1)) > 0.0 for _, fit in flights)


def _in_a_swing(case: Case, g: Fact) -> Measured | None:
    """g of a pendulum, ω₀² r: the radius of the circle that it moves on, and its angular frequency,
    by a sine through its places across; of finite amplitude A, ω₀ = ω (1 + A²/16 + 11 A⁴/3072).
    """
    body = case.trial.followed[0]
    if set(body.axes) != {"x", "y"}:
        return None
    x, y = (body.channel(axis).si for axis in "xy")
    middles = [s for s in case.entry.spans if s.kind is SpanKind.MIDDLE]
    if len(middles) < 2:
        return None
    try:
        circle = fit_circle(x, y)
    except CircleError:
        return None
    good = np.isfinite(x) & np.isfinite(y)
    times = [0.5 * (s.start + s.stop) for s in middles]
    across = max((x[good], y[good]), key=lambda one: float(np.ptp(one)))
    found = _angular_frequency(case.trial.t[good], across, times)
    if found is None:
        return None
    omega, u, swing = found
    a = math.asin(min(swing / circle.r, 1.0))
    wider = 1.0 + a**2 / 16.0 + 11.0 * a**4 / 3072.0
    shown = (omega * wider) ** 2 * circle.r
    u_shown = shown * math.hypot(2.0 * u / omega, circle.u[2] / circle.r)
    span = next(s for s in case.entry.spans if s.kind is SpanKind.SWING)
    return _ratio(shown, u_shown, g.si, g.u, body.name, span.name, span.start, span.stop)


def _angular_frequency(
    t: Array, x: Array, middles: list[float]
) -> tuple[float, float, float] | None:
    """ω in rad/s, its u, and the amplitude in m, of a sine through places: Gauss-Newton from the
    times at which the middle is passed.
    """
    omega = math.pi * (len(middles) - 1) / (middles[-1] - middles[0])
    t = t - t.mean()
    for _ in range(SINE_STEPS):
        sine, cosine = np.sin(omega * t), np.cos(omega * t)
        design = np.stack([np.ones(len(t)), cosine, sine], axis=1)
        c, *_ = np.linalg.lstsq(design, x, rcond=None)
        slope = t * (c[2] * cosine - c[1] * sine)
        whole = np.column_stack([design, slope])
        d, *_ = np.linalg.lstsq(whole, x, rcond=None)
        omega += float(d[3])
        if abs(d[3]) < 1e-10 * omega:
            break
    left = x - whole @ d
    variance = float(left @ left) / max(len(t) - 4, 1)
    try:
        inverse = np.linalg.inv(whole.T @ whole)
    except np.linalg.LinAlgError:
        return None
    return omega, float(np.sqrt(variance * inverse[3, 3])), float(np.hypot(d[1], d[2]))
