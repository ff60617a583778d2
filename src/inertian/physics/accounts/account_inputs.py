"""The inputs of accounts by name: what is read at dates and through periods, and facts.

A date is a place 0, 1, … in the list of an account's dates, a period that of the date it begins
at. All inputs are in SI.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum, StrEnum
from typing import Any, NamedTuple

from numpy.typing import NDArray

Values = Mapping[Any, NDArray[Any]]
OPENING, CLOSING = 0, 1  # the dates of an account with one period, such as that of a contact


class DateValue(NamedTuple):
    """An input: position (order 0), velocity (1) or free acceleration (2) of a body at a date."""

    order: int
    body: str
    axis: str
    date: int


class MassOf(NamedTuple):
    """An input: the mass of a body."""

    body: str


@dataclass(frozen=True)
class FactOf:
    """An input: a fact of the setup by its symbol, of one body where it belongs to one."""

    symbol: str
    body: str = ""


class Integral(StrEnum):
    """What is summed up through a period: a recorded force over time, or over the way; the way;
    speed squared and cubed over time; along an axis the place, the direction of motion (a cosine)
    and v|v| over time; the time in which a constant push acts, or the way in it.
    """

    IMPULSE = "impulse"
    WORK = "work"
    PATH = "path"
    SQUARE = "v²"
    CUBE = "|v|³"
    DIRECTION = "direction of motion"
    SIGNED_SQUARE = "v|v|"
    PLACE = "place"
    PUSHED_WAY = "way of a push"
    PUSHED_TIME = "time of a push"


class Through(NamedTuple):
    """An input: what is summed up through a period; of a sensor or a motion along an axis, ""
    where it belongs to none.
    """

    what: Integral
    body: str
    axis: str
    period: int


class RubbedInside(NamedTuple):
    """An input: what friction changes of a body's velocity along an axis in an interaction without
    touch; of its kinetic energy per kg where the axis is "".
    """

    body: str
    axis: str


class ContactInput(Enum):
    """Inputs of which there is one: the restitution that is given, and where in the span a contact
    is.

    The latter counts from the middle in s, where the motion itself does not tell.
    """

    RESTITUTION = "e"
    WAIT = "wait"


InputKey = DateValue | MassOf | FactOf | Through | RubbedInside | ContactInput
