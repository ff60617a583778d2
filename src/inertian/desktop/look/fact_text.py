"""How what is typed into the fields of the setup becomes a fact, and how sizes are said."""

from inertian.desktop.look import words
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE
from inertian.quantities.facts import Fact, Meaning, parse_positive
from inertian.quantities.rounding import write_estimate, write_shortest
from inertian.quantities.units import Unit, unit_of


def read_mass(text: str, meaning: Meaning) -> Fact:
    """Read a mass as typed. Raises InertianError."""
    return parse_positive(text, "mass", unit_of("mass", "kg"), meaning)


def read_noise(text: str, _meaning: Meaning) -> Fact:
    """Read the standard deviation of one position reading as typed. Raises InertianError."""
    return parse_positive(text, "length", unit_of("length", "mm"), Meaning.STANDARD)


def read_scale(text: str, _meaning: Meaning) -> Fact:
    """Read how long a pixel is: "412 px = 1.000 m", "2.43 mm/px", or m per px. Raises
    InertianError.
    """
    from inertian.files.cells.stated_scales import parse_scale

    unit = unit_of("number", "m/px")
    if "px" not in text.replace("m/px", "") and "=" not in text:
        return parse_positive(text, "number", unit, Meaning.STANDARD)
    stated = parse_scale(text)
    return Fact(stated.value, stated.plus_minus, Meaning(stated.meaning), unit)


def read_time_base(text: str, meaning: Meaning) -> Fact:
    """Read what times are multiplied by: "300 as 25", "25/300", "0.0833 ± 0.0002". Raises
    InertianError.
    """
    from inertian.files.cells.stated_scales import parse_time_base

    stated = parse_time_base(text)
    return Fact(
        stated.value,
        stated.plus_minus,
        meaning if stated.plus_minus else Meaning.EXACT,
        Unit("", "number", 1.0),
    )


def write_scale(fact: Fact) -> str:
    """Return a scale as it is shown: in mm per pixel, with its ± to two figures."""
    return fact_text(1000.0 * fact.typed, 1000.0 * fact.plus_minus, "mm/px")


def write_time_base(fact: Fact) -> str:
    """Return a time base as it is shown."""
    return fact_text(fact.typed, fact.plus_minus, "")


def fact_text(value: float, plus_minus: float, unit: str) -> str:
    """Return a number that was computed, not typed: rounded by its ±, or to seven figures where it
    has none.
    """
    if plus_minus:
        return write_estimate(value, plus_minus, unit)
    return f"{write_shortest(value, 7)} {unit}".strip()


WRITERS = {SCALE: write_scale, TIME_BASE: write_time_base}
READERS = {SCALE: read_scale, TIME_BASE: read_time_base}


def fact_size(count: int) -> str:
    """Return a number of bytes as people say it."""
    size, names = float(count), iter(words.SIZES)
    name = next(names)
    while size >= 1000.0 and name != words.SIZES[-1]:
        size, name = size / 1000.0, next(names)
    return f"{write_shortest(size, 3)} {name}"
