"""Numbers as people and devices write them: either decimal mark, thousands marks, units behind,
many kinds of missing.

The decimal mark is decided once for a table from all its cells; "1,234" alone decides nothing, and
is asked about.
"""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from inertian.motion.recording.trials import LARGEST_NUMBER
from inertian.quantities.units import kind_of

MISSING_WORDS = frozenset(
    "na n/a n.a. n.a nan null none nil missing fehlt fehlend manquant void undef undefined blank "
    "empty lost - -- --- ---- – — . .. ... ? ?? * ** x/a #n/a #n/v #na #nv #value! #wert! #div/0! "
    "#ref! #num! #name? inf +inf -inf infinity +infinity -infinity ∞ -∞ +∞ 1.#qnan 1.#inf -1.#inf "
    "1.#ind -1.#ind 1.#nan -nan +nan nan(ind) -nan(ind) <na> nat not_available k.a.".split()
)
_SPACES = "  \u00a0\u202f\u2009\u2007"
_GROUP = "'’`" + _SPACES
_PLAIN = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,4})?$")
_CELL = re.compile(
    rf"(?P<sign>[+\-−–]?)\s?(?P<digits>[0-9][0-9.,{_GROUP}]*|[.,][0-9]+)(?P<exponent>(?:[eEdD]|\s?[×x*]\s?10\^?)[+\-−⁻]?[0-9⁰¹²³⁴⁵⁶⁷⁸⁹]{{1,4}})?"
    r"(?P<unit>\s*[A-Za-zµμ°%\"′″Ω][\w/²³·^*−\-⁻¹ ]{0,11})?$"
)
_LOWERED = str.maketrans("−⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "--0123456789")
_GROUPED = {
    ",": re.compile(r"[1-9][0-9]{0,2}(,[0-9]{3})+$"),
    ".": re.compile(r"[1-9][0-9]{0,2}(\.[0-9]{3})+$"),
}
LONGEST = 60  # characters of a cell that can be a number


def is_missing(cell: str) -> bool:
    """Whether a cell says that there is no reading: blank, or a word for it."""
    bare = cell.strip()
    return not bare or (len(bare) < 16 and bare.casefold() in MISSING_WORDS)


def parts_of(cell: str) -> tuple[str, str, str, str] | None:
    """Return sign, digits with their marks, exponent and unit of a number cell, or None if it is
    none.
    """
    bare = cell.strip()
    if not bare or len(bare) > LONGEST:
        return None
    match = _CELL.match(bare)
    if match is None:
        return None
    digits, unit = match["digits"].rstrip(_GROUP), (match["unit"] or "").strip()
    if digits.endswith(",") or (unit and unit != "%" and kind_of(unit) is None):
        return None
    if any(c in _GROUP for c in digits) and not _well_grouped(digits):
        return None
    return match["sign"], digits, match["exponent"] or "", unit


def _well_grouped(digits: str) -> bool:
    """Whether spaces or apostrophes stand only between groups of three digits before the decimal
    mark.
    """
    return re.fullmatch(rf"\d{{1,3}}(?:[{_GROUP}]\d{{3}})+(?:[.,]\d*)?", digits) is not None


def looks_numeric(cell: str) -> bool:
    """Whether a cell is a number in any spelling."""
    return len(cell) <= LONGEST and (bool(_PLAIN.match(cell)) or parts_of(cell) is not None)


def value_of(cell: str, decimal: str) -> tuple[float, str] | None:
    """Return the number in a cell and the unit written behind it, or None if there is no finite
    number in it.

    `decimal` settles what a lone comma or point between groups of three digits means; where the
    digits themselves tell, they win.
    """
    parts = parts_of(cell)
    if parts is None:
        return None
    sign, digits, exponent, unit = parts
    for mark in _GROUP:
        digits = digits.replace(mark, "")
    if "," in digits and "." in digits:
        decimal = max(",.", key=digits.rfind)
        other = "," if decimal == "." else "."
        if digits.count(decimal) > 1 or not re.fullmatch(
            rf"\d{{1,3}}(?:{re.escape(other)}\d{{3}})+", _whole(digits, decimal)
        ):
            return None
        digits = digits.replace(other, "").replace(decimal, ".")
    elif "," in digits or "." in digits:
        mark = "," if "," in digits else "."
        grouped = _GROUPED[mark].match(digits) is not None
        if digits.count(mark) > 1:
            if not grouped:
                return None
            digits = digits.replace(mark, "")
        elif grouped and mark != decimal:
            digits = digits.replace(mark, "")
        else:
            digits = digits.replace(mark, ".")
    power = re.sub(r"^(?:[eEdD]|\s?[×x*]\s?10\^?)", "e", exponent).translate(_LOWERED)
    try:
        value = float(("-" if sign in ("-", "−", "–") else "") + digits + power)
    except ValueError:
        return None
    return (value, unit) if abs(value) < LARGEST_NUMBER else None


def _whole(digits: str, decimal: str) -> str:
    return digits[: digits.rfind(decimal)]


@dataclass(frozen=True)
class Decimal:
    """The decimal mark of a table, how sure it is, and what speaks for it."""

    mark: str
    certain: bool
    evidence: str
    open_point: str = ""  # a number whose point could stand for thousands, if no number tells


def decide_decimal(columns: Iterable[Sequence[str]]) -> Decimal:
    """Return the decimal mark that the number cells of some columns speak for.

    "0,5" and "12,34" speak for the comma, "1.5" for the point, "1.234,5" for the comma at once;
    "1,234" speaks for neither, unless numbers below a thousand stand in the same column without any
    mark.
    """
    tables = [list(cells) for cells in columns]
    marks = {mark for mark in ",." for cells in tables if any(mark in cell for cell in cells)}
    if len(marks) == 1:
        example = _first_that_tells(tables, next(iter(marks)))
        if example is not None:
            return Decimal(next(iter(marks)), True, f"as in “{example}”")
    votes = {",": 0, ".": 0}
    open_cells = {",": "", ".": ""}
    for cells in tables:
        for mark, example in _votes_of(cells, votes).items():
            open_cells[mark] = open_cells[mark] or example
    if votes[","] and votes["."]:
        mark = "," if votes[","] > votes["."] else "."
        return Decimal(mark, False, "some numbers have a decimal comma, others a decimal point")
    if votes[","] or votes["."]:
        mark = "," if votes[","] else "."
        return Decimal(mark, True, f"{votes[mark]} numbers can only be read so")
    if open_cells[","]:
        example = open_cells[","]
        return Decimal(
            ",",
            False,
            f"“{example}” could mean {example.replace(',', '.')} or {example.replace(',', '')}",
        )
    said = f"as in “{open_cells['.']}”" if open_cells["."] else "no number has a decimal mark"
    return Decimal(".", True, said, open_cells["."])


def _first_that_tells(tables: Iterable[Sequence[str]], mark: str) -> str | None:
    """The first number that can only be read with `mark` as decimal mark, where no other mark
    stands in the table.
    """
    for cells in tables:
        for cell in cells:
            if mark in cell:
                parts = parts_of(cell)
                if parts is not None and _said_by(parts[1]) == mark:
                    return cell.strip()
    return None


def _votes_of(cells: Sequence[str], votes: dict[str, int]) -> dict[str, str]:
    """Count the votes of one column, and return an open case for each mark that has one."""
    open_cells = {",": "", ".": ""}
    small = False
    for cell in cells:
        parts = parts_of(cell) if ("," in cell or "." in cell) else None
        if parts is None:
            small = small or (1 < len(cell.strip()) < 4 and cell.strip().isdigit())
            continue
        said = _said_by(parts[1])
        if said in votes:
            votes[said] += 1
        elif said:
            open_cells[said[-1]] = cell.strip()
    if small:  # 950 beside 1,020: decimals would have been written out in both
        for mark, example in open_cells.items():
            votes["," if mark == "." else "."] += bool(example)
        return {}
    return {mark: example for mark, example in open_cells.items() if example}


def _said_by(digits: str) -> str:
    """What one number says: "," or "." for that decimal mark, "?," or "?." for an open case, "" for
    nothing.
    """
    for mark in _GROUP:
        if mark in digits and ("," in digits or "." in digits):
            return "," if "," in digits else "."
    if "," in digits and "." in digits:
        return max(",.", key=digits.rfind)
    mark = "," if "," in digits else "."
    if mark not in digits:
        return ""
    if digits.count(mark) > 1:
        return "," if mark == "." else "."
    return f"?{mark}" if _GROUPED[mark].match(digits) else mark
