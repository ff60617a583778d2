"""The frame of a trial: one fixed composition, t₀ → scale → origin → rotation → flip, from the file
to what is meant.

The scale belongs to the unit of pixels (see `trials.Channel`) and t₀ only to how times are shown,
since spans and rows are kept in file time. What is measured of a frame (origin, angle, centre) has
its ± in the setup.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.units import unit_of

ORIGIN = {"x": "origin x", "y": "origin y"}  # names of facts in the setup
ANGLE = "angle of the axes"
CENTRE = {"x": "centre x", "y": "centre y"}


def zero_key(body: str, axis: str) -> str:
    """Return the name under which the setup keeps the ± of a sensor's zero."""
    return f"zero of {axis} of {body}"


@dataclass(frozen=True)
class Frame:
    """Time zero in file time (s), origin (m), angle by which the axes are turned counter-clockwise
    (rad), flipped axes.

    `centre` is the centre of rotation in m, in the frame's own axes; `zeros` are offsets of
    sensors, by body and axis in SI, that are taken off.
    """

    time_zero: float = 0.0
    origin: tuple[float, float] = (0.0, 0.0)
    angle: float = 0.0
    flipped: tuple[str, ...] = ()
    centre: tuple[float, float] | None = None
    zeros: tuple[tuple[str, str, float], ...] = ()

    @property
    def moves(self) -> bool:
        """Whether positions are changed at all."""
        return self.origin != (0.0, 0.0) or self.angle != 0.0 or bool(self.flipped)

    def sign(self, axis: str) -> float:
        """−1 for a flipped axis."""
        return -1.0 if axis in self.flipped else 1.0

    def applied(self, x: Array, y: Array) -> tuple[Array, Array]:
        """Return positions in the frame from positions in the file's axes, all in m and of one
        shape.
        """
        cosine, sine = np.cos(self.angle), np.sin(self.angle)
        east, north = x - self.origin[0], y - self.origin[1]
        return self.sign("x") * (cosine * east + sine * north), self.sign("y") * (
            cosine * north - sine * east
        )

    def undone(self, x: float, y: float) -> tuple[float, float]:
        """Return a place in the file's axes from one in the frame."""
        cosine, sine = np.cos(self.angle), np.sin(self.angle)
        east, north = self.sign("x") * x, self.sign("y") * y
        back = (
            cosine * east - sine * north + self.origin[0],
            cosine * north + sine * east + self.origin[1],
        )
        return float(back[0]), float(back[1])

    def mixed(self, own: str, filed: str) -> float:
        """Return ∂(place along an axis of the frame)/∂(place along an axis of the file)."""
        cosine, sine = float(np.cos(self.angle)), float(np.sin(self.angle))
        turn = {("x", "x"): cosine, ("x", "y"): sine, ("y", "x"): -sine, ("y", "y"): cosine}
        return self.sign(own) * turn[own, filed]


FILE_FRAME = Frame()


def in_frame(trial: Trial, frame: Frame) -> Trial:
    """Return the trial as its frame shows it; the same object where the frame changes nothing.
    Raises FrameError.
    """
    if not frame.moves and not frame.zeros:
        return trial
    zeros = {(body, axis): value for body, axis, value in frame.zeros}
    bodies = []
    for body in trial.bodies:
        sensors = tuple(
            replace(s, shift=s.shift - zeros[body.name, s.axis])
            if (body.name, s.axis) in zeros
            else s
            for s in body.sensors
        )
        channels = (
            _framed_channels(trial.name, body, frame)
            if frame.moves and body.channels
            else body.channels
        )
        bodies.append(Body(body.name, channels, sensors))
    return replace(trial, bodies=tuple(bodies))


class FrameError(InertianError):
    """The frame does not fit a trial."""

    def __init__(self, trial: str, why: str) -> None:
        super().__init__(trial, why)
        self.trial, self.why = trial, why

    def __str__(self) -> str:
        return f"{self.trial}: {self.why}"


def _framed_channels(trial: str, body: Body, frame: Frame) -> tuple[Channel, ...]:
    metre = unit_of("length", "m")
    if frame.angle != 0.0 and set(body.axes) != {"x", "y"}:
        raise FrameError(
            trial,
            f"{body.name} was followed along {' and '.join(body.axes)} only; axes cannot turn.",
        )
    nothing = np.zeros(len(body.channels[0].raw))
    there = {c.axis: c.si for c in body.channels}
    x, y = frame.applied(there.get("x", nothing), there.get("y", nothing))
    us = {c.axis: c.stated for c in body.channels}
    return tuple(
        Channel(c.axis, c.column, metre, x if c.axis == "x" else y, u=_rotated_u(c.axis, us, frame))
        for c in body.channels
    )


def _rotated_u(axis: str, us: Mapping[str, Array | None], frame: Frame) -> Array | None:
    """The stated uncertainties along an axis of the frame, in m; None unless all the axes it mixes
    have them.
    """
    parts = [(frame.mixed(axis, filed), u) for filed, u in us.items()]
    squares = [mixed**2 * u**2 for mixed, u in parts if mixed != 0.0 and u is not None]
    if not squares or len(squares) < sum(mixed != 0.0 for mixed, _ in parts):
        return None
    return np.asarray(np.sqrt(sum(squares)))


def lowest(trial: Trial, axis: str) -> float:
    """Return the lowest place any body comes to along an axis, in m, in the file's axes. Raises
    FrameError if none was followed along it.
    """
    values = [c.si for b in trial.bodies for c in b.channels if c.axis == axis]
    finite = [float(np.nanmin(v)) for v in values if np.isfinite(v).any()]
    if not finite:
        raise FrameError(trial.name, f"no body was followed along {axis}.")
    return min(finite)
