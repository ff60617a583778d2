"""What a model moves, with all numbers known: bodies with coordinates, forces, and settings, which
are the values that the forces and the motion hang on.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import inf
from typing import Any

import numpy as np

from inertian.models.definitions.model import Force
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId


@dataclass(frozen=True)
class Setting:
    """A number behind a model: a parameter, a mass, a fact; as it is called, and in the program.

    `value` in SI; `key` is the fact it is, with its ±, or None where it is free or exact.
    """

    name: str
    code: str
    value: float
    kind: str
    unit: str
    key: FactId | None = None
    fact: Fact | None = None
    free: bool = False
    least: float = -inf
    # Multiples of the natural size that a search begins at, where forces are not linear in it
    tried: tuple[float, ...] = ()
    known: bool = True  # whether the value is more than a place to begin a search
    force: int = -1  # the place of its force, −1 for a mass
    symbol: str = ""

    @property
    def adjusted(self) -> bool:
        """Whether it is fixed with a ±: then a fit moves it within that, as the samples may tell
        it better.
        """
        return (
            self.key is not None and self.fact is not None and self.fact.u > 0.0 and not self.free
        )


@dataclass(frozen=True)
class Coordinate:
    """A coordinate of a body and its names in the program: x or y in m, or an angle in rad."""

    body: str
    axis: str  # "x", "y" or "angle"
    place: str
    rate: str
    force: str
    acceleration: str
    inertia: str  # the name of a mass or a moment of inertia


@dataclass(frozen=True)
class MovingBody:
    """A body of a model: its coordinates, and the names its places and speeds get behind them."""

    name: str
    suffix: str
    coordinates: tuple[Coordinate, ...]
    hanging: bool = False  # an angle from hanging, as of a pendulum; else from the x axis

    @property
    def turning(self) -> bool:
        """Whether it turns about a fixed axis."""
        return self.coordinates[0].axis == "angle"

    def along(self, axis: str) -> Coordinate | None:
        """Return the coordinate along an axis, or None."""
        return next((c for c in self.coordinates if c.axis == axis), None)


@dataclass(frozen=True)
class Follower:
    """A body that hangs on the cord of another: it goes as far as that, from a place of its own
    (`begin` is the name of it in the program), up or down its axis by `sign`.
    """

    body: str
    axis: str
    leader: str  # the coordinate that pulls it, by the name of its place
    begin: str
    sign: float = 1.0


@dataclass(frozen=True, eq=False)
class RecordedForce:
    """Readings of a force: times in s and values in N, (n,), with straight lines between them.

    `errors` are the names in the program of what it may be off by; `shapes` tells what each adds to
    the readings, (errors, n).
    """

    t: Array
    values: Array
    errors: tuple[str, ...] = ()
    shapes: Array = field(repr=False, default_factory=lambda: np.zeros((0, 0)))
    averaged: int = 1  # how many readings each of these is the mean of

    def adjusted(self, known: Mapping[str, Any]) -> Array:
        """Return the readings with their errors where they are known, (n,), or (n, seeds) where
        those are rows of seeds.
        """
        if not any(code in known for code in self.errors):
            return self.values
        wide = max((np.shape(known.get(code, 0.0)) for code in self.errors), key=len)
        off = np.array([np.broadcast_to(known.get(code, 0.0), wide) for code in self.errors])
        moved = self.shapes.T @ off
        return np.asarray(self.values.reshape(-1, *[1] * (moved.ndim - 1)) + moved)


@dataclass(frozen=True, eq=False)
class System:
    """Bodies under forces. `settings` are by place of a force, symbol and body; masses and moments
    of inertia have the place −1.
    """

    bodies: tuple[MovingBody, ...]
    forces: tuple[Force, ...]
    settings: Mapping[tuple[int, str, str], Setting]
    recorded: Mapping[str, RecordedForce] = field(default_factory=dict)  # by body
    followers: tuple[Follower, ...] = ()
    # Signs that the start decides: which of two bodies is ahead, from which side a bumper is met
    signs: Mapping[tuple[int, str], float] = field(default_factory=dict)

    @property
    def coordinates(self) -> tuple[Coordinate, ...]:
        """All coordinates, body by body."""
        return tuple(c for body in self.bodies for c in body.coordinates)

    @property
    def distinct(self) -> tuple[Setting, ...]:
        """All settings, each once."""
        return tuple({s.code: s for s in self.settings.values()}.values())

    @property
    def free(self) -> tuple[Setting, ...]:
        """The settings that are to be fitted."""
        return tuple(s for s in self.distinct if s.free)

    @property
    def adjusted(self) -> tuple[Setting, ...]:
        """The settings that are fixed with a ±."""
        return tuple(s for s in self.distinct if s.adjusted)

    @property
    def force_errors(self) -> tuple[str, ...]:
        """The names in the program of what recorded forces may be off by."""
        return tuple(code for one in self.recorded.values() for code in one.errors)

    def setting(self, force: int, symbol: str, body: str = "") -> Setting:
        """Return a setting of a force, of a body where each has its own. Raises KeyError."""
        return self.settings.get((force, symbol, body)) or self.settings[force, symbol, ""]

    def acted_on(self, force: int) -> Sequence[MovingBody]:
        """Return the bodies that a force acts on."""
        named = self.forces[force].bodies
        return [b for b in self.bodies if not named or b.name in named]
