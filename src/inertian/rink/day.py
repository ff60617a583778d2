"""A day at the ice rink: the files of the demo, made from one seed."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.files.tab_separated import tab_separated
from inertian.rink.camera import Camera, Footage, film
from inertian.rink.stones import RADIUS, Stones, TrueMotion, collide

SEED = 20261125
MASSES = {"heavy": 19.1, "light": 11.3}  # kg, as weighed
MASS_LIMITS = 0.1  # kg
DECELERATION = (0.094, 0.112)  # m/s²
IN_LINE = (  # heavy and light stone, m/s at the start of the film
    (1.62, 0.0),
    (0.0, -2.10),
    (1.95, 0.62),
    (1.10, -1.25),
    (1.84, 0.0),
    (1.48, 0.58),
    (0.92, -1.64),
    (0.0, -1.88),
    (2.16, 0.71),
    (1.36, -0.98),
)


@dataclass(frozen=True, eq=False)
class RinkFile:
    """One file of the demo: name, bytes, and the motion behind it, kept for tests."""

    name: str
    series: str
    content: bytes
    truth: TrueMotion


def in_line_stones(
    speeds: tuple[float, float], wait: float, bounce: float, mass: tuple[float, float]
) -> Stones:
    """Return two stones on one lane that will meet after about `wait` seconds."""
    pace = np.array(speeds)
    path = pace * wait - 0.5 * np.sign(pace) * np.array(DECELERATION) * wait**2
    start = 0.60 if pace[0] > 0 else 2.40
    return Stones(
        mass,
        np.array([[start], [start + 2 * RADIUS + path[0] - path[1]]]),
        pace[:, None],
        DECELERATION,
        bounce,
    )


def glancing_stones(mass: tuple[float, float]) -> Stones:
    """Return a heavy stone that will hit a resting light one off centre."""
    return Stones(
        mass,
        np.array([[0.40, 0.52], [2.30, 0.66]]),
        np.array([[1.78, 0.02], [0.0, 0.0]]),
        DECELERATION,
        0.83,
    )


def _file(
    name: str, series: str, footage: Footage, truth: TrueMotion, camera: Camera, axes: Sequence[str]
) -> RinkFile:
    titles, columns = ["time (s)"], [footage.times]
    for i, body in enumerate(MASSES):
        for j, axis in enumerate(axes):
            titles.append(f"{body} (cm)" if len(axes) == 1 else f"{body} {axis} (cm)")
            columns.append(footage.positions_cm[i, j])
    preamble = (
        f"ice rink, lane 2: {name}",
        f"camera above the lane, {camera.rate:g} frames per second",
    )
    content = tab_separated(preamble, titles, columns, [4] + [camera.decimals] * (len(titles) - 1))
    return RinkFile(f"{name}.tsv", series, content, truth)


def day(seed: int = SEED) -> tuple[RinkFile, ...]:
    """Return the files of the demo: ten in-line collisions and a glancing one.

    The stones' true masses lie inside the limits of the weighing; the camera, its noise and its
    lost frames are those of `Camera`.
    """
    rng = np.random.default_rng(seed)
    camera = Camera()
    weighed = tuple(m + rng.uniform(-MASS_LIMITS, MASS_LIMITS) for m in MASSES.values())
    mass = (weighed[0], weighed[1])
    files = []
    for number, speeds in enumerate(IN_LINE, start=1):
        truth = collide(
            in_line_stones(speeds, rng.uniform(0.95, 1.25), rng.uniform(0.76, 0.88), mass)
        )
        footage = film(truth, truth.end + rng.uniform(0.95, 1.15), camera, rng)
        files.append(_file(f"In line {number:02d}", "in line", footage, truth, camera, ("x",)))
    truth = collide(glancing_stones(mass))
    footage = film(truth, truth.end + 1.2, camera, rng)
    files.append(_file("Glancing 01", "glancing", footage, truth, camera, ("x", "y")))
    return tuple(files)
