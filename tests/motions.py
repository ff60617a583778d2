"""Motions with known velocities and accelerations, and recordings of them with known flaws.

Written apart from the methods that are judged by them: nothing here is tuned to any of those.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

LASTING = 3.0  # s
Derivatives = tuple[Callable, Callable, Callable]  # x, v and a as functions of t


def polynomial(*coefficients: float) -> Derivatives:
    own = np.polynomial.Polynomial(coefficients)
    return own, own.deriv(), own.deriv(2)


def swing(size: float, turns: float, phase: float, damping: float = 0.0) -> Derivatives:
    rate = -damping + 2j * np.pi * turns / LASTING
    start = size * np.exp(1j * phase)
    return tuple(lambda t, k=k: (start * rate**k * np.exp(rate * t)).real for k in range(3))


def braked(speed: float, rate: float) -> Derivatives:
    """Slowed in proportion to its speed."""
    return (
        lambda t: speed / rate * (1.0 - np.exp(-rate * t)),
        lambda t: speed * np.exp(-rate * t),
        lambda t: -rate * speed * np.exp(-rate * t),
    )


def blown(speed: float, rate: float) -> Derivatives:
    """Slowed in proportion to the square of its speed."""
    return (
        lambda t: np.log1p(rate * speed * t) / rate,
        lambda t: speed / (1.0 + rate * speed * t),
        lambda t: -rate * (speed / (1.0 + rate * speed * t)) ** 2,
    )


def push(speed: float, gain: float, middle: float, width: float) -> Derivatives:
    """A push without touch: the speed goes over by a logistic curve."""

    def share(t):
        return 1.0 / (1.0 + np.exp(-(t - middle) / width))

    return (
        lambda t: speed * t + gain * width * np.logaddexp(0.0, (t - middle) / width),
        lambda t: speed + gain * share(t),
        lambda t: gain * share(t) * (1.0 - share(t)) / width,
    )


def repelled(nearest: float, speed: float) -> Derivatives:
    """Comes near, turns and goes back along a hyperbola."""

    def x(t):
        return np.sqrt(nearest**2 + (speed * (t - LASTING / 2.0)) ** 2)

    return (
        x,
        lambda t: speed**2 * (t - LASTING / 2.0) / x(t),
        lambda t: speed**2 * nearest**2 / x(t) ** 3,
    )


def bump(size: float, middle: float, width: float, speed: float) -> Derivatives:
    def off(t):
        return (t - middle) / width

    def hill(t):
        return size * np.exp(-0.5 * off(t) ** 2)

    return (
        lambda t: speed * t + hill(t),
        lambda t: speed - off(t) / width * hill(t),
        lambda t: (off(t) ** 2 - 1.0) / width**2 * hill(t),
    )


def wandering(rng: np.random.Generator, waves: int = 8) -> Derivatives:
    """Sines of falling size."""
    number = np.arange(1, waves + 1)
    size = 0.3 * rng.standard_normal(waves) / number**2
    phase, rate = rng.uniform(0.0, 2.0 * np.pi, waves), 1j * np.pi * number / LASTING

    def derivative(t, k):
        turned = np.exp(np.multiply.outer(t, rate) + 1j * phase)
        return (size * rate**k * turned).sum(-1).imag

    return tuple(lambda t, k=k: derivative(t, k) for k in range(3))


def _either(rng: np.random.Generator) -> float:
    return float(rng.choice([-1.0, 1.0]))


MOTIONS: Mapping[str, Callable[[np.random.Generator], Derivatives]] = {
    "glide": lambda rng: polynomial(0.2, 0.7 * _either(rng)),
    "glide with friction": lambda rng: polynomial(0.2, 0.9, -0.1),
    "throw": lambda rng: polynomial(0.0, 3.0 * _either(rng), -4.9 * _either(rng)),
    "slowed by drag": lambda rng: braked(1.5 * _either(rng), 1.0),
    "slowed by air": lambda rng: blown(1.5, 1.5),
    "one swing": lambda rng: swing(0.3, 1.0, rng.uniform(0.0, 6.3)),
    "three swings": lambda rng: swing(0.2, 3.0, rng.uniform(0.0, 6.3)),
    "six swings": lambda rng: swing(0.1, 6.0, rng.uniform(0.0, 6.3)),
    "damped swings": lambda rng: swing(0.3, 4.0, rng.uniform(0.0, 6.3), 1.0),
    "push": lambda rng: push(0.6, -_either(rng), rng.uniform(1.0, 2.0), 0.12),
    "repulsion": lambda rng: repelled(0.15, 0.7),
    "wandering": wandering,
    "bump": lambda rng: bump(0.15, rng.uniform(1.0, 2.0), 0.15, 0.3),
}


@dataclass(frozen=True, eq=False)
class Recording:
    """Times in s and readings in m, (n,), with the true velocity (1) and acceleration (2) at
    them.
    """

    t: np.ndarray
    x: np.ndarray
    true: Mapping[int, np.ndarray]


def recorded(
    rng: np.random.Generator,
    motion: str,
    n: int = 60,
    spacing: str = "even",
    noise: str = "white",
    sigma: float = 2e-3,
) -> Recording:
    """A motion of 3 s read n times. Spacing: even, uneven or gap; noise: white, steps (of 5 mm),
    jitter (of the clock), or the ρ of errors that resemble one another.
    """
    x, v, a = MOTIONS[motion](rng)
    t, step = np.linspace(0.0, LASTING, n), LASTING / (n - 1)
    if spacing == "uneven":
        apart = rng.gamma(3.0, 1.0 / 3.0, n - 1) + 0.05
        t = np.concatenate([[0.0], np.cumsum(apart)]) * LASTING / apart.sum()
    if spacing == "gap":
        start = rng.uniform(0.3, 0.6) * LASTING
        t = t[(t < start) | (t > start + 0.1 * LASTING)]
    if noise == "steps":
        off = rng.uniform(0.0, 5e-3)
        readings = np.round((x(t) + off) / 5e-3) * 5e-3 - off
    elif noise == "jitter":
        late = 0.15 * step * rng.standard_normal(len(t))
        readings = x(t + late) + 0.5 * sigma * rng.standard_normal(len(t))
    else:
        rho = 0.0 if noise == "white" else float(noise)
        errors = rng.standard_normal(len(t))
        for k in range(1, len(t)):
            errors[k] = rho * errors[k - 1] + np.sqrt(1.0 - rho**2) * errors[k]
        readings = x(t) + sigma * errors
    return Recording(t, readings, {1: v(t), 2: a(t)})
