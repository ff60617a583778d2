"""Rounding and writing of values with uncertainty: 2.41 ± 0.03 m/s."""

import math
from decimal import ROUND_HALF_EVEN, Decimal

MINUS = "\N{MINUS SIGN}"
FINEST = 1e-15  # relative step of a number in the computer, nearly


def last_place(u: float) -> int:
    """Return the exponent of the last decimal place that is stated for a standard uncertainty u >
    0.

    u gets two figures when its first is 1 or 2, else one; a carry decides anew, so 0.0996 → 0.10
    and 9.96 → 10.
    """
    exact = Decimal(repr(u))
    first = exact.adjusted()
    figure = int(exact.scaleb(-first))
    place = first - 1 if figure <= 2 else first
    rounded = _at(exact, place)
    return rounded.adjusted() - 1 if figure > 2 and rounded.adjusted() > first else place


def _at(number: Decimal, place: int) -> Decimal:
    return number.quantize(Decimal(1).scaleb(place), rounding=ROUND_HALF_EVEN)


def _plain(number: Decimal, place: int) -> str:
    text = f"{number:.{max(0, -place)}f}"
    if number.is_zero():
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def _exact(value: float) -> str:
    return f"{value:.10g}".replace("-", MINUS)


def split_pm(value: float, u: float) -> tuple[str, str]:
    """Return value and u as rounded strings, both to the place that u decides; u must be finite and
    above zero.
    """
    place = last_place(u)
    return _plain(_at(Decimal(repr(value)), place), place), _plain(
        _at(Decimal(repr(u)), place), place
    )


def write_estimate(value: float | None, u: float | None, unit: str = "", mark: str = ".") -> str:
    """Return a value with its standard uncertainty and unit, ready to show.

    u = 0 is "exact", an undefined value or u is "—". `mark` is the decimal mark. Very large and
    very small numbers are written with one power of ten.
    """
    if value is None or not math.isfinite(value):
        return "—"
    tail = f" {unit}" if unit else ""
    if u is None or not math.isfinite(u):
        return f"{value:.4g}".replace("-", MINUS).replace(".", mark) + f" ± —{tail}"
    if u == 0.0:
        return _exact(value).replace(".", mark) + f"{tail} (exact)"
    if u < FINEST * abs(value):  # finer than the value itself can be told
        text = f"{value:.16g} ± {write_number(u, 1)}".replace("-", MINUS)
        return text.replace(".", mark) + tail
    top = max(abs(value), u)
    exponent = math.floor(math.log10(top))
    if -6 < exponent < 6 and last_place(u) <= 3:
        text = " ± ".join(split_pm(value, u)) + tail
    else:
        scale = Decimal(1).scaleb(-exponent)
        parts = split_pm(float(Decimal(repr(value)) * scale), float(Decimal(repr(u)) * scale))
        text = f"({' ± '.join(parts)}) × 10^{str(exponent).replace('-', MINUS)}{tail}"
    return text.replace(".", mark)


def write_number(value: float, figures: int = 3, mark: str = ".") -> str:
    """Return a number without ± for axes, counts and ratios, to `figures` significant figures."""
    if not math.isfinite(value):
        return "—"
    if value == 0:
        return "0"
    exponent = math.floor(math.log10(abs(value)))
    if not -4 < exponent < 7:
        return f"{value:.{figures - 1}e}".replace("-", MINUS).replace(".", mark)
    number = _at(Decimal(repr(value)), min(0, exponent - figures + 1))
    return _plain(number, min(0, exponent - figures + 1)).replace(".", mark)
