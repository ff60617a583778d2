"""What holds of a model between two events: which forces are on, and which way dry friction acts.

All works with real numbers and with complex ones, whose imaginary parts are derivatives.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np

from inertian.models.stepping.written_forces import WrittenForces


def analytic_abs(value: Any) -> Any:
    """Return |value| with its derivative, of real or complex numbers near the real axis."""
    return value * np.copysign(1.0, np.real(value))


class Modes:
    """What holds between two events: which forces are on, and which way dry friction acts."""

    def __init__(self, written: WrittenForces, rest_speed: float) -> None:
        self.on = np.zeros(len(written.insides))
        self.way = [0.0] * len(written.dry)  # 0 is at rest; in a plane 1 is moving
        self.amounts: list[Any] = [0.0] * len(written.insides)
        self.rubbed: list[tuple[Any, ...]] = [()] * len(written.dry)
        self.rest_speed = rest_speed

    def inside(self, number: int, amount: Any) -> float:
        """Return whether a force is on, 0 or 1, whatever the amount says until the next event."""
        self.amounts[number] = amount
        return float(self.on[number])

    def direction(self, number: int, force: Any, rate: Any, limit: Any) -> Any:
        """Return which way a body slides, or the share of its friction that keeps it at rest."""
        self.rubbed[number] = (force, rate, limit)
        if self.way[number]:
            return self.way[number]
        return force / limit if np.all(np.real(limit) > 0.0) else 0.0 * force

    def direction_in_plane(
        self, number: int, force_x: Any, force_y: Any, v_x: Any, v_y: Any, limit: Any
    ) -> tuple[Any, Any]:
        """Return the same of a body in a plane, along x and y."""
        speed, force = np.sqrt(v_x * v_x + v_y * v_y), np.sqrt(force_x**2 + force_y**2)
        self.rubbed[number] = (force, speed, limit)
        if self.way[number]:
            return v_x / speed, v_y / speed
        if np.all(np.real(limit) > 0.0):
            return force_x / limit, force_y / limit
        return 0.0 * force_x, 0.0 * force_y

    def violations(self, in_plane: Sequence[bool]) -> list[Any]:
        """How far each mode is beyond what it holds for: above zero is too far."""
        found = [(-1.0 if on else 1.0) * a for on, a in zip(self.on, self.amounts, strict=True)]
        for way, (force, rate, limit), plane in zip(self.way, self.rubbed, in_plane, strict=True):
            if not way:
                found.append(analytic_abs(force) - limit)
            elif plane:
                stops = np.real(analytic_abs(force)) <= np.real(limit)
                found.append(np.where(stops, self.rest_speed - rate, -rate))
            else:
                found.append(-way * rate)
        return found
