"""How what is typed into the fields of the setup becomes a fact, and how sizes are said."""

from inertian.desktop.look import words
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE
from inertian.project.typed_facts import read_scale, read_time_base
from inertian.quantities.facts import Fact, Meaning, parse_positive
from inertian.quantities.rounding import write_estimate, write_shortest
from inertian.quantities.units import unit_of


def read_mass(text: str, meaning: Meaning) -> Fact:
    """Read a mass as typed. Raises InertianError."""
    return parse_positive(text, "mass", unit_of("mass", "kg"), meaning)


def read_noise(text: str, _meaning: Meaning) -> Fact:
    """Read the standard deviation of one position reading as typed. Raises InertianError."""
    return parse_positive(text, "length", unit_of("length", "mm"), Meaning.STANDARD)


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
