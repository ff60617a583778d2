"""What a table became: a trial with its bodies and times, in the units of the file."""

from dataclasses import dataclass, field

import numpy as np

from inertian.files.cells.findings import Finding, Question, Unusable
from inertian.quantities.estimates import Array
from inertian.quantities.units import Unit


@dataclass(frozen=True, eq=False)
class ParsedChannel:
    """One channel as read: what it is (x, y, F, a, v), its column, its unit, and its values in that
    unit.
    """

    axis: str
    column: str
    unit: Unit
    values: Array
    u: Array | None = None  # the standard uncertainty of each that the file states, in that unit

    @property
    def si(self) -> Array:
        """The values in SI; in pixels where no scale is known."""
        return np.asarray(self.values * self.unit.factor)


@dataclass(frozen=True, eq=False)
class ParsedTime:
    """Times as read: the column's title (None if there is none), the unit, and the values in that
    unit, sorted.
    """

    column: str | None
    unit: Unit
    values: Array

    @property
    def seconds(self) -> Array:
        """The times in s; frame or row numbers where no rate is known."""
        return np.asarray(self.values * self.unit.factor)


@dataclass(frozen=True, eq=False)
class ParsedBody:
    """One body as read; `time` is None where it shares the trial's."""

    name: str
    channels: tuple[ParsedChannel, ...]
    time: ParsedTime | None = None


@dataclass(frozen=True, eq=False)
class ParsedTrial:
    """One trial as read, with the lines of it that could not be used."""

    name: str
    time: ParsedTime
    bodies: tuple[ParsedBody, ...]
    unusable: tuple[Unusable, ...] = ()


@dataclass(frozen=True)
class Rates:
    """What turns frames into seconds and pixels into metres, where it is known."""

    frame_rate: float | None = None
    scale: float | None = None


@dataclass(eq=False)
class Assembled:
    """The trials of one table, with what was found on the way and what is left open."""

    trials: list[ParsedTrial] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
