"""Accounts of every kind of event against what truly happened: how often intervals hold it, and how
often a verdict is false.

Run: .venv/bin/python benchmarks/accounts.py 200 [kind …]

The simulation stands apart from the methods: forces are integrated in small steps, readings get
noise and jitter, facts are drawn within their ±, spans are found. Told are the worst cells.
"""

import argparse
import sys
import time
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from scipy.integrate import solve_ivp
from scipy.stats import binom

from inertian.analysis.evaluation import Evaluator
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.physics.accounts.ledger import Accounts
from inertian.physics.accounts.statements import AmountOf
from inertian.physics.accounts.verdicts import Verdict
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.units import unit_of

P95 = 0.9545
CENTRE = ("centre x = 0 ± 0.0003 m", "centre y = 0 ± 0.0003 m")
NOTHING_LEFT = 1e-5  # of an amount: an account that holds by how it was drawn up
TINY = 1e-6  # s, between a wall and the moment beside it that is looked at
State = tuple[np.ndarray, np.ndarray]


@dataclass
class Made:
    """A trial that was made up: what is recorded, and what is true.

    `state` gives positions and velocities of a body at a time; `entries` what an entry truly brings
    between two times, by its name, or by its law and name; `facts` are typed, `true` are their true
    values.
    """

    t: np.ndarray
    recorded: dict[str, dict[str, np.ndarray]]
    state: Callable[[str, float], State]
    facts: list[str]
    true: Mapping[str, float]
    entries: dict[str, Callable[[float, float], float]] = field(default_factory=dict)
    height: Callable[[str, np.ndarray], float] | None = None
    spring: tuple[float, float] | None = None  # N/m, and where it rests in m
    spin: Callable[[float], float] | None = None  # rad/s at a time
    # Of a contact: the free motion as if it were not yet, or over
    free: Callable[[str, float, int], State] | None = None


def typed(
    rng: np.random.Generator, name: str, value: float, limits: float, unit: str
) -> tuple[str, float]:
    """A fact as it is typed, ± limits, and a true value inside them."""
    return f"{name} = {value:.6g} ± {limits:.2g} {unit}", value + rng.uniform(-limits, limits)


def stepped(
    acceleration: Callable[[float, np.ndarray, np.ndarray], np.ndarray],
    x: list[float],
    v: list[float],
    end: float,
    events: list[Callable[..., float]] | None = None,
) -> Callable[[float], State]:
    """The motion of one body under a law, as a function of time."""
    axes = len(x)
    found = solve_ivp(
        lambda t, s: np.concatenate([s[axes:], acceleration(t, s[:axes], s[axes:])]),
        (0.0, end),
        [*x, *v],
        method="DOP853",
        rtol=1e-10,
        atol=1e-12,
        max_step=0.01,
        dense_output=True,
        events=events,
    )
    return lambda t: (found.sol(t)[:axes], found.sol(t)[axes:])


def filmed(
    rng: np.random.Generator,
    state: Callable[[float], State],
    end: float,
    rate: float,
    noise: float,
    jitter: float,
    step: float = 0.0,
) -> tuple[np.ndarray, np.ndarray]:
    """Times and readings (axes, n) of one body."""
    t = np.arange(0.0, end, 1.0 / rate)
    exposed = np.clip(t + rng.normal(0.0, jitter, len(t)), 0.0, end)
    x = np.array([state(one)[0] for one in exposed]).T
    x = x + rng.normal(0.0, noise, x.shape)
    return t, np.round(x / step) * step if step else x


def conditions(rng: np.random.Generator) -> tuple[float, float, float, float]:
    """Rate, noise, jitter and step of a recorder, as classes have them."""
    rate = float(rng.choice([30.0, 60.0, 100.0, 200.0]))
    noise = float(rng.choice([2e-4, 1e-3, 3e-3]))
    return rate, noise, float(rng.choice([0.0, 5e-4])), float(rng.choice([0.0, 1e-3]))


def one_body(
    rng: np.random.Generator,
    law: Callable[[float, np.ndarray, np.ndarray], np.ndarray],
    x: list[float],
    v: list[float],
    end: float,
) -> tuple[np.ndarray, dict[str, dict[str, np.ndarray]], Callable[[str, float], State]]:
    motion = stepped(law, x, v, end)
    t, found = filmed(rng, motion, end, *conditions(rng))
    return t, {"sled": dict(zip("xy", found, strict=False))}, lambda _body, at: motion(at)


def slope(rng: np.random.Generator, back: bool = True) -> Made:
    """A sled up a slope and back, or down it; friction with a coefficient, known or not."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.2, 3.0), 3), 0.002, "kg")
    angle, degrees = typed(rng, "incline", round(rng.uniform(3.0, 25.0), 1), 0.2, "°")
    gravity, g = typed(rng, "gravity", 9.81, 0.01, "m/s²")
    theta, up = np.deg2rad(degrees), float(rng.choice([-1.0, 1.0]))
    mu_typed, mu = typed(
        rng, "friction coefficient", round(rng.uniform(0.02, 0.6) * np.tan(theta), 4), 0.001, ""
    )
    if up < 0.0:  # the axis points down the slope
        angle = angle.replace("= ", "= -")

    def law(_t: float, _x: np.ndarray, v: np.ndarray) -> np.ndarray:
        rub = mu * g * np.cos(theta) * np.sign(v[0]) if abs(v[0]) > 1e-9 else 0.0
        return np.array([-up * g * np.sin(theta) - rub])

    pull, rub = g * np.sin(theta), mu * g * np.cos(theta)
    if back:
        speed = rng.uniform(0.6, 2.0)
        rise, high = speed / (pull + rub), speed**2 / (2 * (pull + rub))
        end = rise + np.sqrt(2 * high / (pull - rub)) * rng.uniform(0.6, 1.0)
        v0 = [up * speed]
    else:
        v0, end = [-up * rng.uniform(0.05, 0.5)], rng.uniform(0.6, 1.5)
    t, recorded, state = one_body(rng, law, [rng.uniform(-0.5, 0.5)], v0, end)

    def friction(one: float, two: float) -> float:
        times = np.linspace(one, two, 4001)
        speeds = np.abs([state("sled", s)[1][0] for s in times])
        return -m * rub * float(np.trapezoid(speeds, times))

    facts = [mass, angle, gravity]
    if not back or rng.random() < 0.4:
        facts.append(mu_typed)
    return Made(
        t,
        recorded,
        state,
        facts,
        {"m": m, "g": g},
        {"sliding friction": friction},
        lambda _b, x: up * x[0] * np.sin(theta),
    )


def down(rng: np.random.Generator) -> Made:
    """A sled down a slope with a known coefficient of friction."""
    return slope(rng, back=False)


def fall(rng: np.random.Generator) -> Made:
    """A ball falls, or is thrown up; along an axis that points up or down."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.05, 1.0), 3), 0.001, "kg")
    gravity, g = typed(rng, "gravity", 9.81, 0.01, "m/s²")
    upwards, v = float(rng.choice([-1.0, 1.0])), rng.uniform(-1.0, 3.0)
    end = rng.uniform(0.4, 0.8)
    made = one_body(
        rng, lambda _t, _x, _v: np.array([-upwards * g]), [rng.uniform(0, 2)], [upwards * v], end
    )
    return Made(*made, [mass, gravity], {"m": m, "g": g}, {}, lambda _b, x: upwards * x[0])


def hops(rng: np.random.Generator) -> Made:
    """A ball hops along a level floor."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.05, 1.0), 3), 0.001, "kg")
    gravity, g = typed(rng, "gravity", 9.81, 0.01, "m/s²")
    flights, t0 = [], 0.0
    x, v = np.array([0.0, rng.uniform(0.4, 1.0)]), np.array([rng.uniform(0.2, 0.8), 0.0])
    for _ in range(int(rng.integers(3, 5))):
        fly = (v[1] + np.sqrt(v[1] ** 2 + 2 * g * x[1])) / g
        flights.append((t0, x, v))
        x = x + v * fly + np.array([0.0, -0.5 * g * fly**2])
        v = np.array([v[0] * rng.uniform(0.9, 1.0), -rng.uniform(0.7, 0.9) * (v[1] - g * fly)])
        t0, x = t0 + fly, np.array([x[0], 0.0])

    def motion(at: float) -> State:
        start, x0, v0 = [f for f in flights if f[0] <= at or f[0] == 0.0][-1]
        s = at - start
        return x0 + v0 * s + np.array([0.0, -0.5 * g * s * s]), v0 + np.array([0.0, -g * s])

    rate, noise, jitter, step = conditions(rng)
    t, found = filmed(rng, motion, t0, max(rate, 60.0), noise, jitter, step)
    return Made(
        t,
        {"sled": dict(zip("xy", found, strict=True))},
        lambda _b, at: motion(at),
        [mass, gravity],
        {"m": m, "g": g},
        {},
        lambda _b, x: float(x[1]),
    )


def bumper(rng: np.random.Generator, gauge: bool = True) -> Made:
    """A sled runs into a bumper, with a gauge that has an offset, drifts and may count the other
    way; some stick for a while.
    """
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.2, 3.0), 3), 0.002, "kg")
    way, v = float(rng.choice([-1.0, 1.0])), rng.uniform(0.3, 1.5)
    start, lasts, e = rng.uniform(0.6, 1.2), rng.uniform(0.03, 0.3), rng.uniform(0.5, 0.98)
    end, rub = start + lasts + rng.uniform(0.6, 1.2), float(rng.choice([0.0, rng.uniform(0, 0.1)]))
    before = v - rub * start
    grid = np.linspace(0.0, 1.0, 4001)
    shape = np.sin(np.pi * grid) ** rng.uniform(1.0, 1.8)
    gain = np.concatenate([[0.0], np.cumsum(0.5 * (shape[1:] + shape[:-1]) * np.diff(grid))])
    peak = m * (1 + e) * before / (gain[-1] * lasts)
    path = np.concatenate([[0.0], np.cumsum(0.5 * (gain[1:] + gain[:-1]) * np.diff(grid))])

    def motion(at: float) -> State:
        if at <= start:
            x, u = v * at - 0.5 * rub * at**2, v - rub * at
        else:
            x0 = v * start - 0.5 * rub * start**2
            s = min((at - start) / lasts, 1.0)
            pushed = peak * lasts / m
            x = (
                x0
                + before * (min(at, start + lasts) - start)
                - pushed * lasts * np.interp(s, grid, path)
            )
            u = before - pushed * np.interp(s, grid, gain)
            rest = at - start - lasts
            if rest > 0.0:
                x, u = x + u * rest + 0.5 * rub * rest**2, u + rub * rest
        return np.array([way * x]), np.array([way * u])

    def free(_body: str, at: float, side: int) -> State:
        if side < 0:
            x, u = v * at - 0.5 * rub * at**2, v - rub * at
            return np.array([way * x]), np.array([way * u])
        x, u = (part[0] for part in motion(start + lasts))
        s = at - start - lasts
        return np.array([x + u * s + way * 0.5 * rub * s * s]), np.array([u + way * rub * s])

    def force(at: np.ndarray) -> np.ndarray:
        return -way * peak * np.interp((at - start) / lasts, grid, shape, 0.0, 0.0)

    rate, noise, jitter, step = conditions(rng)
    t, found = filmed(rng, motion, end, max(rate, 60.0), noise, jitter, step)
    recorded = {"sled": {"x": found[0]}}
    entries: dict[str, Callable[[float, float], float]] = {}
    if gauge:
        zero, drift = rng.normal(0.0, 0.3), rng.normal(0.0, 0.05)
        sign = float(rng.choice([-1.0, 1.0]))
        read = sign * force(t) + zero + drift * t + rng.normal(0.0, 0.02 * peak, len(t))
        recorded["sled"]["F"] = read

        def impulse(one: float, two: float) -> float:
            times = np.linspace(one, two, 20001)
            return float(np.trapezoid(force(times), times))

        entries["impulse of the gauge"] = impulse
    return Made(t, recorded, lambda _b, at: motion(at), [mass], {"m": m}, entries, free=free)


def wall(rng: np.random.Generator) -> Made:
    """A sled runs into a bumper without a gauge."""
    return bumper(rng, gauge=False)


def swing(rng: np.random.Generator) -> Made:
    """A pendulum bob in the plane, without friction."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.05, 1.0), 3), 0.001, "kg")
    gravity, g = typed(rng, "gravity", 9.81, 0.01, "m/s²")
    length, angle = rng.uniform(0.5, 1.5), np.deg2rad(rng.uniform(5, 25))
    found = solve_ivp(
        lambda _t, s: [s[1], -g / length * np.sin(s[0])],
        (0.0, 6.0),
        [angle, 0.0],
        method="DOP853",
        rtol=1e-11,
        atol=1e-13,
        dense_output=True,
    )

    def motion(at: float) -> State:
        a, w = found.sol(at)
        x = np.array([length * np.sin(a), -length * np.cos(a)])
        return x, length * w * np.array([np.cos(a), np.sin(a)])

    t, read = filmed(rng, motion, rng.uniform(3.0, 6.0), *conditions(rng))
    return Made(
        t,
        {"sled": dict(zip("xy", read, strict=True))},
        lambda _b, at: motion(at),
        [mass, gravity],
        {"m": m, "g": g},
        {},
        lambda _b, x: float(x[1]),
    )


def brought(
    state: Callable[[str, float], State], force: Callable[[float, float], float], axis: int = 0
) -> dict[str, Callable[[float, float], float]]:
    """∫ F dt, and ∫ F v dt, between two times, of a force of time and velocity."""

    def summed(one: float, two: float, power: int) -> float:
        times = np.linspace(one, two, 8001)
        v = np.array([state("sled", s)[1][axis] for s in times])
        f = np.array([force(s, u) for s, u in zip(times, v, strict=True)])
        return float(np.trapezoid(f * v**power, times))

    return {
        "momentum x": lambda one, two: summed(one, two, 0),
        "kinetic energy": lambda one, two: summed(one, two, 1),
        "mechanical energy": lambda one, two: summed(one, two, 1),
    }


def named(
    name: str, by_law: Mapping[str, Callable[[float, float], float]]
) -> dict[str, Callable[[float, float], float]]:
    """What one entry brings, by law and name."""
    return {f"{law} {name}": one for law, one in by_law.items()}


def thrust(rng: np.random.Generator, typed_push: bool = False) -> Made:
    """A sled is pushed for a while from rest, and glides; how hard may be typed."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.2, 3.0), 3), 0.002, "kg")
    rest, lasts = rng.uniform(0.4, 0.8), rng.uniform(0.3, 0.8)
    a, rub = rng.uniform(0.8, 3.0), float(rng.choice([0.0, rng.uniform(0.02, 0.1)]))
    way = float(rng.choice([-1.0, 1.0])) if typed_push else 1.0
    said, push = typed(rng, "push of sled", round(way * m * a, 3), 0.02 * m * a, "N")
    if typed_push:
        a = abs(push) / m

    def pushes(at: float, _v: float) -> float:
        return way * m * a if rest < at < rest + lasts else 0.0

    def rubs(_at: float, v: float) -> float:
        return -m * rub * np.sign(v) if abs(v) > 1e-6 else 0.0

    def law(at: float, _x: np.ndarray, v: np.ndarray) -> np.ndarray:
        return np.array([(pushes(at, v[0]) + rubs(at, v[0])) / m])

    end = rest + lasts + rng.uniform(0.6, 1.0)
    if rub:
        end = min(end, rest + lasts + 0.8 * (a - rub) * lasts / rub)
    t, recorded, state = one_body(rng, law, [0.1], [0.0], end)
    entries = named("sliding friction", brought(state, rubs))
    if typed_push:
        entries |= named("push", brought(state, pushes))
    return Made(t, recorded, state, [mass, said] if typed_push else [mass], {"m": m}, entries)


def pushed(rng: np.random.Generator) -> Made:
    """A sled is pushed with a known force."""
    return thrust(rng, typed_push=True)


def dragged(rng: np.random.Generator) -> Made:
    """A sled glides and is slowed down by drag."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.2, 3.0), 3), 0.002, "kg")
    way, v0, power = float(rng.choice([-1.0, 1.0])), rng.uniform(0.5, 2.0), int(rng.choice([1, 2]))
    end = rng.uniform(1.5, 3.0)
    rate = rng.uniform(1.0, 3.0) / end / v0 ** (power - 1)

    def slows(_at: float, v: float) -> float:
        return -m * rate * v * abs(v) ** (power - 1)

    def law(at: float, _x: np.ndarray, v: np.ndarray) -> np.ndarray:
        return np.array([slows(at, v[0]) / m])

    t, recorded, state = one_body(rng, law, [0.1], [way * v0], end)
    entries = named("air resistance", brought(state, slows))
    return Made(t, recorded, state, [mass], {"m": m}, entries)


def two_stones(rng: np.random.Generator) -> Made:
    """Two stones meet in line; one may rest, or come from either side."""
    first, m1 = typed(rng, "mass of A", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    second, m2 = typed(rng, "mass of B", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    v1 = rng.uniform(0.4, 1.5)
    v2 = float(rng.choice([0.0, -rng.uniform(0.2, 1.0), rng.uniform(0.05, 0.2)]))
    start, after, e = rng.uniform(0.5, 1.0), rng.uniform(0.5, 1.0), rng.uniform(0.0, 1.0)
    rub = float(rng.choice([0.0, rng.uniform(0.01, 0.1)]))
    way = float(rng.choice([-1.0, 1.0]))
    if abs(v1) < rub * start or 0.0 < abs(v2) < 1.5 * rub * start:  # friction would stop it first
        rub = 0.0
    slow = [u - rub * start * np.sign(u) for u in (v1, v2)]
    rubs = [rub if u else 0.0 for u in (v1, v2)]
    j = (1 + e) * m1 * m2 / (m1 + m2) * (slow[0] - slow[1])
    left = [slow[0] - j / m1, slow[1] + j / m2]
    after = min([after, *(0.8 * abs(u) / rub for u in left if rub and u)])
    x0 = [0.0, (v1 - v2) * start + 0.3]

    def state(body: str, at: float) -> State:
        k = "AB".index(body)
        u0, s = (v1, v2)[k], min(at, start)
        x = x0[k] + u0 * s - 0.5 * rubs[k] * np.sign(u0) * s * s
        u = u0 - rubs[k] * np.sign(u0) * s
        if at > start:
            s = at - start
            u = left[k] - rub * np.sign(left[k]) * s
            x = x + left[k] * s - 0.5 * rub * np.sign(left[k]) * s * s
        return np.array([way * x]), np.array([way * u])

    rate, noise, jitter, step = conditions(rng)
    t = np.arange(0.0, start + after, 1.0 / max(rate, 60.0))
    exposed = np.clip(t + rng.normal(0.0, jitter, len(t)), 0.0, start + after)
    recorded = {}
    for body in "AB":
        x = np.array([state(body, s)[0][0] for s in exposed]) + rng.normal(0.0, noise, len(t))
        recorded[body] = {"x": np.round(x / step) * step if step else x}
    return Made(t, recorded, state, [first, second], {"m A": m1, "m B": m2})


def two_bodies(
    rng: np.random.Generator,
    masses: tuple[float, float],
    force: Callable[[float, np.ndarray, np.ndarray], np.ndarray],
    x: np.ndarray,
    v: np.ndarray,
    end: float,
    facts: list[str],
    touching: bool = True,
) -> Made:
    """Two bodies under a force of the second on the first, stepped; x and v of shape (2, axes)."""
    axes = x.shape[1]
    m1, m2 = masses

    def law(t: float, s: np.ndarray) -> np.ndarray:
        place, speed = s[: 2 * axes].reshape(2, axes), s[2 * axes :].reshape(2, axes)
        f = force(t, place, speed)
        return np.concatenate([s[2 * axes :], f / m1, -f / m2])

    found = solve_ivp(
        law, (0.0, end), np.concatenate([x.ravel(), v.ravel()]), method="DOP853",
        rtol=1e-10, atol=1e-12, max_step=0.002, dense_output=True,
    )  # fmt: skip

    def state(body: str, at: float) -> State:
        k, s = "AB".index(body), found.sol(at)
        return s[k * axes : (k + 1) * axes], s[(2 + k) * axes : (3 + k) * axes]

    rate, noise, jitter, step = conditions(rng)
    t = np.arange(0.0, end, 1.0 / max(rate, 60.0))
    exposed = np.clip(t + rng.normal(0.0, jitter, len(t)), 0.0, end)
    recorded = {}
    for body in "AB":
        read = np.array([state(body, one)[0] for one in exposed]).T
        read = read + rng.normal(0.0, noise, read.shape)
        read = np.round(read / step) * step if step else read
        recorded[body] = dict(zip("xy", read, strict=False))

    def free(body: str, at: float, side: int) -> State:
        known = 0.0 if side < 0 else end
        x0, v0 = state(body, known)
        return x0 + v0 * (at - known), v0

    made = Made(t, recorded, state, facts, {"m A": m1, "m B": m2})
    made.free = free if touching else None
    return made


def glance(rng: np.random.Generator) -> Made:
    """A disc hits a resting one off centre; stiff discs without friction."""
    first, m1 = typed(rng, "mass of A", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    second, m2 = typed(rng, "mass of B", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    r, v, off = 0.05, rng.uniform(0.4, 1.2), rng.uniform(-0.06, 0.06)
    k = 3e3 * m1 * m2 / (m1 + m2)
    angle = rng.uniform(0, 2 * np.pi)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    start = rng.uniform(0.5, 0.9)
    x = np.array([[-v * start - 2 * r, off], [0.0, 0.0]]) @ turn.T
    u = np.array([[v, 0.0], [0.0, 0.0]]) @ turn.T
    loss = rng.uniform(0.0, 20.0) * m1 * m2 / (m1 + m2)

    def force(_t: float, p: np.ndarray, s: np.ndarray) -> np.ndarray:
        apart = p[0] - p[1]
        d = float(np.hypot(*apart))
        if d >= 2 * r:
            return np.zeros(2)
        n = apart / d
        return n * max(k * (2 * r - d) - loss * float((s[0] - s[1]) @ n), 0.0)

    return two_bodies(rng, (m1, m2), force, x, u, start + rng.uniform(0.6, 1.0), [first, second])


def repulsion(rng: np.random.Generator) -> Made:
    """Two bodies repel as a power of their distance; one may rest."""
    first, m1 = typed(rng, "mass of A", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    second, m2 = typed(rng, "mass of B", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    v = np.array([[rng.uniform(0.3, 0.8)], [float(rng.choice([0.0, -rng.uniform(0.1, 0.5)]))]])
    power, near = float(rng.choice([3.0, 4.0])), rng.uniform(0.05, 0.1)
    mu, speed = m1 * m2 / (m1 + m2), float(v[0, 0] - v[1, 0])
    c = 0.5 * mu * speed**2 * (power - 1) * near ** (power - 1)
    gap = rng.uniform(0.8, 1.2) * speed
    x = np.array([[0.0], [gap]])

    def force(_t: float, p: np.ndarray, _s: np.ndarray) -> np.ndarray:
        d = float(p[1, 0] - p[0, 0])
        return np.array([-c / d**power])

    end = gap / speed + rng.uniform(0.8, 1.4)
    return two_bodies(rng, (m1, m2), force, x, v, end, [first, second], touching=False)


def parting(rng: np.random.Generator) -> Made:
    """Two bodies at rest are pushed apart by a spring between them."""
    first, m1 = typed(rng, "mass of A", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    second, m2 = typed(rng, "mass of B", round(rng.uniform(0.3, 2.0), 3), 0.002, "kg")
    start, lasts, impulse = rng.uniform(0.5, 0.9), rng.uniform(0.01, 0.06), rng.uniform(0.2, 0.8)

    def force(t: float, _p: np.ndarray, _s: np.ndarray) -> np.ndarray:
        u = (t - start) / lasts
        return np.array([-impulse * np.pi / (2 * lasts) * np.sin(np.pi * u) if 0 < u < 1 else 0.0])

    x, v = np.array([[0.0], [0.2]]), np.zeros((2, 1))
    return two_bodies(rng, (m1, m2), force, x, v, start + rng.uniform(0.6, 1.0), [first, second])


def spinning(rng: np.random.Generator) -> Made:
    """A disc spins down by dry and viscous friction; a mark on it is filmed."""
    inertia, i = typed(
        rng, "moment of inertia of sled", round(rng.uniform(0.01, 0.1), 4), 2e-4, "kg·m²"
    )
    r, w = rng.uniform(0.1, 0.3), rng.uniform(2.0, 6.0) * float(rng.choice([-1.0, 1.0]))
    dry, viscous = rng.uniform(0.0, 0.3), rng.uniform(0.0, 0.2)
    end = min(rng.uniform(2.0, 5.0), 0.8 * abs(w) / (dry + viscous * abs(w)))
    turning = stepped(
        lambda _t, _x, v: np.array([-dry * np.sign(v[0]) - viscous * v[0]]), [0.3], [w], end
    )

    def motion(at: float) -> State:
        a, u = (float(part[0]) for part in turning(at))
        x = r * np.array([np.cos(a), np.sin(a)])
        return x, r * u * np.array([-np.sin(a), np.cos(a)])

    t, read = filmed(rng, motion, end, *conditions(rng))
    made = Made(
        t, {"sled": dict(zip("xy", read, strict=True))}, lambda _b, at: motion(at),
        [inertia, *CENTRE], {"I": i},
    )  # fmt: skip
    made.spin = lambda at: float(turning(at)[1][0])
    return made


def dropped(rng: np.random.Generator) -> Made:
    """A disc spins down, and a stone is dropped on it; a mark on it is filmed."""
    inertia, i = typed(
        rng, "moment of inertia of sled", round(rng.uniform(0.01, 0.1), 4), 2e-4, "kg·m²"
    )
    share = rng.uniform(0.2, 1.0)
    added, more = typed(rng, "added inertia of sled", round(share * i, 4), 2e-4, "kg·m²")
    r, w = rng.uniform(0.1, 0.3), rng.uniform(2.0, 6.0) * float(rng.choice([-1.0, 1.0]))
    dry, when, end = rng.uniform(0.0, 0.3), rng.uniform(1.5, 2.5), rng.uniform(4.0, 5.5)
    way, keeps = np.sign(w), i / (i + more)

    def turned(at: float) -> tuple[float, float]:
        s = min(at, when)
        a, u = 0.3 + w * s - 0.5 * way * dry * s * s, w - way * dry * s
        if at > when:
            s, u = at - when, u * keeps
            a, u = a + u * s - 0.5 * way * dry * s * s, u - way * dry * s
        return a, u

    end = min(end, when + 0.8 * abs(turned(when + 1e-9)[1]) / max(dry, 1e-6))

    def motion(at: float) -> State:
        a, u = turned(at)
        x = r * np.array([np.cos(a), np.sin(a)])
        return x, r * u * np.array([-np.sin(a), np.cos(a)])

    rate, noise, jitter, step = conditions(rng)
    t, read = filmed(rng, motion, end, max(rate, 60.0), min(noise, 1e-3), jitter, step)
    made = Made(
        t, {"sled": dict(zip("xy", read, strict=True))}, lambda _b, at: motion(at),
        [inertia, added, *CENTRE], {"I": i, "more": more},
    )  # fmt: skip
    made.spin = lambda at: turned(at)[1]
    made.entries = {"moment": lambda _one, _two: when}
    return made


def launched(rng: np.random.Generator) -> Made:
    """A sled on a spring is let go, and leaves it."""
    mass, m = typed(rng, "mass of sled", round(rng.uniform(0.2, 1.0), 3), 0.001, "kg")
    stiff, k = typed(rng, "spring constant", round(rng.uniform(5.0, 30.0), 2), 0.05, "N/m")
    rest, x0 = typed(rng, "spring at rest", 0.3, 0.0005, "m")
    pressed, held = rng.uniform(0.05, 0.15), rng.uniform(0.3, 0.6)

    def law(t: float, x: np.ndarray, _v: np.ndarray) -> np.ndarray:
        return np.array([k * max(x0 - x[0], 0.0) / m if t > held else 0.0])

    t, recorded, state = one_body(
        rng, law, [x0 - pressed], [0.0], held + 0.5 * np.pi * np.sqrt(m / k) + 0.8
    )
    made = Made(t, recorded, state, [mass, stiff, rest], {"m": m})
    made.spring = (k, x0)
    return made


KINDS: dict[str, tuple[Callable[[np.random.Generator], Made], tuple[str, ...]]] = {
    "hit": (two_stones, ("hit in line", "sticking together")),
    "wall": (wall, ("body against a wall",)),
    "bumper": (bumper, ("body against a bumper with a gauge",)),
    "slope": (slope, ("up and back on a slope",)),
    "down": (down, ("down a slope",)),
    "fall": (fall, ("free fall",)),
    "hops": (hops, ("hops",)),
    "swing": (swing, ("swing",)),
    "thrust": (thrust, ("thrust run",)),
    "pushed": (pushed, ("thrust run",)),
    "dragged": (dragged, ("no event",)),
    "glance": (glance, ("hit at a glance",)),
    "repulsion": (repulsion, ("repulsion without touch", "hit in line")),
    "parting": (parting, ("explosion from rest",)),
    "spinning": (spinning, ("spinning down",)),
    "dropped": (dropped, ("spinning down",)),
    "launched": (launched, ("spring launch",)),
}


def project_of(made: Made) -> Project:
    """The trial as a project, spans found, facts typed."""
    metre = unit_of("length", "m")
    sensors = {"F": unit_of("force", "N"), "a": unit_of("acceleration", "m/s²")}
    bodies = tuple(
        Body(
            name,
            tuple(Channel(a, f"{a} {name}", metre, x) for a, x in own.items() if a in "xy"),
            tuple(Channel(a, f"{a} {name}", sensors[a], x) for a, x in own.items() if a in sensors),
        )
        for name, own in made.recorded.items()
    )
    trial = Trial("made", "made", "t", unit_of("time", "s"), made.t, bodies)
    project = with_trials(Project("made"), [trial], "s")
    for text in made.facts:
        project = with_typed_fact(project, text)
    return project


def true_amount(made: Made, law: str, date: float, side: int) -> float:
    """What truly is there at a date, just before or just after it."""
    at, total = date + side * TINY, 0.0
    if made.spin is not None:
        w, turns = made.spin(at), made.true["I"]
        if "moment" in made.entries and at > made.entries["moment"](0.0, 0.0):
            turns += made.true["more"]
        return turns * w if law == "angular momentum" else 0.5 * turns * w * w
    for body in made.recorded:
        x, v = made.free(body, date, side) if made.free and side else made.state(body, at)
        m = made.true.get(f"m {body}", made.true.get("m", 1.0))
        if law.startswith("momentum"):
            total += m * float(v["xy".index(law[-1])])
        else:
            total += 0.5 * m * float(v @ v)
            if law == "mechanical energy" and made.spring is not None:
                total += 0.5 * made.spring[0] * max(made.spring[1] - float(x[0]), 0.0) ** 2
            if law == "mechanical energy" and made.height is not None:
                total += m * made.true["g"] * made.height(body, x)
    return total


class Tally:
    """How many intervals held the truth, of how many, by cell; and u against the errors."""

    def __init__(self) -> None:
        self.held: dict[str, list[bool]] = defaultdict(list)
        self.z: dict[str, list[float]] = defaultdict(list)

    def add(self, cell: str, one: Scalar, truth: float) -> None:
        """Count one interval."""
        scale = max(abs(one.value), abs(truth), 1e-3)
        away = abs(one.value - truth)
        self.held[cell].append(away <= one.k95 * one.u + 1e-9 * scale)
        self.z[cell].append(away / one.u if one.u > 0 else 0.0)


def judged(made: Made, accounts: Accounts, tally: Tally, kind: str) -> None:
    """Hold all ledgers of a trial against the truth."""
    for ledger in accounts.ledgers:
        law, dates = ledger.law, ledger.dates
        there = [true_amount(made, law, d.t, d.side) for d in dates]
        for k in range(len(dates)):
            tally.add(f"{kind} {law} amount", ledger.amounts[AmountOf(k)], there[k])
        whole = 0.0
        for k, period in enumerate(ledger.periods):
            left = there[k + 1] - there[k]
            for entry, amount in period.entries:
                known = made.entries.get(f"{law} {entry.name}", made.entries.get(entry.name))
                if known is not None:
                    truth = known(dates[k].t, dates[k + 1].t)
                    tally.add(f"{kind} {law} {entry.name}", amount, truth)
                    left -= truth
                elif entry.name == "outside forces":  # what it is of the truth is not told apart
                    if made.spin is not None:  # what is not lost by friction holds
                        left = 0.0 if law == "angular momentum" else None
                        break
                    balanced = len(made.recorded) > 1 or "impulse of the gauge" in made.entries
                    left = 0.0 if law.startswith("momentum") and balanced else None
                    break
            if left is None:
                whole = None
                break
            if period.unaccounted.u > NOTHING_LEFT * abs(ledger.opening.value):
                tally.add(f"{kind} {law} unaccounted in a period", period.unaccounted, left)
            whole += left
        if whole is not None and ledger.unaccounted.u > NOTHING_LEFT * abs(ledger.opening.value):
            tally.add(f"{kind} {law} unaccounted", ledger.unaccounted, whole)
            verdict = ledger.judgement.verdict
            if verdict is not None and abs(whole) < 1e-9:
                tally.held[f"{kind} {law} no false alarm"].append(
                    verdict in (Verdict.BALANCES, Verdict.TOO_ROUGH)
                )


def simulated(kind: str, count: int, seed: int) -> tuple[Tally, dict[str, int], dict[str, int]]:
    """Simulate trials of one kind: what intervals held, which events were seen, and refusals."""
    make, events = KINDS[kind]
    tally, seen, refused = Tally(), defaultdict(int), defaultdict(int)
    for number in range(count):
        made = make(np.random.default_rng([seed, number, sum(map(ord, kind))]))
        accounts = Evaluator().accounts(project_of(made), "made")
        if isinstance(accounts, InertianError):
            refused[str(accounts)[:70]] += 1
            continue
        seen[accounts.event] += 1
        if accounts.event in events:
            judged(made, accounts, tally, kind)
    return tally, seen, refused


def limits(count: int) -> tuple[float, float]:
    """How many of so many 95.45 % intervals hold the truth at least and at most, in 99.9 %."""
    return tuple(binom.ppf([0.0005, 0.9995], count, P95))


def run(kind: str, count: int, seed: int) -> None:
    """Simulate trials of one kind and print its cells."""
    begin = time.perf_counter()
    tally, seen, refused = simulated(kind, count, seed)
    took = time.perf_counter() - begin
    print(f"{kind}: {count} trials, {took / count:.2f} s each; events {dict(seen)}")
    for why, many in refused.items():
        print(f"  refused {many} × {why}")
    for cell, held in tally.held.items():
        n, k = len(held), sum(held)
        low, high = limits(n)
        mark = "" if low <= k <= high else ("  UNDER" if k < low else "  over")
        z = np.array(tally.z[cell]) if tally.z[cell] else np.zeros(1)
        print(
            f"  {cell}: {k / n:.3f} of {n}, median |z| {np.median(z):.2f}, "
            f"worst {z.max():.1f}{mark}"
        )


def main() -> None:
    """Print all cells of the kinds that are asked for."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=200)
    parser.add_argument("kinds", nargs="*", default=list(KINDS))
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    for kind in chosen.kinds:
        run(kind, chosen.count, chosen.seed)
        sys.stdout.flush()


if __name__ == "__main__":
    main()
