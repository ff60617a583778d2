"""Two granite stones on ice: sliding friction, and a contact force over some milliseconds.

The contact follows Hertz's law with the damping of Hunt & Crossley (J. Appl. Mech. 42 (1975)
440-445), in the form of Lankarani & Nikravesh (J. Mech. Des. 112 (1990) 369-376); friction on the
ice is m μ g against the motion. Away from the contact the motion is exact; inside it is integrated
by the classical Runge-Kutta rule. The surfaces are smooth: no force acts across the line of
centres.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from inertian.quantities.estimates import Array

RADIUS = 0.145  # m
STIFFNESS = 1.0e8  # N/m^1.5, of the contact: it lasts some 4 ms
STEP = 2e-4  # s, of the integration inside the contact
GRAVITY = 9.81  # m/s²


@dataclass(frozen=True)
class Stones:
    """Two stones before they meet: masses in kg, positions in m and velocities in m/s of shape (2,
    axes) at t = 0.

    `deceleration` (m/s²) is μ g of each stone; `bounce` the restitution that the contact damping is
    set for.
    """

    mass: tuple[float, float]
    position: Array
    velocity: Array
    deceleration: tuple[float, float]
    bounce: float = 0.85


@dataclass(frozen=True, eq=False)
class TrueMotion:
    """What really happened: states when the contact began and ended, and the exact free motion on
    either side.
    """

    stones: Stones
    begin: float
    end: float
    at_begin: tuple[Array, Array]  # position, velocity, shape (2, axes)
    at_end: tuple[Array, Array]

    def position(self, times: Array) -> Array:
        """Return positions in m at times in s, shape (2, axes, n); inside the contact, on a
        straight line between.
        """
        return self._state(times)[0]

    def velocity(self, times: Array) -> Array:
        """Return velocities in m/s at times in s, shape (2, axes, n)."""
        return self._state(times)[1]

    def _state(self, times: Array) -> tuple[Array, Array]:
        x0, v0 = self.stones.position, self.stones.velocity
        before = _glide(x0, v0, self.stones.deceleration, np.minimum(times, self.begin))
        after = _glide(*self.at_end, self.stones.deceleration, np.maximum(times - self.end, 0.0))
        share = np.clip((times - self.begin) / (self.end - self.begin), 0.0, 1.0)
        mixed = tuple(b * (1.0 - share) + a * share for b, a in zip(before, after, strict=True))
        return mixed[0], mixed[1]


def _glide(x: Array, v: Array, deceleration: tuple[float, float], t: Array) -> tuple[Array, Array]:
    """Exact sliding with friction until rest; x, v of shape (2, axes) give results of shape (2,
    axes, n).
    """
    speed = np.linalg.norm(v, axis=1)
    a = np.array(deceleration)
    unit = np.divide(v, speed[:, None], out=np.zeros_like(v), where=speed[:, None] > 0)
    stop = np.divide(speed, a, out=np.full(2, np.inf), where=a > 0)
    elapsed = np.minimum(t[None, :], stop[:, None])
    path = speed[:, None] * elapsed - 0.5 * a[:, None] * elapsed**2
    pace = speed[:, None] - a[:, None] * elapsed
    return x[:, :, None] + unit[:, :, None] * path[:, None, :], unit[:, :, None] * pace[:, None, :]


def _touch(stones: Stones, latest: float) -> float:
    """The moment at which the centres come within two radii, by a search made finer each time.
    ValueError if never.
    """
    times = np.linspace(0.0, latest, 801)

    def gap(t: Array) -> Array:
        x = _glide(stones.position, stones.velocity, stones.deceleration, t)[0]
        return np.asarray(np.linalg.norm(x[1] - x[0], axis=0) - 2.0 * RADIUS)

    inside = np.flatnonzero(gap(times) < 0.0)
    if not inside.size or inside[0] == 0:
        raise ValueError("the stones do not meet")
    low, high = times[inside[0] - 1], times[inside[0]]
    while high - low > 1e-12:
        times = np.linspace(low, high, 65)
        first = max(int(np.argmax(gap(times) < 0.0)), 1)
        low, high = times[first - 1], times[first]
    return float(high)


def collide(stones: Stones, latest: float = 20.0) -> TrueMotion:
    """Simulate one meeting. Raises ValueError if the stones do not touch before `latest`
    seconds.
    """
    begin = _touch(stones, latest)
    x0, v0 = (
        s[:, :, 0]
        for s in _glide(stones.position, stones.velocity, stones.deceleration, np.array([begin]))
    )
    axes = x0.shape[1]
    state = [*x0.ravel().tolist(), *v0.ravel().tolist()]
    rates = _contact_rates(stones, x0, v0)
    t, h = begin, STEP
    while True:
        k1 = rates(state)
        k2 = rates([s + 0.5 * h * k for s, k in zip(state, k1, strict=True)])
        k3 = rates([s + 0.5 * h * k for s, k in zip(state, k2, strict=True)])
        k4 = rates([s + h * k for s, k in zip(state, k3, strict=True)])
        slopes = zip(k1, k2, k3, k4, strict=True)
        state = [
            s + h / 6.0 * (a + 2 * b + 2 * c + d)
            for s, (a, b, c, d) in zip(state, slopes, strict=True)
        ]
        t += h
        if math.dist(state[:axes], state[axes : 2 * axes]) >= 2.0 * RADIUS:
            x, v = np.array(state).reshape(2, 2, axes)
            return TrueMotion(stones, begin, t, (x0, v0), (x, v))
        if t - begin > 0.1:
            raise ValueError("the stones do not part")


def _contact_rates(stones: Stones, x0: Array, v0: Array) -> Callable[[list[float]], list[float]]:
    """The equations of motion in contact, on plain floats: positions of both stones, then their
    velocities.
    """
    axes = x0.shape[1]
    line0 = (x0[1] - x0[0]) / np.linalg.norm(x0[1] - x0[0])
    damping = 0.75 * (1.0 - stones.bounce**2) / float(-(v0[1] - v0[0]) @ line0)

    def rates(state: list[float]) -> list[float]:
        x1, x2, v1, v2 = (state[k * axes : (k + 1) * axes] for k in range(4))
        line = [b - a for a, b in zip(x1, x2, strict=True)]
        distance = math.hypot(*line)
        line = [part / distance for part in line]
        depth = 2.0 * RADIUS - distance
        pace = -sum((b - a) * n for a, b, n in zip(v1, v2, line, strict=True))
        force = STIFFNESS * depth**1.5 * max(1.0 + damping * pace, 0.0) if depth > 0.0 else 0.0
        accelerations = []
        for sign, mass, slow, v in zip(
            (-1.0, 1.0), stones.mass, stones.deceleration, (v1, v2), strict=True
        ):
            speed = math.hypot(*v)
            drag = slow / speed if speed > 1e-9 else 0.0
            accelerations += [
                sign * force * n / mass - drag * part for n, part in zip(line, v, strict=True)
            ]
        return [*v1, *v2, *accelerations]

    return rates
