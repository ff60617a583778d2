"""Units at the edges: everything inside is SI. A shipped table, so that start-up needs no unit
library.

The factors are those of the SI Brochure (9th ed., 2019) and of the international inch and pound
(1959); a test holds them against an independent library.
"""

import re
from dataclasses import dataclass
from functools import lru_cache

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


PIXEL = "px"  # a length only once a scale is known

SI_SYMBOL = {
    "length": "m",
    "time": "s",
    "mass": "kg",
    "speed": "m/s",
    "acceleration": "m/s²",
    "force": "N",
    "angle": "rad",
    "number": "",
    "stiffness": "N/m",
    "inertia": "kg·m²",
    "linear drag": "kg/s",
    "quadratic drag": "kg/m",
    "energy": "J",
    "impulse": "N·s",
    "angular momentum": "kg·m²/s",
    "power": "W",
    "frequency": "Hz",
    "torque": "N·m",
    "torsion stiffness": "N·m/rad",
    "turning drag": "N·m·s",
}

_TABLE: dict[str, dict[str, tuple[float, tuple[str, ...]]]] = {
    "length": {
        "m": (
            1.0,
            (
                "metre",
                "meter",
                "metres",
                "meters",
                "mètre",
                "mètres",
                "metros",
                "metro",
                "metri",
                "м",
                "метр",
                "метры",
                "米",
                "メートル",
                "미터",
            ),
        ),
        "cm": (
            0.01,
            (
                "centimetre",
                "centimeter",
                "centimetres",
                "centimeters",
                "zentimeter",
                "centimètres",
                "см",
                "厘米",
                "公分",
                "センチ",
                "センチメートル",
                "센티미터",
            ),
        ),
        "mm": (
            0.001,
            (
                "millimetre",
                "millimeter",
                "millimetres",
                "millimeters",
                "millimètres",
                "мм",
                "毫米",
                "ミリ",
                "ミリメートル",
                "밀리미터",
            ),
        ),
        "dm": (0.1, ("decimetre", "decimeter", "dezimeter")),
        "dam": (10.0, ("decametre", "decameter")),
        "hm": (100.0, ("hectometre", "hectometer")),
        "µm": (1e-6, ("um", "μm", "micron", "microns", "micrometre", "micrometer")),
        "km": (1000.0, ("kilometre", "kilometer", "kilometres", "kilometers")),
        "in": (0.0254, ("inch", "inches", '"', "″")),
        "ft": (0.3048, ("foot", "feet", "′")),
        "yd": (0.9144, ("yard", "yards")),
        PIXEL: (1.0, ("pixel", "pixels", "pix", "píxeles", "pixeles")),
    },
    "time": {
        "s": (
            1.0,
            (
                "sec",
                "secs",
                "second",
                "seconds",
                "sek",
                "sekunde",
                "sekunden",
                "seconde",
                "secondes",
                "segundos",
                "segundo",
                "secondi",
                "seconden",
                "sekundy",
                "sekund",
                "sekund",
                "с",
                "сек",
                "секунды",
                "秒",
                "초",
                "sn",
                "saniye",
                "δευτ",
            ),
        ),
        "ms": (
            0.001,
            (
                "msec",
                "millis",
                "millisecond",
                "milliseconds",
                "millisekunden",
                "millisecondes",
                "мс",
                "毫秒",
                "ミリ秒",
                "밀리초",
            ),
        ),
        "µs": (
            1e-6,
            (
                "us",
                "μs",
                "usec",
                "micros",
                "microsecond",
                "microseconds",
                "mikrosekunden",
                "мкс",
                "微秒",
                "マイクロ秒",
            ),
        ),
        "ns": (1e-9, ("nsec", "nanos", "nanosecond", "nanoseconds")),
        "min": (60.0, ("minute", "minutes", "minuten", "mins", "minutos")),
        "h": (3600.0, ("hour", "hours", "std", "stunden", "hr", "hrs")),
    },
    "mass": {
        "kg": (1.0, ("kilogram", "kilograms")),
        "g": (0.001, ("gram", "grams", "gramme")),
        "t": (1000.0, ("tonne", "tonnes")),
        "lb": (0.45359237, ("lbs", "pound", "pounds")),
    },
    "speed": {
        "m/s": (1.0, ()),
        "cm/s": (0.01, ()),
        "mm/s": (0.001, ()),
        "km/h": (1 / 3.6, ("kmh", "kph")),
        "ft/s": (0.3048, ()),
        "in/s": (0.0254, ()),
        "m/min": (1 / 60.0, ()),
        "mph": (0.44704, ("mi/h",)),
        "m/ms": (1000.0, ()),
        "mm/ms": (1.0, ()),
    },
    "acceleration": {
        "m/s²": (1.0, ()),
        "cm/s²": (0.01, ()),
        "mm/s²": (0.001, ()),
        "ft/s²": (0.3048, ()),
        "gₙ": (9.80665, ("g0", "gn", "g-force")),
    },
    "force": {
        "N": (1.0, ("newton", "newtons", "Н", "牛", "ニュートン")),
        "mN": (0.001, ("millinewton",)),
        "kN": (1000.0, ("kilonewton",)),
        "cN": (0.01, ()),
        "lbf": (4.4482216152605, ()),
        "kp": (9.80665, ("kgf",)),
        "gf": (0.00980665, ()),
    },
    "angle": {
        "rad": (1.0, ("radian", "radians")),
        "°": (0.017453292519943295, ("deg", "degree", "degrees")),
    },
    "number": {"": (1.0, ()), "%": (0.01, ("percent",)), "m/px": (1.0, ())},
    "stiffness": {"N/m": (1.0, ()), "N/cm": (100.0, ()), "N/mm": (1000.0, ())},
    "inertia": {
        "kg·m²": (1.0, ("kg m²", "kg m2", "kg*m^2", "kg m^2")),
        "kg·cm²": (1e-4, ("kg cm²", "kg cm2")),
        "g·cm²": (1e-7, ("g cm²", "g cm2")),
    },
    "linear drag": {"kg/s": (1.0, ("N s/m", "N·s/m")), "g/s": (0.001, ())},
    "quadratic drag": {"kg/m": (1.0, ("N s²/m²",)), "g/m": (0.001, ()), "g/cm": (0.1, ())},
    "energy": {"J": (1.0, ("joule",)), "mJ": (0.001, ()), "kJ": (1000.0, ()), "cal": (4.184, ())},
    "impulse": {
        "N·s": (1.0, ("N s",)),
        "kg·m/s": (1.0, ("kg m/s",)),
        "mN·s": (0.001, ("g·m/s",)),
    },
    "angular momentum": {"kg·m²/s": (1.0, ("N·m·s", "kg m²/s"))},
    "power": {"W": (1.0, ("watt",)), "mW": (0.001, ()), "kW": (1000.0, ())},
    "frequency": {"Hz": (1.0, ("hertz",)), "kHz": (1000.0, ())},
    "torque": {"N·m": (1.0, ("N m", "Nm", "N*m")), "mN·m": (0.001, ("mN m", "mNm"))},
    "torsion stiffness": {"N·m/rad": (1.0, ("N m/rad", "Nm/rad", "N·m", "N m"))},
    "turning drag": {"N·m·s": (1.0, ("N m s", "Nms", "kg·m²/s", "kg m²/s", "N·m·s/rad"))},
}
# Kinds columns may have
IN_FILES = (
    "length",
    "time",
    "mass",
    "speed",
    "acceleration",
    "force",
    "angle",
    "number",
)

_FIRST_POWER = re.compile(r"(.+?)(?:[·⋅*. ]?(min|ms|s|h)(?:\^?-1|⁻¹)|/(min|ms|s|h|sec))$")
_SECOND_POWER = re.compile(
    r"(.+?)(?:[·⋅*. ]?s(?:\^?-2|⁻²)|/s(?:\^2|²|2|\*\*2)|/s/s|/\(s\^2\)|/s\*s|/sec(?:\^2|²|2))$"
)


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


def _plain(name: str) -> str:
    """Return a name in the spelling of the table: powers of the second as /s and /s², brackets
    around it off.
    """
    bare = name.strip().replace("−", "-").replace("–", "-").replace("μ", "µ")
    if bare.startswith("(") and bare.endswith(")"):
        bare = bare[1:-1].strip()
    if len(bare) > 3 or "/" in bare:
        bare = re.sub(r"\s*([/·⋅*^])\s*", r"\1", bare)
        second = _SECOND_POWER.match(bare)
        if second:
            return f"{second[1].strip()}/s²"
        first = _FIRST_POWER.match(bare)
        if first:
            return f"{first[1].strip()}/{(first[2] or first[3]).replace('sec', 's')}"
    return bare


def _find(names: dict[str, Unit], text: str) -> Unit | None:
    for name in (text.strip(), _plain(text)):
        unit = names.get(name) or (names.get(name.lower()) if len(name) > 2 else None)
        if unit is not None:
            return unit
    return None


def unit_of(kind: str, text: str) -> Unit:
    """Return the unit of `kind` that `text` names; symbols keep their case (ms, not MS), words do
    not.

    Raises UnitError if no unit of that kind has this name.
    """
    unit = _find(_BY_KIND[kind], text)
    if unit is None:
        raise UnitError(text, kind)
    return unit


@lru_cache(maxsize=4096)
def kind_of(text: str) -> str | None:
    """Return what the unit named by `text` measures, or None if it names none."""
    name = text.strip()
    if not name or len(name) > 24:
        return None
    return next((kind for kind in IN_FILES if _find(_BY_KIND[kind], name)), None)


def ascii_symbol(unit: Unit) -> str:
    """Return the symbol as scripts write it: m/s2 for m/s²."""
    return unit.symbol.replace("²", "2").replace("ₙ", "n")


def symbols(kind: str) -> tuple[str, ...]:
    """Return the symbols of all units of one kind."""
    return tuple(_TABLE[kind])


@lru_cache(maxsize=1)
def plain_units() -> dict[str, Unit]:
    """Return the units that others are made of, by symbol: m, kg, s, N, J, °, …; no words and no
    compounds.
    """
    kinds = (
        "length",
        "time",
        "mass",
        "force",
        "energy",
        "power",
        "frequency",
        "angle",
        "number",
        "acceleration",
    )
    found = [
        _BY_KIND[kind][symbol]
        for kind in kinds
        for symbol in _TABLE[kind]
        if not set(symbol) & set("/·")
    ]
    return {unit.symbol: unit for unit in found if unit.symbol and unit.symbol != PIXEL}
