"""Lines of names and values, as logs write them: key=value, key: value and key value pairs, with
other words between.
"""

import re
from collections import Counter
from collections.abc import Sequence

from inertian.files.cells.dialects import Record, is_reading
from inertian.quantities.units import kind_of

_SAMPLE = 240  # lines that tell what the text is
_MOST_KEYS = 64
_LONGEST_PAIRS = 2000  # characters of a line of names and values
_SHARE = 0.6  # of the lines that have to hold pairs
_VALUE = r"([^\s,;|=]+(?:\s?(?:[a-zµ]{1,3}(?:/s[²2]?)?)(?=[\s,;|]|$))?)"
_NAME = r"[A-Za-zµΑ-ωА-я_][\w.\-]*"
_PAIR = re.compile(rf"(?<![\w.])({_NAME})\s*[=:]\s*{_VALUE}")
# Two words where one does not tell keys apart: "heavy x=0.1 light x=0.9"
_LONG_PAIR = re.compile(rf"(?<![\w.])((?:{_NAME}\s)?{_NAME})\s*[=:]\s*{_VALUE}")
_BLANK_PAIR = re.compile(rf"(?<![\w.])({_NAME})[ \t]+([-+−]?\.?\d[^\s,;|=]*)")
_STAMP = re.compile(r"\s*\[?(\d{1,2}:\d{2}:\d{2}(?:[.,]\d+)?)\]?[\s:>-]+(?=[A-Za-z_]+\s*[=:])")


def _pairs(line: str, pattern: re.Pattern[str]) -> list[tuple[str, str]]:
    """The names and values in a line; a word behind a number that is no unit is a word of its
    own.
    """
    found = []
    for key, value in pattern.findall(line):
        value = value.rstrip(":")
        number, _, word = value.partition(" ")
        found.append((key.strip(), number if word and not kind_of(word) else value))
    return found


def key_value_records(lines: Sequence[str]) -> list[Record] | None:
    """Return lines of names and values as a table with the names as titles, or None if the text is
    none.
    """
    filled = [(n, line[:_LONGEST_PAIRS]) for n, line in enumerate(lines, start=1) if line.strip()]
    sample = filled[:_SAMPLE]
    if sum(_STAMP.match(line) is not None for _, line in sample) > _SHARE * len(sample):
        filled = [(n, _STAMP.sub(r"time=\1 ", line, count=1)) for n, line in filled]
        sample = filled[:_SAMPLE]
    marked = sum("=" in line or ":" in line for _, line in sample) >= _SHARE * len(sample)
    for pattern in (_PAIR, _LONG_PAIR) if marked else (_BLANK_PAIR,):
        keys = _keys(sample, pattern)
        if keys:
            return _records(filled, pattern, keys)
    return None


def _keys(sample: Sequence[tuple[int, str]], pattern: re.Pattern[str]) -> tuple[str, ...]:
    """The names that lines of a sample share, or none if too few lines hold two or more."""
    counts: Counter[str] = Counter()
    hits = 0
    for _, line in sample:
        keys = [k for k, value in _pairs(line, pattern) if is_reading(value)]
        if len(keys) >= 2 and len(set(keys)) == len(keys):
            hits += 1
            counts.update(keys)
    if hits < max(2, _SHARE * len(sample)) or len(counts) > _MOST_KEYS:
        return ()
    if pattern is _BLANK_PAIR:  # words and numbers also stand in prose: all lines have the same
        counts = Counter({k: c for k, c in counts.items() if c >= 0.9 * hits})
    return tuple(counts) if len(counts) >= 2 else ()


def _records(
    filled: Sequence[tuple[int, str]], pattern: re.Pattern[str], keys: tuple[str, ...]
) -> list[Record]:
    records = [Record(0, keys)]
    for number, line in filled:
        values = dict(_pairs(line, pattern))
        if sum(k in values for k in keys) >= 2:
            records.append(Record(number, tuple(values.get(k, "") for k in keys)))
        else:
            records.append(Record(number, (line,)))
    return records
