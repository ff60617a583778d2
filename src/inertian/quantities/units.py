"""Units at the edges: everything inside is SI. A shipped table, so that start-up needs no unit library.

The factors are those of the SI Brochure (9th ed., 2019) and of the international inch and pound (1959); a test holds
them against an independent library.
"""

from dataclasses import dataclass

from inertian.quantities.errors import UnitError


@dataclass(frozen=True)
class Unit:
    """One unit: the symbol shown, what it measures, and its size in the SI unit of that kind."""

    symbol: str
    kind: str
    factor: float

    def to_si(self, value: float) -> float:
        """Return `value`, given in this unit, in SI."""
        return value * self.factor

    def from_si(self, value: float) -> float:
        """Return `value`, given in SI, in this unit."""
        return value / self.factor


SI_SYMBOL = {
    "length": "m",
    "time": "s",
    "mass": "kg",
    "speed": "m/s",
    "acceleration": "m/s²",
    "force": "N",
    "angle": "rad",
    "number": "",
}

_TABLE: dict[str, dict[str, tuple[float, tuple[str, ...]]]] = {
    "length": {
        "m": (1.0, ("metre", "meter", "metres", "meters")),
        "cm": (0.01, ("centimetre", "centimeter", "centimetres", "centimeters")),
        "mm": (0.001, ("millimetre", "millimeter", "millimetres", "millimeters")),
        "µm": (1e-6, ("um", "μm")),
        "km": (1000.0, ("kilometre", "kilometer")),
        "in": (0.0254, ("inch", "inches", '"')),
        "ft": (0.3048, ("foot", "feet")),
    },
    "time": {
        "s": (1.0, ("sec", "secs", "second", "seconds", "sek", "sekunden")),
        "ms": (0.001, ("msec", "millisecond", "milliseconds")),
        "µs": (1e-6, ("us", "μs", "microsecond", "microseconds")),
        "min": (60.0, ("minute", "minutes")),
        "h": (3600.0, ("hour", "hours")),
    },
    "mass": {
        "kg": (1.0, ("kilogram", "kilograms")),
        "g": (0.001, ("gram", "grams", "gramme")),
        "t": (1000.0, ("tonne", "tonnes")),
        "lb": (0.45359237, ("lbs", "pound", "pounds")),
    },
    "speed": {"m/s": (1.0, ("m s-1",)), "cm/s": (0.01, ()), "mm/s": (0.001, ()), "km/h": (1 / 3.6, ("kmh",))},
    "acceleration": {"m/s²": (1.0, ("m/s2", "m/s^2")), "cm/s²": (0.01, ("cm/s2", "cm/s^2"))},
    "force": {"N": (1.0, ("newton", "newtons")), "kN": (1000.0, ())},
    "angle": {"rad": (1.0, ("radian", "radians")), "°": (0.017453292519943295, ("deg", "degree", "degrees"))},
    "number": {"": (1.0, ()), "%": (0.01, ("percent",))},
}


def _index() -> dict[str, dict[str, Unit]]:
    found: dict[str, dict[str, Unit]] = {}
    for kind, units in _TABLE.items():
        names = found.setdefault(kind, {})
        for symbol, (factor, aliases) in units.items():
            unit = Unit(symbol, kind, factor)
            for name in (symbol, *aliases):
                names[name] = unit
    return found


_BY_KIND = _index()


def unit_of(kind: str, text: str) -> Unit:
    """Return the unit of `kind` that `text` names; symbols keep their case (ms, not MS), words do not.

    Raises UnitError if no unit of that kind has this name.
    """
    name = text.strip()
    names = _BY_KIND[kind]
    unit = names.get(name) or (names.get(name.lower()) if len(name) > 2 else None)
    if unit is None:
        raise UnitError(text, kind)
    return unit


def kind_of(text: str) -> str | None:
    """Return what the unit named by `text` measures, or None if it names none."""
    name = text.strip()
    for kind, names in _BY_KIND.items():
        if name and (name in names or (len(name) > 2 and name.lower() in names)):
            return kind
    return None


def symbols(kind: str) -> tuple[str, ...]:
    """Return the symbols of all units of one kind."""
    return tuple(_TABLE[kind])
