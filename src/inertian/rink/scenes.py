"""Scenes for judging the span finder: everything that happens on the ice, with the true times of
it.

A body's motion is a chain of pieces: rest, steady acceleration, or a push of given change of
velocity and duration. The shapes of the pushes in time are not those the finder assumes.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache

import numpy as np

from inertian.quantities.estimates import Array

TABLE = 4001  # points of a tabulated push


@dataclass(frozen=True)
class Happening:
    """What truly happened: a kind as the finder names it, from t0 to t1 in s, and to which
    bodies.
    """

    kind: str
    t0: float
    t1: float
    bodies: tuple[str, ...]


@cache
def _push(power: float, skew: float) -> tuple[Array, Array]:
    """Velocity gained and path travelled through a push of unit duration and unit change of
    velocity, tabulated.
    """
    u = np.linspace(0.0, 1.0, TABLE)
    force = np.sin(np.pi * u**skew) ** power
    v = np.concatenate([[0.0], np.cumsum(0.5 * (force[1:] + force[:-1]))])
    v = v / v[-1]
    x = np.concatenate([[0.0], np.cumsum(0.5 * (v[1:] + v[:-1]))]) / (TABLE - 1)
    return v, x


@dataclass
class Course:
    """The course of one body, made piece by piece; positions and velocities are vectors of one or
    two axes.
    """

    body: str
    x: Array
    v: Array
    t: float = 0.0
    pieces: list[tuple[float, float, Callable[[Array], Array]]] = field(default_factory=list)
    happened: list[Happening] = field(default_factory=list)

    def steady(self, duration: float, a: Array) -> "Course":
        """Move on with a steady acceleration (m/s²) for some s."""
        t0, x0, v0 = self.t, self.x, self.v
        self._add(
            duration, lambda t: x0 + v0 * (t - t0)[:, None] + 0.5 * a * (t - t0)[:, None] ** 2
        )
        kind = "steady acceleration" if np.any(a) else "steady velocity" if np.any(v0) else "rest"
        self._tell(kind, t0, self.t)
        turn = -float(v0[-1] / a[-1]) if a[-1] else -1.0
        if len(a) == 1 and 0.05 * duration < turn < 0.95 * duration:
            self._tell("turning point", t0 + turn, t0 + turn)
        self.x, self.v = x0 + v0 * duration + 0.5 * a * duration**2, v0 + a * duration
        return self

    def glide(self, duration: float, friction: float) -> "Course":
        """Slide against friction (m/s²) for some s, and rest once it stops."""
        speed = float(np.linalg.norm(self.v))
        if speed == 0.0 or friction == 0.0:
            return self.steady(duration, np.zeros_like(self.v))
        stops = speed / friction
        self.steady(min(duration, stops), -friction * self.v / speed)
        if stops < duration:
            self.v = np.zeros_like(self.v)
            self.steady(duration - stops, np.zeros_like(self.v))
        return self

    def push(
        self, duration: float, dv: Array, power: float = 1.5, skew: float = 1.0, kind: str = ""
    ) -> "Course":
        """Change the velocity by dv within some s, by a force of the shape sin(π u^skew)^power."""
        t0, x0, v0 = self.t, self.x, self.v
        _, path = _push(power, skew)
        grid = np.linspace(0.0, 1.0, TABLE)

        def place(t: Array) -> Array:
            u = (t - t0) / duration
            return np.asarray(
                x0 + v0 * (t - t0)[:, None] + duration * dv * np.interp(u, grid, path)[:, None]
            )

        self._add(duration, place)
        if kind:
            self._tell(kind, t0, self.t)
        self.x, self.v = x0 + v0 * duration + duration * dv * path[-1], v0 + dv
        return self

    def _add(self, duration: float, place: Callable[[Array], Array]) -> None:
        self.pieces.append((self.t, self.t + duration, place))
        self.t += duration

    def _tell(self, kind: str, t0: float, t1: float) -> None:
        self.happened.append(Happening(kind, t0, t1, (self.body,)))

    def position(self, t: Array) -> Array:
        """Return positions in m at times in s, shape (n, axes)."""
        found = np.empty((len(t), len(self.x)))
        for start, stop, place in self.pieces:
            inside = (t >= start) & (t <= stop + 1e-12)
            found[inside] = place(t[inside])
        return found


@dataclass(frozen=True)
class Scene:
    """Some courses of equal length, and what happened between bodies."""

    name: str
    courses: tuple[Course, ...]
    shared: tuple[Happening, ...] = ()

    @property
    def end(self) -> float:
        """The last moment in s."""
        return min(c.t for c in self.courses)

    def happened(self) -> list[Happening]:
        """Return all that happened, in order of time."""
        return sorted(
            [*self.shared, *(h for c in self.courses for h in c.happened)],
            key=lambda h: (h.t0, h.t1),
        )


def _vector(*parts: float) -> Array:
    return np.array(parts, dtype=np.float64)


def _friction(rng: np.random.Generator) -> float:
    return float(rng.choice([0.0, rng.uniform(0.05, 0.2), rng.uniform(0.2, 0.6)]))


def stones_meet(rng: np.random.Generator, slow: bool = False) -> Scene:
    """Two stones meet: an impact of milliseconds, or a repulsion without touch over tenths of a
    second.
    """
    m = rng.uniform(8.0, 20.0, 2)
    v1, v2 = (
        rng.uniform(0.5, 2.2),
        rng.choice([0.0, -rng.uniform(0.4, 1.5), rng.uniform(0.05, 0.25)]),
    )
    friction = (0.0, 0.0) if slow and rng.random() < 0.5 else (_friction(rng), _friction(rng))
    before, after = rng.uniform(0.6, 1.6, 2)
    before = min(
        [before, *(0.8 * abs(v) / f for v, f in zip((v1, v2), friction, strict=True) if f and v)]
    )
    a, b = Course("heavy", _vector(0.0), _vector(v1)), Course("light", _vector(3.0), _vector(v2))
    for course, f in ((a, friction[0]), (b, friction[1])):
        course.glide(before, f)
    duration = rng.uniform(0.15, 0.6) if slow else rng.uniform(0.003, 0.015)
    e = 1.0 if slow else rng.uniform(0.1, 0.95)
    impulse = (1.0 + e) * m[0] * m[1] / m.sum() * float(a.v[0] - b.v[0])
    power = float(rng.choice([1.0, 1.25, 1.6, 2.0])) if slow else 1.5
    for course, sign, mass, f in ((a, -1.0, m[0], friction[0]), (b, 1.0, m[1], friction[1])):
        course.push(duration, _vector(sign * impulse / mass), power)
        course.glide(after, f)
    kind = "interaction" if slow else "contact"
    return Scene(
        "repulsion" if slow else "impact",
        (a, b),
        (Happening(kind, before, before + duration, ("heavy", "light")),),
    )


def three_in_a_row(rng: np.random.Generator) -> Scene:
    """A stone hits the second of three, and that one the third a little later."""
    v, f = rng.uniform(1.0, 2.2), rng.uniform(0.0, 0.15)
    t1, gap, after, d = (
        rng.uniform(0.6, 1.2),
        rng.uniform(0.35, 0.8),
        rng.uniform(0.6, 1.2),
        rng.uniform(0.003, 0.01),
    )
    a, b, c = (
        Course(name, _vector(x), _vector(u))
        for name, x, u in (("first", 0.0, v), ("second", 2.0, 0.0), ("third", 3.5, 0.0))
    )
    for course in (a, b):
        course.glide(t1, f)
    dv = _vector(rng.uniform(0.6, 0.9) * a.v[0])
    a.push(d, -dv).glide(gap + d + after, f)
    b.push(d, dv).glide(gap, f)
    c.glide(t1 + d + gap, f)
    dv = _vector(rng.uniform(0.6, 0.9) * b.v[0])
    b.push(d, -dv).glide(after, f)
    c.push(d, dv).glide(after, f)
    first = Happening("contact", t1, t1 + d, ("first", "second"))
    second = Happening("contact", t1 + d + gap, t1 + 2 * d + gap, ("second", "third"))
    return Scene("three", (a, b, c), (first, second))


def up_a_bank(rng: np.random.Generator) -> Scene:
    """A sled coasts up a bank and back; friction makes it slower to come down."""
    g, f, v = rng.uniform(0.4, 2.5), rng.uniform(0.0, 0.25), rng.uniform(0.7, 2.0)
    up = v / (g + f)
    sled = Course("sled", _vector(0.0), _vector(v))
    sled.steady(up, _vector(-g - f))
    sled.v = _vector(0.0)
    sled._tell("turning point", up, up)
    sled.steady(up * rng.uniform(0.6, 1.0), _vector(-g + f))
    return Scene("bank", (sled,))


def puck_hops(rng: np.random.Generator) -> Scene:
    """A puck hops along: x steady, y in parabolas between bounces."""
    e, d, vx = rng.uniform(0.7, 0.92), rng.uniform(0.004, 0.01), rng.uniform(0.2, 0.8)
    height = rng.uniform(0.4, 1.0)
    puck, vy = Course("puck", _vector(0.0, height), _vector(vx, 0.0)), np.sqrt(2 * 9.81 * height)
    puck.steady(vy / 9.81, _vector(0.0, -9.81))
    for _ in range(int(rng.integers(2, 5))):
        vy = float(-puck.v[1])
        puck.push(d, _vector(0.0, (1 + e) * vy), kind="bounce")
        puck.steady(2 * e * vy / 9.81 * (1.0 if rng.random() < 0.9 else 0.8), _vector(0.0, -9.81))
        if puck.v[1] > -0.5:
            break
    return Scene("puck", (puck,))


def pushed_off(rng: np.random.Generator) -> Scene:
    """A hand pushes a stone; it glides, and may meet the end of the lane."""
    stone, f = Course("stone", _vector(0.3), _vector(0.0)), rng.uniform(0.0, 0.2)
    if rng.random() < 0.7:
        stone.steady(rng.uniform(0.3, 1.0), _vector(0.0))
    stone.push(
        rng.uniform(0.2, 0.7),
        _vector(rng.uniform(0.6, 2.0)),
        rng.uniform(1.0, 2.0),
        rng.uniform(0.8, 1.3),
        "push",
    )
    stone.glide(rng.uniform(0.8, 2.0), f)
    if rng.random() < 0.6 and stone.v[0] > 0.3:
        start = stone.t
        stone.push(rng.uniform(0.004, 0.02), -stone.v, 1.5)
        stone.happened.append(Happening("end stop", start, stone.t, ("stone",)))
        stone.v = _vector(0.0)
        stone.steady(rng.uniform(0.3, 1.0), _vector(0.0))
    return Scene("pushed", (stone,))


def into_a_spring(rng: np.random.Generator) -> Scene:
    """A sled runs into a sprung bumper and comes back."""
    sled, f = Course("sled", _vector(0.0), _vector(rng.uniform(0.5, 1.8))), rng.uniform(0.0, 0.15)
    sled.glide(rng.uniform(0.6, 1.2), f)
    e = rng.uniform(0.75, 1.0)
    sled.push(rng.uniform(0.15, 0.5), -(1 + e) * sled.v, rng.uniform(1.0, 1.6), kind="interaction")
    sled.glide(rng.uniform(0.6, 1.2), f)
    return Scene("spring", (sled,))


def glides_out(rng: np.random.Generator) -> Scene:
    """A lone stone glides, and may come to rest."""
    stone = Course(
        "stone", _vector(0.0, 0.4), _vector(rng.uniform(0.5, 2.0), rng.uniform(-0.4, 0.4))
    )
    return Scene("lone", (stone.glide(rng.uniform(1.5, 4.0), _friction(rng)),))


SCENES: tuple[Callable[[np.random.Generator], Scene], ...] = (
    stones_meet,
    lambda rng: stones_meet(rng, slow=True),
    three_in_a_row,
    up_a_bank,
    puck_hops,
    pushed_off,
    into_a_spring,
    glides_out,
)


def record(
    scene: Scene,
    rng: np.random.Generator,
    rate: float,
    noise: float,
    jitter: float = 0.0,
    spikes: float = 0.0,
) -> tuple[Array, dict[str, Array]]:
    """Record a scene: times in s, shape (n,), and positions in m by body, shape (n, axes).

    `noise` (m) of a reading, `jitter` (s) of a time stamp shared by all bodies, `spikes` the share
    of glitches.
    """
    t = np.arange(0.0, scene.end, 1.0 / rate)
    exposed = np.clip(t + rng.normal(0.0, jitter, len(t)), 0.0, scene.end)
    found = {}
    for course in scene.courses:
        x = course.position(exposed) + rng.normal(0.0, noise, (len(t), len(course.x)))
        hit = rng.random(len(t)) < spikes
        x[hit] += rng.choice([-1.0, 1.0], (hit.sum(), 1)) * rng.uniform(0.03, 0.4, (hit.sum(), 1))
        found[course.body] = x
    return t, found
