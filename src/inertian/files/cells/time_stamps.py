"""Times as files write them: numbers with a unit, clock times, dates with times, and time stamps
counted from 1970.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal

import numpy as np

from inertian.quantities.estimates import Array

DAY = 86_400.0
_CLOCK = re.compile(
    r"(?:T)?(\d{1,2}):(\d{2})(?::(\d{2})(?:[.,:;](\d{1,9}))?)?\s*([AaPp]\.?[Mm]\.?)?Z?$"
)
_MINUTES = re.compile(r"(\d{1,3}):(\d{2})[.,](\d{1,9})$")
_CODE = re.compile(r"(\d{1,2}:\d{2}:\d{2})[:;](\d{2})$")  # hours, minutes, seconds, frames
_RATES = (24.0, 25.0, 30.0, 50.0, 60.0)  # frames in a second that cameras use
_DATE = re.compile(
    r"(?:(?P<y>\d{4})[-/.](?P<m>\d{1,2})[-/.](?P<d>\d{1,2})|(?P<d2>\d{1,2})[./-](?P<m2>\d{1,2})[./-](?P<y2>\d{4}))"
    r"(?:[T\s,;]+(?P<clock>\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d{1,9})?)?)\s*(?P<half>[AaPp][Mm])?)?"
    r"\s*(?P<zone>Z|UTC|[+-]\d{2}:?\d{2})?$"
)
_PLAIN_NUMBER = re.compile(r"[+-]?\d+(?:\.\d*)?$")
# 1995 to 2096
_EPOCH = {
    "s": (8e8, 4e9),
    "ms": (8e11, 4e12),
    "µs": (8e14, 4e15),
    "ns": (8e17, 4e18),
}


def is_moment(cell: str) -> bool:
    """Whether a cell is a clock time, a date, or both."""
    bare = cell.strip()
    if (
        not 4 < len(bare) < 40
        or not bare[-1].isalnum()
        or (":" not in bare and not _DATE.match(bare))
    ):
        return False
    return bool(_CLOCK.match(bare) or _MINUTES.match(bare) or _DATE.match(bare))


@dataclass(frozen=True, eq=False)
class TimeStamps:
    """A column of clock times or dates as seconds from its first one, NaN where a cell is none.

    `frames` counts on from the whole second where the times end in one; `frames_per_second` is
    None unless the counts tell it.
    """

    seconds: Array
    form: str  # "clock" or "iso"
    midnights: int = 0
    frames: Array | None = None
    frames_per_second: float | None = None


def time_stamps(cells: Sequence[str]) -> TimeStamps | None:
    """Return a column of moments in seconds from the first, or None if most cells are none.

    A clock that falls back by more than half a day has passed midnight.
    """
    sample = [c for c in cells[:50] if c.strip()]
    if not sample or sum(map(is_moment, sample)) < 0.5 * len(sample):
        return None
    if all(_CODE.match(c.strip()) for c in sample):
        return _time_codes(cells)
    dated = sum(bool(_DATE.match(c.strip())) for c in sample) >= 0.5 * len(sample)
    whole: list[int | None] = [_nanoseconds(c.strip(), dated) for c in cells]
    first = next((w for w in whole if w is not None), None)
    if first is None:
        return None
    midnights = 0
    if not dated:
        last, shift, day = first, 0, int(DAY * 1e9)
        for place, w in enumerate(whole):
            if w is not None:
                if w + shift < last - day // 2:
                    shift, midnights = shift + day, midnights + 1
                last = whole[place] = w + shift
    seconds = np.array([np.nan if w is None else (w - first) / 1e9 for w in whole])
    return TimeStamps(seconds, "iso" if dated else "clock", midnights)


def _time_codes(cells: Sequence[str]) -> TimeStamps | None:
    """Times that end in a count of frames, as SMPTE ST 12-1 writes them."""
    parts = [_CODE.match(c.strip()) for c in cells]
    whole = time_stamps([m[1] if m else "" for m in parts])
    if whole is None:
        return None
    frames = np.array([float(m[2]) if m else np.nan for m in parts])
    rate = None
    turns = np.flatnonzero(np.diff(whole.seconds) == 1.0)
    full = [r for r in _RATES if turns.size and np.all(frames[turns] == r - 1.0)]
    if full and np.all(frames[turns + 1] == 0.0):
        rate = full[0]
    return TimeStamps(whole.seconds, "clock", whole.midnights, frames, rate)


def _nanoseconds(cell: str, dated: bool) -> int | None:
    """A moment as whole nanoseconds, so that nothing is lost before the first is taken off."""
    if not dated:
        return _clock(cell)
    match = _DATE.match(cell)
    if match is None:
        return None
    year, month, day = (int(match[k] or match[f"{k}2"]) for k in "ymd")
    if month > 12 >= day:
        month, day = day, month  # month first, as the day cannot be one
    try:
        base = datetime(year, month, day, tzinfo=UTC)
    except ValueError:
        return None
    offset = 0
    zone = match["zone"]
    if zone and zone[0] in "+-":
        offset = (1 if zone[0] == "+" else -1) * (int(zone[1:3]) * 60 + int(zone[-2:])) * 60
    clock = _clock(match["clock"] + (match["half"] or "")) if match["clock"] else 0
    return None if clock is None else (int(base.timestamp()) - offset) * 10**9 + clock


def _clock(cell: str) -> int | None:
    minutes = _MINUTES.match(cell)
    if minutes and len(cell.split(":")) == 2:
        return (int(minutes[1]) * 60 + int(minutes[2])) * 10**9 + _fraction(minutes[3])
    match = _CLOCK.match(cell)
    if match is None:
        return None
    hour, minute, second = int(match[1]), int(match[2]), int(match[3] or 0)
    if minute > 59 or second > 60 or hour > 24:
        return None
    if match[5]:
        hour = hour % 12 + (12 if match[5][0] in "Pp" else 0)
    return (hour * 3600 + minute * 60 + second) * 10**9 + _fraction(match[4] or "")


def _fraction(digits: str) -> int:
    return int(digits.ljust(9, "0")) if digits else 0


def epoch_unit(values: Array, unit: str | None) -> str | None:
    """Return "s", "ms", "µs" or "ns" if numbers are counted from 1970, by their size; else None."""
    if (
        values.size
        and np.isfinite(values[0])
        and not any(a <= values[0] <= b for a, b in _EPOCH.values())
    ):
        return None  # the usual case, without a look at all of them
    good = values[np.isfinite(values)]
    if not good.size:
        return None
    low, high = float(good.min()), float(good.max())
    fitting = [u for u, (a, b) in _EPOCH.items() if a <= low and high <= b]
    return fitting[0] if fitting and unit in (None, fitting[0]) else None


def shifted_exactly(cells: Sequence[str]) -> Array | None:
    """Return large numbers less the first of them, shifted before they become floats so that no
    digit is lost.

    NaN where blank; None if a filled cell is no plain decimal number of fewer than 40 characters.
    """
    whole: list[Decimal | None] = []
    for cell in cells:
        bare = cell.strip().replace(",", ".")
        if not bare:
            whole.append(None)
        elif len(bare) < 40 and _PLAIN_NUMBER.match(bare):
            whole.append(Decimal(bare))
        else:
            return None
    first = next((w for w in whole if w is not None), None)
    return (
        None
        if first is None
        else np.array([np.nan if w is None else float(w - first) for w in whole])
    )
