"""The units that readings come in."""

from collections.abc import Iterable
from fractions import Fraction

from inertian.physics.definitions.requests import NamedReading, QuantityRef, ReadingKind
from inertian.quantities.dimensions import OF_KIND, parse_unit

RATE_UNITS = {
    "m": "m/s",
    "m/s": "m/s²",
    "m/s²": "m/s³",
    "kg·m/s": "N",
    "J": "W",
    "rad": "rad/s",
    "rad/s": "rad/s²",
    "N": "N/s",
}
AREA_UNITS = {
    "m": "m·s",
    "m/s": "m",
    "m/s²": "m/s",
    "kg·m/s": "kg·m",
    "J": "J·s",
    "rad": "rad·s",
    "rad/s": "rad",
    "N": "N·s",
}


def rate_unit(unit: str) -> str:
    """Return the SI unit of the rate of change of what has an SI unit."""
    return RATE_UNITS.get(unit) or _with_seconds(unit, -1)


def _with_seconds(unit: str, power: int) -> str:
    return str(parse_unit(unit)[1].times(OF_KIND["time"], Fraction(power)))


def unit_of_reading(shown: QuantityRef, kind: ReadingKind) -> str:
    """Return the SI unit of a reading."""
    if kind in (ReadingKind.SLOPE, ReadingKind.TREND):
        return rate_unit(shown.unit)
    if kind is ReadingKind.AREA:
        return AREA_UNITS.get(shown.unit) or _with_seconds(shown.unit, 1)
    return "" if kind is ReadingKind.RATIO else shown.unit


def units_by_name(named: Iterable[NamedReading]) -> dict[str, str]:
    """Return the SI units of the readings whose names a formula can hold: those of one word."""
    return {n.name: unit_of_reading(n.shown, n.kind) for n in named if n.name.isidentifier()}
