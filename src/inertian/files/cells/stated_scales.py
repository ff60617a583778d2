"""What a person types to say how long a pixel is, and how footage stretched time."""

import math
import re

from inertian.files.cells.recipes import Stated
from inertian.quantities.errors import FactError
from inertian.quantities.facts import Fact, Meaning, parse_positive
from inertian.quantities.units import PIXEL, Unit, unit_of

_PER_PIXEL = re.compile(
    r"^(?P<value>.+?)\s*(?P<unit>mm|cm|dm|m|in|ft)\s*(?:/|per)\s*(?:px|pixels?)\s*$", re.IGNORECASE
)
_RATES = re.compile(
    r"^\s*(?P<filmed>\d+(?:[.,]\d+)?)\s*(?:fps|frames/s|Hz)?\s*(?:as|→|->|:|=>|to|in)\s*(?P<exported>\d+(?:[.,]\d+)?)\s*"
    r"(?:fps|frames/s|Hz)?\s*$",
    re.IGNORECASE,
)
_FRACTION = re.compile(
    r"^\s*(?P<top>\d+(?:[.,]\d+)?)\s*/\s*(?P<bottom>\d+(?:[.,]\d+)?)\s*(?:(?:±|\+-|\+/-)\s*(?P<pm>\S+)\s*)?$"
)
_SMALLEST_SCALE, _LARGEST_SCALE = 1e-12, 1e9  # m per pixel
_SMALLEST_RATE, _LARGEST_RATE = 1e-9, 1e12  # pictures per second, or ratios of them


def parse_scale(text: str) -> Stated:
    """Read a scale in m per pixel: "412 px = 1.000 m", "412 ± 2 px = 100.0 ± 0.1 cm", "2.43 ± 0.01
    mm/px".

    Without ±, the last digit written is the step of the reading; the two relative uncertainties are
    combined (JCGM 100:2008, 5.1.6). Raises FactError or UnitError.
    """
    per_pixel = _PER_PIXEL.match(text)
    if per_pixel is not None:
        fact = parse_positive(
            per_pixel["value"], "length", unit_of("length", per_pixel["unit"].lower())
        )
        return Stated(fact.si, fact.u, Meaning.STANDARD)
    left, equals, right = text.partition("=")
    if not equals:
        raise FactError(text, "write how many pixels are how long, such as 412 px = 1.000 m.")
    if not re.search(r"px|pixel", left, re.IGNORECASE):
        left, right = right, left
    if not re.search(r"px|pixel", left, re.IGNORECASE):
        raise FactError(
            text, "one side has to be in pixels (px), the other in m, cm, mm, in or ft."
        )
    pixels = parse_positive(left, "length", Unit(PIXEL, "length", 1.0))
    length = parse_positive(right, "length", unit_of("length", "m"))
    if length.unit.symbol == PIXEL or pixels.unit.symbol != PIXEL:
        raise FactError(
            text, "one side has to be in pixels (px), the other in m, cm, mm, in or ft."
        )
    value = length.si / pixels.typed
    if not _SMALLEST_SCALE < value < _LARGEST_SCALE:
        raise FactError(text[:60], "no camera sees that; check both numbers and the unit.")
    return Stated(value, value * math.hypot(_relative(length), _relative(pixels)), Meaning.STANDARD)


def _relative(fact: Fact) -> float:
    return fact.u / fact.si


def parse_time_base(text: str) -> Stated:
    """Read what times are multiplied by: "300 as 25" (filmed as exported), "25/300", "0.0833 ±
    0.0002".

    Frame rates are taken as exact; a ± can be typed behind a fraction or a number. Raises FactError
    or UnitError.
    """
    rates = _RATES.match(text)
    if rates is not None:
        filmed, exported = (_positive(text, rates[k]) for k in ("filmed", "exported"))
        return Stated(exported / filmed)
    fraction = _FRACTION.match(text)
    if fraction is not None:
        value = _positive(text, fraction["top"]) / _positive(text, fraction["bottom"])
        return Stated(value, _positive(text, fraction["pm"]) if fraction["pm"] else 0.0)
    fact = parse_positive(text, "number", unit_of("number", ""))
    if "±" not in text and "+" not in text:
        return Stated(fact.typed)
    return Stated(fact.typed, fact.plus_minus, fact.meaning)


def parse_rate(text: str) -> float:
    """Read a number of frames or samples per second. Raises FactError or UnitError."""
    return parse_positive(
        re.sub(r"\s*(fps|frames/s|Hz|/s|1/s)\s*$", "", text, flags=re.IGNORECASE),
        "number",
        unit_of("number", ""),
    ).typed


def _positive(text: str, number: str) -> float:
    try:
        value = float(number.replace(",", "."))
    except ValueError:
        value = 0.0
    if not _SMALLEST_RATE < value < _LARGEST_RATE:
        raise FactError(text, "these have to be numbers above zero, such as 300 as 25.")
    return value
