"""Trials: one recording of one go, as immutable values. Raw samples stay as the file gave them."""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, ChannelId, locked
from inertian.quantities.units import PIXEL, Unit

KIND_OF_AXIS = {"x": "length", "y": "length", "F": "force", "a": "acceleration", "v": "speed"}


STILL = 0.2  # share of readings unlike the one before, below which their scatter tells no noise


LEAST_REPEATED = 0.05  # share of readings like the one before, from which their step is looked for
BY_CHANCE = 1e4  # times that a step is less likely by chance


LARGEST_NUMBER = 1e30  # no reading is beyond it; its eighth power still is a number


class TrialError(InertianError):
    """A trial cannot be built from these numbers."""

    def __init__(self, trial: str, why: str) -> None:
        super().__init__(trial, why)
        self.trial, self.why = trial, why

    def __str__(self) -> str:
        return f"{self.trial}: {self.why}"


@dataclass(frozen=True, eq=False)
class Channel:
    """One sampled quantity of a body: raw values in the file's unit, NaN where the file has no
    reading.

    `axis` is x or y for positions, F, a or v for a measured force, acceleration or velocity. `sign`
    is −1 where the positive direction is the other way than in the file; `shift` (SI) is added, as
    for recorders that face one another. `u` are standard uncertainties of the readings that the
    file states, in its unit; NaN where it states none. `step` in SI is that of the recording, where
    it is known from other channels.
    """

    axis: str
    column: str
    unit: Unit
    raw: Array
    sign: float = 1.0
    shift: float = 0.0
    u: Array | None = None
    step: float | None = None

    def __post_init__(self) -> None:
        """Lock the values and keep their SI form."""
        object.__setattr__(self, "raw", locked(self.raw))
        object.__setattr__(
            self, "_si", locked(self.raw * (self.sign * self.unit.factor) + self.shift)
        )
        if self.u is not None:
            object.__setattr__(self, "u", locked(self.u))

    @property
    def si(self) -> Array:
        """The values in SI, shape (n,), NaN where missing."""
        return self.__dict__["_si"]  # type: ignore[no-any-return]

    @cached_property
    def stated(self) -> Array | None:
        """The standard uncertainty of every reading in SI that the file states, (n,); the usual one
        where it is blank.

        None where the file states none.
        """
        if self.u is None:
            return None
        known = np.isfinite(self.u) & np.isfinite(self.raw)
        if not known.any():
            return None
        usual = float(np.sqrt(np.mean(self.u[known] ** 2)))
        return locked(np.where(np.isfinite(self.u), self.u, usual) * self.unit.factor)

    @cached_property
    def constant(self) -> bool:
        """Whether its readings never change, as a y of zeros beside a motion along x: then they say
        nothing of their noise or step.
        """
        values = self.raw[np.isfinite(self.raw)]
        return not values.size or float(values.min()) == float(values.max())

    @cached_property
    def still(self) -> bool:
        """Whether its readings hardly ever change, so that noise is hidden by the step."""
        values = self.raw[np.isfinite(self.raw)]
        return bool(np.count_nonzero(values[1:] != values[:-1]) < STILL * len(values))

    @cached_property
    def resolution(self) -> float:
        """The step of the recording in SI: the smallest power of ten that all raw values are
        multiples of, or, where readings repeat, the step between them, such as 5 mm or a 1/16 inch.

        0 if there is no such step down to 1e-9 of the largest value.
        """
        return self._decimal_step if self.step is None else self.step

    @cached_property
    def _decimal_step(self) -> float:
        values = self.raw[np.isfinite(self.raw)]
        if not values.size:
            return 0.0
        top = float(np.max(np.abs(values))) or 1.0
        some = values[:: max(1, len(values) // 500)]  # enough to refuse most steps
        for exponent in range(0, -10, -1):
            step = 10.0**exponent
            if step < 1e-9 * top:
                break
            if step > 1e3 * top:
                continue  # to such a step everything is zero
            if all(np.all(np.abs(v / step - np.round(v / step)) < 1e-6) for v in (some, values)):
                return step * _steps_taken(values, step) * self.unit.factor
        return 0.0


def _steps_taken(values: Array, step: float) -> int:
    """Of how many steps all differences of readings are multiples, where they repeat.

    Exact motions have common divisors too, but their readings do not repeat. By chance all
    differences of m distinct readings are multiples of g once in g^(m − 1) times.
    """
    repeated = float(np.mean(values[1:] == values[:-1])) if len(values) > 1 else 0.0
    counts = np.unique(np.round((values - values.min()) / step))
    if repeated < LEAST_REPEATED or len(counts) < 2 or counts[-1] > 2**53:
        return 1
    found = int(np.gcd.reduce(counts.astype(np.int64)))
    return found if found > 1 and (len(counts) - 1) * np.log(found) > np.log(BY_CHANCE) else 1


@dataclass(frozen=True, eq=False)
class Body:
    """Something that moves: a name, its position channels, one per axis, and what else was measured
    on it.

    `sensors` are channels of force, acceleration or velocity in their own right; a body may have
    only those.
    """

    name: str
    channels: tuple[Channel, ...]
    sensors: tuple[Channel, ...] = ()

    @property
    def axes(self) -> tuple[str, ...]:
        """The position axes this body was followed along, such as ("x", "y")."""
        return tuple(channel.axis for channel in self.channels)

    def channel(self, axis: str) -> Channel:
        """Return the channel along one axis. Raises KeyError."""
        for channel in self.channels:
            if channel.axis == axis:
                return channel
        raise KeyError(axis)


@dataclass(frozen=True)
class Provenance:
    """Where a trial came from: the file's name, its SHA-256, its bytes, and how it was read, in
    words.
    """

    file: str = ""
    sha256: str = ""
    size: int = 0
    content: bytes | None = field(default=None, repr=False)
    understood: tuple[str, ...] = ()
    unusable: tuple[tuple[int, str, str], ...] = ()  # line number, text, why
    recipe: str = ""  # how it was read, as JSON
    part: int = 0  # which of the file's trials this is
    others: tuple["Provenance", ...] = ()  # of recordings that were joined to this one


@dataclass(frozen=True, eq=False)
class Trial:
    """One recording of one go: bodies with channels over one clock.

    Bodies recorded by clocks of their own share the union of all time stamps, NaN where a clock has
    none. `time_base` multiplies all times: 1/12 for footage taken at 300 frames/s and exported as
    25.
    """

    id: str
    name: str
    time_column: str
    time_unit: Unit
    raw_time: Array
    bodies: tuple[Body, ...]
    provenance: Provenance = Provenance()
    time_base: float = 1.0

    def __post_init__(self) -> None:
        """Lock the time stamps and check that all belongs together. Raises TrialError."""
        object.__setattr__(self, "raw_time", locked(self.raw_time))
        object.__setattr__(
            self, "_t", locked(self.raw_time * (self.time_unit.factor * self.time_base))
        )
        n = len(self.raw_time)
        if n < 2:
            raise TrialError(self.name, f"a trial needs at least 2 samples; there is {n}.")
        if not np.all(np.isfinite(self.raw_time)):
            raise TrialError(self.name, "some time stamps are missing or not numbers.")
        if not np.all(np.diff(self.raw_time) > 0):
            raise TrialError(self.name, "time does not always increase; sort the file or split it.")
        if not self.bodies or any(
            len(c.raw) != n for b in self.bodies for c in (*b.channels, *b.sensors)
        ):
            raise TrialError(self.name, "every channel needs one value for each time stamp.")
        numbers = (self.raw_time, *(c.raw for b in self.bodies for c in (*b.channels, *b.sensors)))
        # NaN stands for what is missing, and is not larger
        if any(np.any(np.abs(one) >= LARGEST_NUMBER) for one in numbers):
            raise TrialError(self.name, "it holds numbers of 10³⁰ or more, which are no readings.")
        object.__setattr__(self, "bodies", _with_steps(self.bodies))

    @property
    def t(self) -> Array:
        """Time stamps in s, shape (n,), strictly increasing."""
        return self.__dict__["_t"]  # type: ignore[no-any-return]

    @property
    def followed(self) -> tuple[Body, ...]:
        """The bodies whose positions were recorded."""
        return tuple(body for body in self.bodies if body.channels)

    @cached_property
    def recorded(self) -> bool:
        """Whether there are any samples: a trial without data has a clock and bodies only."""
        channels = [c for b in self.bodies for c in (*b.channels, *b.sensors)]
        return any(np.isfinite(channel.raw).any() for channel in channels)

    @property
    def channels_followed(self) -> int:
        """How many channels of positions there are."""
        return sum(len(body.channels) for body in self.bodies)

    @property
    def in_pixels(self) -> bool:
        """Whether positions are pixels times a scale."""
        return any(
            channel.unit.symbol == PIXEL for body in self.bodies for channel in body.channels
        )

    @property
    def axes(self) -> tuple[str, ...]:
        """All position axes of the trial, in order."""
        return tuple(dict.fromkeys(axis for body in self.bodies for axis in body.axes))

    def body(self, name: str) -> Body:
        """Return one body by name. Raises KeyError."""
        for body in self.bodies:
            if body.name == name:
                return body
        raise KeyError(name)

    def tells_noise(self, channel: Channel) -> bool:
        """Whether a position channel tells the noise of readings: it changes, or none does."""
        return not channel.still or all(c.still for b in self.bodies for c in b.channels)

    def channel_id(self, body: str, axis: str) -> ChannelId:
        """Return the identity that estimates use for one channel."""
        return ChannelId(self.id, body, axis)

    def step(self) -> float:
        """Return the median time between samples in s."""
        if "_step" not in self.__dict__:  # asked for with every move of the mouse
            object.__setattr__(self, "_step", float(np.median(np.diff(self.t))))
        return self.__dict__["_step"]  # type: ignore[no-any-return]


def _with_steps(bodies: tuple[Body, ...]) -> tuple[Body, ...]:
    """Bodies whose constant positions have the coarsest step of those that change."""
    positions = [channel for body in bodies for channel in body.channels]
    changing = [channel for channel in positions if not channel.constant]
    if not changing or len(changing) == len(positions):
        return bodies
    step = max(channel.resolution for channel in changing)

    def known(channel: Channel) -> Channel:
        return replace(channel, step=step) if channel.constant else channel

    return tuple(replace(body, channels=tuple(map(known, body.channels))) for body in bodies)
