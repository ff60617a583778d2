"""What a person asks of a trial: a quantity of a body, a reading of it, a curve fitted to it.
Values to be kept.
"""

from dataclasses import dataclass
from enum import StrEnum

from inertian.motion.fits.curve_shapes import CurveShape


class Quantity(StrEnum):
    """The quantities that strips and readings are of."""

    POSITION = "position"
    VELOCITY = "velocity"
    ACCELERATION = "acceleration"
    SPEED = "speed"
    MOMENTUM = "momentum"
    KINETIC = "kinetic energy"
    ANGLE = "angle"
    ANGULAR_SPEED = "angular speed"
    RADIUS = "distance from the centre"
    SENSOR = "sensor"  # measured in its own right: force, acceleration, velocity
    DERIVED = "own"  # a formula: ready-made, or your own


UNITS = {
    Quantity.POSITION: "m",
    Quantity.VELOCITY: "m/s",
    Quantity.ACCELERATION: "m/s²",
    Quantity.SPEED: "m/s",
    Quantity.MOMENTUM: "kg·m/s",
    Quantity.KINETIC: "J",
    Quantity.ANGLE: "rad",
    Quantity.ANGULAR_SPEED: "rad/s",
    Quantity.RADIUS: "m",
}
SENSOR_UNITS = {"F": "N", "a": "m/s²", "v": "m/s"}
ALONG_AXES = (Quantity.POSITION, Quantity.VELOCITY, Quantity.ACCELERATION, Quantity.MOMENTUM)
NEEDS_MASS = (Quantity.MOMENTUM, Quantity.KINETIC)
NEEDS_CENTRE = (Quantity.ANGLE, Quantity.ANGULAR_SPEED, Quantity.RADIUS)
ADDS_UP = (Quantity.MOMENTUM, Quantity.KINETIC)  # over all bodies
TOTAL = ""  # in place of a body's name: all of them together


@dataclass(frozen=True)
class QuantityRef:
    """A quantity along an axis ("" where it has none, "|…|" as "magnitude"), as a strip shows it
    for all bodies.

    In place of the axis stands the symbol of a formula.
    """

    quantity: Quantity
    axis: str = ""
    si: str = ""  # the SI unit, where the quantity alone does not tell

    @property
    def unit(self) -> str:
        """The SI unit of its values."""
        if self.quantity is Quantity.DERIVED:
            return self.si
        return SENSOR_UNITS[self.axis] if self.quantity is Quantity.SENSOR else UNITS[self.quantity]

    @property
    def along(self) -> str:
        """The axis that values belong to, "" where they belong to none."""
        return "" if self.quantity is Quantity.DERIVED else self.axis


class ReadingKind(StrEnum):
    """What is read off: at a moment, over a span, or between two moments."""

    VALUE = "value"
    SLOPE = "slope"
    MEAN = "mean"
    SPREAD = "spread"
    TREND = "slope over the span"
    AREA = "area"
    CHANGE = "change"
    LEAST = "least"
    GREATEST = "greatest"
    DIFFERENCE = "difference"
    RATIO = "ratio"


AT_MOMENT = (ReadingKind.VALUE, ReadingKind.SLOPE)
OVER_SPAN = (
    ReadingKind.MEAN,
    ReadingKind.SPREAD,
    ReadingKind.TREND,
    ReadingKind.AREA,
    ReadingKind.CHANGE,
    ReadingKind.LEAST,
    ReadingKind.GREATEST,
)
BETWEEN = (ReadingKind.DIFFERENCE, ReadingKind.RATIO)


@dataclass(frozen=True)
class NamedReading:
    """A reading that was given a name, so that it is a result of the trial.

    `times` are file times in s: one for a moment, two between moments, none over a span, which
    `span` names.
    """

    name: str
    kind: ReadingKind
    shown: QuantityRef
    body: str
    times: tuple[float, ...] = ()
    span: str = ""


@dataclass(frozen=True)
class CurveRequest:
    """A curve of a shape over a span of one body's quantity; `held` are parameters that are not
    fitted, by symbol.
    """

    shown: QuantityRef
    body: str
    span: str
    shape: CurveShape
    held: tuple[tuple[str, float], ...] = ()
    formula: str = ""
    robust: bool = False  # samples far off say little
