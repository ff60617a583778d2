"""How positions, velocities and accelerations depend on the facts of the frame.

The facts are the scale, the time base, the angle of the axes, the origin, and the offset of a
body's own clock. One function says what errors of these facts do to a value: Monte Carlo calls it
with draws, and first order takes its derivatives.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from inertian.motion.recording.frame import ANGLE, ORIGIN, Frame
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE
from inertian.quantities.complex_step import slope
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId

KnownFact = tuple[FactId, Fact]


@dataclass(frozen=True)
class FrameErrors:
    """How far off the facts of the frame are: numbers, or arrays that go with the values."""

    scale: Any = 0.0  # relative
    time_base: Any = 0.0  # relative
    angle: Any = 0.0  # rad, counter-clockwise
    origin: Mapping[str, Any] = field(default_factory=dict)  # m, along the axes of the file
    clock: Any = 0.0  # s, that the body's own clock is late


@dataclass(frozen=True, eq=False)
class Motion:
    """What is known of a body along one axis of the frame at some moments, in SI; arrays of one
    shape.

    `value` is its position (order 0), velocity (1) or acceleration (2); `across` the same along the
    other axis, None if it was followed along one; `later` its rate of change, None where that is
    not needed.
    """

    axis: str
    order: int
    value: Any
    across: Any | None = None
    later: Any | None = None

    def with_errors(self, frame: Frame, errors: FrameErrors) -> Any:
        """Return the value as it would be if the facts of the frame were off; analytic in each
        error.

        value · cos α ± across · sin α turns the axes, then lengths grow with the scale and times
        with the time base.
        """
        found = self.value
        if self.across is not None:
            handed = frame.sign("x") * frame.sign("y") * (1.0 if self.axis == "x" else -1.0)
            found = found * np.cos(errors.angle) + handed * self.across * np.sin(errors.angle)
        found = found * (1.0 + errors.scale) * (1.0 + errors.time_base) ** -self.order
        if self.order == 0:
            for filed, off in errors.origin.items():
                found = found - frame.mixed(self.axis, filed) * off
        if self.later is not None:
            found = found - self.later * errors.clock
        return found

    def slopes(
        self, frame: Frame, facts: Mapping[str, KnownFact], clock: FactId | None = None
    ) -> dict[FactId, Array]:
        """Return ∂value/∂fact for the facts of the frame among `facts`, by name, and for the offset
        of a clock.
        """
        found: dict[FactId, Array] = {}

        def add(key: FactId, size: float, **error: Any) -> None:
            def moved(off: Any) -> Any:
                errors = {name: make(off) for name, make in error.items()}
                return self.with_errors(frame, FrameErrors(**errors))

            found[key] = np.asarray(slope(moved, 0.0) / size)

        if SCALE in facts:
            key, fact = facts[SCALE]
            add(key, fact.si, scale=lambda off: off)
        if TIME_BASE in facts and self.order:
            key, fact = facts[TIME_BASE]
            add(key, fact.si, time_base=lambda off: off)
        if ANGLE in facts and self.across is not None:
            add(facts[ANGLE][0], 1.0, angle=lambda off: off)
        for filed, name in ORIGIN.items():
            if name in facts and self.order == 0:
                add(facts[name][0], 1.0, origin=lambda off, filed=filed: {filed: off})
        if clock is not None and self.later is not None:
            add(clock, 1.0, clock=lambda off: off)
        return found
