"""Two granite stones on ice: sliding friction, and a contact force over some milliseconds.

The contact follows Hertz's law with the damping of Hunt & Crossley (J. Appl. Mech. 42 (1975) 440-445), in the form of
Lankarani & Nikravesh (J. Mech. Des. 112 (1990) 369-376); friction on the ice is m μ g against the motion. Away from
the contact the motion is exact; inside it is integrated by the classical Runge-Kutta rule. The surfaces are smooth:
no force acts across the line of centres.
"""

from dataclasses import dataclass

import numpy as np

from inertian.quantities.estimates import Array

RADIUS = 0.145  # m
STIFFNESS = 1.0e8  # N/m^1.5, of the contact: it lasts some 4 ms
STEP = 1e-4  # s, of the integration inside the contact
GRAVITY = 9.81  # m/s²


@dataclass(frozen=True)
class Stones:
    """Two stones before they meet: masses in kg, positions in m and velocities in m/s of shape (2, axes) at t = 0.

    `deceleration` (m/s²) is μ g of each stone; `bounce` the restitution that the contact damping is set for.
    """

    mass: tuple[float, float]
    position: Array
    velocity: Array
    deceleration: tuple[float, float]
    bounce: float = 0.85


@dataclass(frozen=True, eq=False)
class TrueMotion:
    """What really happened: states when the contact began and ended, and the exact free motion on either side."""

    stones: Stones
    begin: float
    end: float
    at_begin: tuple[Array, Array]  # position, velocity, shape (2, axes)
    at_end: tuple[Array, Array]

    def position(self, times: Array) -> Array:
        """Return positions in m at times in s, shape (2, axes, n); inside the contact, on a straight line between."""
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
    """Exact sliding with friction until rest; x, v of shape (2, axes) give results of shape (2, axes, n)."""
    speed = np.linalg.norm(v, axis=1)
    a = np.array(deceleration)
    unit = np.divide(v, speed[:, None], out=np.zeros_like(v), where=speed[:, None] > 0)
    stop = np.divide(speed, a, out=np.full(2, np.inf), where=a > 0)
    elapsed = np.minimum(t[None, :], stop[:, None])
    path = speed[:, None] * elapsed - 0.5 * a[:, None] * elapsed**2
    pace = speed[:, None] - a[:, None] * elapsed
    return x[:, :, None] + unit[:, :, None] * path[:, None, :], unit[:, :, None] * pace[:, None, :]


def _touch(stones: Stones, latest: float) -> float:
    """The moment at which the centres come within two radii, by a coarse search and bisection. ValueError if never."""
    times = np.linspace(0.0, latest, 4001)

    def gap(t: Array) -> Array:
        x = _glide(stones.position, stones.velocity, stones.deceleration, t)[0]
        return np.asarray(np.linalg.norm(x[1] - x[0], axis=0) - 2.0 * RADIUS)

    inside = np.flatnonzero(gap(times) < 0.0)
    if not inside.size or inside[0] == 0:
        raise ValueError("the stones do not meet")
    low, high = times[inside[0] - 1], times[inside[0]]
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if gap(np.array([middle]))[0] < 0.0 else (middle, high)
    return float(high)


def collide(stones: Stones, latest: float = 20.0) -> TrueMotion:
    """Simulate one meeting. Raises ValueError if the stones do not touch before `latest` seconds."""
    begin = _touch(stones, latest)
    x0, v0 = (s[:, :, 0] for s in _glide(stones.position, stones.velocity, stones.deceleration, np.array([begin])))
    mass = np.array(stones.mass)[:, None]
    slow = np.array(stones.deceleration)[:, None]
    line0 = (x0[1] - x0[0]) / np.linalg.norm(x0[1] - x0[0])
    approach = float(-(v0[1] - v0[0]) @ line0)
    damping = 0.75 * (1.0 - stones.bounce**2) / approach

    def rates(x: Array, v: Array) -> tuple[Array, Array]:
        line = x[1] - x[0]
        distance = float(np.hypot.reduce(line))
        line = line / distance
        depth = 2.0 * RADIUS - distance
        pace = -float((v[1] - v[0]) @ line)
        force = STIFFNESS * depth**1.5 * max(1.0 + damping * pace, 0.0) if depth > 0.0 else 0.0
        speed = np.linalg.norm(v, axis=1, keepdims=True)
        drag = slow * np.divide(v, speed, out=np.zeros_like(v), where=speed > 1e-9)
        return v, np.stack([-force * line, force * line]) / mass - drag

    x, v, t, h = x0, v0, begin, STEP
    while True:
        k1 = rates(x, v)
        k2 = rates(x + 0.5 * h * k1[0], v + 0.5 * h * k1[1])
        k3 = rates(x + 0.5 * h * k2[0], v + 0.5 * h * k2[1])
        k4 = rates(x + h * k3[0], v + h * k3[1])
        x = x + h / 6.0 * (k1[0] + 2 * k2[0] + 2 * k3[0] + k4[0])
        v = v + h / 6.0 * (k1[1] + 2 * k2[1] + 2 * k3[1] + k4[1])
        t += h
        if np.linalg.norm(x[1] - x[0]) >= 2.0 * RADIUS:
            return TrueMotion(stones, begin, t, (x0, v0), (x, v))
        if t - begin > 0.1:
            raise ValueError("the stones do not part")
