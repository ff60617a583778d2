"""What stands in an account at its dates: the amount of one body in one form, as plain functions of
named inputs, in SI, analytic in each.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from inertian.physics.accounts.account_inputs import (
    DateValue,
    FactOf,
    InputKey,
    MassOf,
    Values,
)

MOMENTUM, ANGULAR = "momentum", "angular momentum"
KINETIC, HEIGHT, SPRING, ROTATION = "kinetic", "height", "spring", "rotation"
GRAVITY, INCLINE, STIFFNESS, SPRING_REST, INERTIA, ROLLING = "g", "θ", "k", "x_0", "I", "j"
ADDED_INERTIA = "I_a"
ANGLE = "φ"  # as an axis: the angle about a centre, in rad


class Form(Protocol):
    """An amount of one body in one form at every date."""

    @property
    def name(self) -> str:
        """The name of the form."""

    @property
    def body(self) -> str:
        """The body it is of."""

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """Return the inputs it needs at a date."""

    def amount(self, q: Values, date: int) -> Any:
        """Return the amount at a date, in the unit of the account."""


def momentum(m: Any, v: Any) -> Any:
    """Return m v in kg·m/s."""
    return m * v


def kinetic_energy(m: Any, v2: Any) -> Any:
    """Return ½ m v² in J, from the square of the speed."""
    return 0.5 * m * v2


@dataclass(frozen=True)
class MomentumForm:
    """m v along an axis."""

    body: str
    axis: str
    name: str = MOMENTUM

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        return MassOf(self.body), DateValue(1, self.body, self.axis, date)

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in kg·m/s."""
        return momentum(q[MassOf(self.body)], q[DateValue(1, self.body, self.axis, date)])


@dataclass(frozen=True)
class AngularForm:
    """m ((x − x_c) v_y − (y − y_c) v_x) about a centre, and I ω where a body turns by itself."""

    body: str
    centre: tuple[float, float] = (0.0, 0.0)
    name: str = ANGULAR

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        return (
            MassOf(self.body),
            *(DateValue(order, self.body, axis, date) for order in (0, 1) for axis in "xy"),
        )

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in kg·m²/s."""
        x, y, v_x, v_y = (
            q[DateValue(order, self.body, axis, date)] for order in (0, 1) for axis in "xy"
        )
        return q[MassOf(self.body)] * ((x - self.centre[0]) * v_y - (y - self.centre[1]) * v_x)


@dataclass(frozen=True)
class KineticForm:
    """½ m v²; of a rolling body ½ m v² (1 + j) with j = I/(m r²)."""

    body: str
    axes: tuple[str, ...]
    rolling: bool = False
    name: str = KINETIC

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        own = (FactOf(ROLLING, self.body),) if self.rolling else ()
        return (
            MassOf(self.body),
            *own,
            *(DateValue(1, self.body, axis, date) for axis in self.axes),
        )

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in J."""
        v2 = square([q[DateValue(1, self.body, axis, date)] for axis in self.axes])
        whole = kinetic_energy(q[MassOf(self.body)], v2)
        return whole * (1.0 + q[FactOf(ROLLING, self.body)]) if self.rolling else whole


@dataclass(frozen=True)
class HeightForm:
    """m g h, with h = ± the position along a vertical axis, or x sin θ up an incline."""

    body: str
    axis: str
    upwards: float = 1.0  # −1 where the axis points down
    inclined: bool = False
    name: str = HEIGHT

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        place = DateValue(0, self.body, self.axis, date)
        facts = (FactOf(GRAVITY), FactOf(INCLINE)) if self.inclined else (FactOf(GRAVITY),)
        return MassOf(self.body), place, *facts

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in J, from where the position is 0."""
        height = self.upwards * q[DateValue(0, self.body, self.axis, date)]
        if self.inclined:
            height = height * np.sin(q[FactOf(INCLINE)])
        return q[MassOf(self.body)] * q[FactOf(GRAVITY)] * height


@dataclass(frozen=True)
class SpringForm:
    """½ k (x − x₀)²; of a spring that only pushes one way, nothing beyond x₀."""

    body: str
    axis: str
    side: float = 0.0  # ±1: only where x − x₀ has this sign
    name: str = SPRING

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        return DateValue(0, self.body, self.axis, date), FactOf(STIFFNESS), FactOf(SPRING_REST)

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in J."""
        away = q[DateValue(0, self.body, self.axis, date)] - q[FactOf(SPRING_REST)]
        if self.side:
            away = away * (self.side * np.real(away) > 0.0)
        return 0.5 * q[FactOf(STIFFNESS)] * away * away


@dataclass(frozen=True)
class TurningForm:
    """Of a body that turns: I ω, or ½ I ω² as an energy, with the rate ω of the angle of a mark on
    it. From the date `added_from` on, something more turns with it.
    """

    body: str
    energy: bool = False
    added_from: int | None = None
    name: str = ROTATION

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        more = self.added_from is not None and date >= self.added_from
        return (
            FactOf(INERTIA, self.body),
            *((FactOf(ADDED_INERTIA, self.body),) if more else ()),
            DateValue(1, self.body, ANGLE, date),
        )

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in kg·m²/s, or J."""
        inertia, rate = self.inertia(q, date), q[DateValue(1, self.body, ANGLE, date)]
        return 0.5 * inertia * rate * rate if self.energy else inertia * rate

    def inertia(self, q: Values, date: int) -> Any:
        """Return what turns at a date, in kg·m²."""
        inertia = q[FactOf(INERTIA, self.body)]
        if self.added_from is None or date < self.added_from:
            return inertia
        return inertia + q[FactOf(ADDED_INERTIA, self.body)]


@dataclass(frozen=True)
class RelativeKineticForm:
    """½ m |v − v_cm|² of one of several bodies: its energy in the frame of their centre of mass."""

    body: str
    bodies: tuple[str, ...]
    axes: tuple[str, ...]
    name: str = KINETIC

    def needs(self, date: int) -> tuple[InputKey, ...]:
        """See `Form`."""
        rates = (DateValue(1, b, axis, date) for b in self.bodies for axis in self.axes)
        return (*(MassOf(b) for b in self.bodies), *rates)

    def amount(self, q: Values, date: int) -> Any:
        """See `Form`; in J."""
        whole = sum(q[MassOf(b)] for b in self.bodies)
        parts = []
        for axis in self.axes:
            total = sum(q[MassOf(b)] * q[DateValue(1, b, axis, date)] for b in self.bodies)
            parts.append(q[DateValue(1, self.body, axis, date)] - total / whole)
        return kinetic_energy(q[MassOf(self.body)], square(parts))


def square(parts: Sequence[Any]) -> Any:
    """Return the sum of the squares of components."""
    total: Any = 0.0
    for part in parts:
        total = total + part * part
    return total
