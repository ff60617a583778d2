"""Rounding and writing of values with uncertainty: 2.41 ± 0.03 m/s."""

import math
from decimal import ROUND_HALF_EVEN, Decimal

MINUS = "\N{MINUS SIGN}"
_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
LEAST_CHANCE = 0.001  # a smaller probability is the same to a reader
FINEST = 1e-15  # relative step of a number in the computer, nearly
# Numbers from 10^−3 on, and below 10^6, are written without a power of ten
PLAIN = range(-3, 6)
# Places before the point that ± may leave undecided, as zeros, without one: 123000 ± 4000
ZEROS = 3


def last_place(u: float) -> int:
    """Return the exponent of the last decimal place that is stated for a standard uncertainty u >
    0.

    u gets two figures when its first is 1 or 2, else one; a carry decides anew, so 0.0996 → 0.10,
    9.96 → 10 and 0.299 → 0.3.
    """
    exact = _decimal(u)
    place = _place(exact)
    return max(place, _place(_at(exact, place)))


def _place(u: Decimal) -> int:
    first = u.adjusted()
    return first - 1 if int(u.scaleb(-first)) <= 2 else first


def _decimal(number: float) -> Decimal:
    return Decimal(repr(float(number)))


def _at(number: Decimal, place: int) -> Decimal:
    return number.quantize(Decimal(1).scaleb(place), rounding=ROUND_HALF_EVEN)


def _plain(number: Decimal, place: int) -> str:
    text = f"{number:.{max(0, -place)}f}"
    if number.is_zero():
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def _power(exponent: int) -> str:
    return f" × 10{raised(exponent)}"


def raised(exponent: int) -> str:
    """Return a whole number as an exponent is written: ⁻⁴."""
    return str(exponent).translate(_RAISED)


def chance_words(p: float) -> str:
    """Return a probability with its sign: "= 0.31", or "< 0.001"."""
    return f"= {p:.2g}" if p >= LEAST_CHANCE else f"< {LEAST_CHANCE:g}"


def write_estimate(value: float | None, u: float | None, unit: str = "", mark: str = ".") -> str:
    """Return a value with its standard uncertainty and unit, ready to show.

    u = 0 is "exact", an undefined value or u is "—". `mark` is the decimal mark. Very large and
    very small numbers are written with one power of ten.
    """
    if value is None or not math.isfinite(value):
        return "—"
    tail = f" {unit}" if unit else ""
    if u is None or not math.isfinite(u):
        return f"{_shortest(value, 4)} ± —".replace(".", mark) + tail
    if u == 0.0:
        return _shortest(value, 10).replace(".", mark) + f"{tail} (exact)"
    if u < FINEST * abs(value):  # finer than the value itself can be told
        text = f"{_shortest(value, 17)} ± {write_number(u, 1)}"
        return text.replace(".", mark) + tail
    place = last_place(u)
    rounded = [_at(_decimal(number), place) for number in (value, u)]
    exponent = max(number.adjusted() for number in rounded if not number.is_zero())
    if exponent in PLAIN and place <= ZEROS:
        text = " ± ".join(_plain(number, place) for number in rounded)
    else:
        parts = (_plain(number.scaleb(-exponent), place - exponent) for number in rounded)
        text = f"({' ± '.join(parts)}){_power(exponent)}"
    return text.replace(".", mark) + tail


def write_number(value: float, figures: int = 3, mark: str = ".") -> str:
    """Return a number without ± for axes, counts and ratios, to `figures` significant figures."""
    if not math.isfinite(value):
        return "—"
    return _to_figures(value, figures).replace(".", mark)


def write_shortest(value: float, figures: int, mark: str = ".") -> str:
    """Return a number without ± to so many figures at most, without zeros at its end."""
    if not math.isfinite(value):
        return "—"
    return _shortest(value, figures).replace(".", mark)


def _to_figures(value: float, figures: int) -> str:
    exact = _decimal(value)
    if exact.is_zero():
        return "0"
    rounded = _at(exact, exact.adjusted() - figures + 1)
    exponent = rounded.adjusted()
    if exponent not in PLAIN:
        return _plain(rounded.scaleb(-exponent), 1 - figures) + _power(exponent)
    place = min(0, exponent - figures + 1)  # whole numbers keep all their figures
    return _plain(_at(exact, place), place)


def _shortest(value: float, figures: int) -> str:
    """Return a number to so many figures at most, without zeros at its end."""
    text, _, power = _to_figures(value, figures).partition(" × ")
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return f"{text} × {power}" if power else text
