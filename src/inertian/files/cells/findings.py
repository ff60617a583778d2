"""What reading a file can find: warnings by code, lines that could not be used, questions, and
refusals.
"""

from dataclasses import dataclass
from enum import StrEnum

from inertian.quantities.errors import InertianError

PUT_IN_ORDER = "samples were put in order"  # said of times that went back


class Code(StrEnum):
    """Warnings, one meaning each; docs/getting-data-in.md explains them."""

    TIME_NOT_SORTED = "time-not-sorted"
    DUPLICATE_TIME = "duplicate-time"
    GAP = "gap"
    TIME_RESTART = "time-restart"
    MIDNIGHT = "midnight"
    MISSING_VALUES = "missing-values"
    NON_NUMERIC = "non-numeric"
    UNIT_MISSING = "unit-missing"
    UNIT_MIXED = "unit-mixed"
    AMBIGUOUS_DECIMAL = "ambiguous-decimal"
    MIXED_DELIMITER = "mixed-delimiter"
    RAGGED_ROWS = "ragged-rows"
    TRUNCATED = "truncated"
    SINGLE_ROW = "single-row"
    NO_TIME_COLUMN = "no-time-column"
    FRAME_RATE_MISSING = "frame-rate-missing"
    DUPLICATE_COLUMN = "duplicate-column"
    NUL_BYTES = "nul-bytes"
    SKIPPED_LINES = "skipped-lines"
    FORMULA_UNCACHED = "formula-uncached"
    HIDDEN_SHEET = "hidden-sheet"
    WRONG_EXTENSION = "wrong-extension"
    UNSAFE_ENTRY = "unsafe-entry"
    TOO_LARGE = "too-large"
    EMPTY = "empty"
    NO_TABLE = "no-table"
    BINARY = "binary"
    CORRUPT = "corrupt"
    UNSAFE_CONTENT = "unsafe-content"
    SATURATED = "saturated"
    CONSTANT = "constant"


class Topic(StrEnum):
    """What a person may be asked, because the file does not say it."""

    DECIMAL = "decimal"
    TIME = "time"
    FRAME_RATE = "frame rate"
    SCALE = "scale"
    BODIES = "bodies"


@dataclass(frozen=True)
class Finding:
    """One warning: its code, what was seen in words, and the physical lines it concerns, if it has
    any.
    """

    code: Code
    text: str
    lines: tuple[int, ...] = ()


@dataclass(frozen=True)
class Unusable:
    """One line that could not be used: its number, its text and the reason."""

    line: int
    text: str
    why: str


@dataclass(frozen=True)
class Question:
    """Something the file leaves open; `choices` are the answers it allows, none where a value is to
    be typed.
    """

    topic: Topic
    text: str
    choices: tuple[str, ...] = ()


class UnreadableFileError(InertianError):
    """A file cannot be read as position against time; says what it is and what would help."""

    def __init__(self, file: str, code: Code, why: str) -> None:
        super().__init__(file, code, why)
        self.file, self.code, self.why = file, code, why

    def __str__(self) -> str:
        return f"{self.file}: {self.why}"


SHOWN_TEXT = 200  # characters of a line that are kept to be shown


def shown_line(text: str) -> str:
    """Return a line as it is listed: bounded, with control characters made visible."""
    cut = text[:SHOWN_TEXT]
    return "".join(c if c.isprintable() or c == "\t" else "␀" if c == "\0" else "·" for c in cut)
