"""JSON in its usual shapes: records, columns, rows with titles, nested; JSON Lines; and data
package descriptors.
"""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from inertian.files.cells import size_limits
from inertian.files.cells.column_titles import Role, names_trial, read_title
from inertian.files.cells.dialects import Record
from inertian.files.cells.findings import Code, UnreadableFileError
from inertian.files.cells.grids import Grid, cell_text, grid_of_columns, records_of_rows

_DEPTH = 40
_LAST_COMMA = re.compile(r'("(?:\\.|[^"\\])*")|,(?=\s*[}\]])')
_TITLE_KEYS = ("columns", "header", "headers", "fields", "names", "titles")
_UNIT_KEYS = ("units", "unit", "einheiten")
_VALUE_KEYS = ("values", "data", "value", "samples")
_BODY_KEYS = ("bodies", "objects", "tracks", "particles", "body")
_META_KEYS = ("meta", "metadata", "info", "header", "attributes", "attrs", "description", "setup")
_BODY_NAME_KEYS = ("body", "object", "objekt", "corps", "track")
_NAME_KEYS = ("name", "title", "trial", "run", "label", "id")


def parse_json(file: str, text: str) -> object:
    """Parse JSON within bounds. Raises UnreadableFileError."""
    if len(text) > size_limits.STRUCTURED:
        raise UnreadableFileError(
            file, Code.TOO_LARGE, "this JSON file is too large. Save the table as CSV."
        )
    try:
        try:
            return json.loads(text)
        except json.JSONDecodeError:
            relaxed = _LAST_COMMA.sub(r"\1", text)  # a comma behind the last part, as often written
            if relaxed == text:
                raise
            return json.loads(relaxed)
    except RecursionError as error:
        raise UnreadableFileError(
            file, Code.UNSAFE_CONTENT, "it is nested too deeply to be a recording."
        ) from error
    except ValueError as error:
        place = (
            f"line {error.lineno}" if isinstance(error, json.JSONDecodeError) else "a number in it"
        )
        why = f"this is JSON that breaks off or has a mistake at {place}. Save or export it again."
        raise UnreadableFileError(file, Code.CORRUPT, why) from error


def grids_of_json(file: str, text: str) -> list[Grid]:
    """Return every table in a JSON text. Raises UnreadableFileError if it cannot be parsed."""
    value = parse_json(file, text)
    budget = [size_limits.NODES]
    grids = list(_tables(value, "", {}, 0, budget))
    if budget[0] <= 0:
        raise UnreadableFileError(
            file, Code.TOO_LARGE, "it holds more values than a recording. Save the table as CSV."
        )
    most = max((len(g.records) for g in grids), default=0)
    return [g for g in grids if len(g.records) > max(2, most // 20)] or grids


def grids_of_json_lines(lines: Sequence[str]) -> list[Grid]:
    """Return JSON Lines as one grid; lines that are no JSON object stay as they are, to be listed
    as unusable.
    """
    titles: dict[str, None] = {}
    rows: list[tuple[int, Mapping[str, object] | str]] = []
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        try:
            value = json.loads(line)
        except (ValueError, RecursionError):
            value = None
        if isinstance(value, dict):
            flat = dict(_flat(value, "", 0))
            titles.update(dict.fromkeys(flat))
            rows.append((number, flat))
        else:
            rows.append((number, line))
    records = [Record(0, tuple(titles))]
    for number, row in rows:
        cells = (row,) if isinstance(row, str) else tuple(cell_text(row.get(t)) for t in titles)
        records.append(Record(number, cells))
    return [Grid("", records)]


def _flat(value: Mapping[str, Any], prefix: str, depth: int) -> Iterator[tuple[str, object]]:
    """The leaves of a nested record with their path as title."""
    for key, part in value.items():
        title = f"{prefix} {key}".strip()
        if isinstance(part, dict) and depth < 4:
            yield from _flat(part, title, depth + 1)
        elif (
            isinstance(part, list)
            and 1 < len(part) <= 3
            and all(isinstance(p, (int, float)) for p in part)
        ):
            yield from ((f"{title} {axis}", p) for axis, p in zip("xyz", part, strict=False))
        elif not isinstance(part, (list, dict)):
            yield title, part


def _scalar(value: object) -> bool:
    return value is None or isinstance(value, (int, float, str, bool))


def _holds_table(record: Mapping[str, Any]) -> bool:
    """Whether a record is a table by itself, as one trial of several is, and not one row of a
    table.
    """
    lists = [p for p in record.values() if isinstance(p, list)]
    if any(p and all(isinstance(q, (dict, list)) for q in p) and len(p) >= 2 for p in lists):
        return True
    columns = [p for p in lists if len(p) >= 2 and all(map(_scalar, p))]
    alone = not any(
        isinstance(p, (int, float)) for k, p in record.items() if k.casefold() not in _NAME_KEYS
    )
    return (
        len(columns) >= 2 and len({len(c) for c in columns}) == 1 and (len(columns[0]) > 3 or alone)
    )


def _columns_in(value: Mapping[str, Any], units: dict[str, str]) -> dict[str, list[Any]]:
    """The lists of plain values in an object, by title; {"unit": …, "values": […]} is a list with
    its unit.
    """
    columns: dict[str, list[Any]] = {}
    for key, part in value.items():
        if isinstance(part, dict):
            values = next((part[k] for k in _VALUE_KEYS if isinstance(part.get(k), list)), None)
            if values is not None and isinstance(part.get("unit", part.get("units", "")), str):
                units.setdefault(key, part.get("unit") or part.get("units") or "")
                part = values
        if isinstance(part, dict) and len(part) >= 2 and all(k.isdigit() for k in part):
            part = list(part.values())  # a column as an object with its row numbers as keys
        plain = isinstance(part, list) and len(part) >= 2 and all(map(_scalar, part))
        if plain and key.casefold() not in (*_TITLE_KEYS, "tags"):
            columns[key] = part
    return columns


def _tables(
    value: object, name: str, units: Mapping[str, str], depth: int, budget: list[int]
) -> Iterator[Grid]:
    """All tables below a value, each once."""
    budget[0] -= 1
    if depth > _DEPTH or budget[0] <= 0:
        return
    if isinstance(value, list):
        yield from _list_tables(value, name, units, depth, budget)
    elif isinstance(value, dict):
        body = _body_in(value)
        for grid in _tables_of_object(value, name, units, depth, budget):
            yield replace(grid, body=grid.body or body)


def _tables_of_object(
    value: dict[str, Any], name: str, units: Mapping[str, str], depth: int, budget: list[int]
) -> Iterator[Grid]:
    known = {**units, **_units_in(value)}
    if _pairs_by_body(value):
        yield from _bodies(value, name, known, depth, budget)
    else:
        own = next(
            (str(value[k]) for k in _NAME_KEYS if isinstance(value.get(k), (str, int))), name
        )
        columns = _columns_in(value, known)
        budget[0] -= sum(map(len, columns.values()))
        lengths = {len(v) for v in columns.values()}
        whole = len(columns) >= 2 and (
            len(lengths) == 1 or max(lengths) - min(lengths) <= 0.5 * max(lengths)
        )
        if whole:
            yield grid_of_columns(own, columns, known)
        titles = next((value[k] for k in _TITLE_KEYS if isinstance(value.get(k), list)), None)
        for key, part in value.items():
            if (whole and key in columns) or not isinstance(part, (list, dict)):
                continue
            if (
                titles
                and isinstance(part, list)
                and part
                and isinstance(part[0], list)
                and len(part[0]) == len(titles)
            ):
                budget[0] -= len(part) * len(titles)
                rows = records_of_rows(r for r in part if isinstance(r, list))
                yield Grid(own, [Record(0, tuple(map(_title_of, titles))), *rows], units=known)
            elif key.casefold() in _META_KEYS:
                continue
            elif key.casefold() in _BODY_KEYS:
                yield from _bodies(part, own, known, depth, budget)
            else:
                yield from _tables(part, own if own != name else key, known, depth + 1, budget)


def _body_in(value: Mapping[str, Any]) -> str:
    """The name of the one body that an object, or the description in it, is about, or ""."""
    for holder in (value, *(v for k, v in value.items() if k.casefold() in _META_KEYS)):
        if isinstance(holder, dict):
            for key in _BODY_NAME_KEYS:
                if isinstance(holder.get(key), str) and 0 < len(holder[key]) < 40:
                    return str(holder[key])
    return ""


def _pairs_by_body(value: Mapping[str, Any]) -> bool:
    """Whether an object holds, for each of several bodies, a list of time and position."""
    return len(value) > 1 and all(
        isinstance(rows, list)
        and len(rows) > 1
        and read_title(key).role not in (Role.TRIAL, Role.TIME)
        and not names_trial(key)
        and all(isinstance(r, list) and 2 <= len(r) <= 3 and all(map(_scalar, r)) for r in rows)
        for key, rows in value.items()
    )


def _bodies(
    part: list[Any] | dict[str, Any],
    name: str,
    units: Mapping[str, str],
    depth: int,
    budget: list[int],
) -> Iterator[Grid]:
    """Tables of one body each, by the name of the body."""
    named = (
        part.items()
        if isinstance(part, dict)
        else ((f"body {n}", v) for n, v in enumerate(part, start=1))
    )
    for key, inner in named:
        own = inner.get("name", inner.get("id", key)) if isinstance(inner, dict) else key
        for grid in _tables(inner, name, units, depth + 1, budget):
            yield replace(grid, name=name, body=str(own))


def _list_tables(
    value: list[Any], name: str, units: Mapping[str, str], depth: int, budget: list[int]
) -> Iterator[Grid]:
    budget[0] -= len(value)
    if value and all(isinstance(v, dict) for v in value) and not any(map(_holds_table, value[:50])):
        flat = [dict(_flat(v, "", 0)) for v in value]
        titles = list(dict.fromkeys(t for f in flat for t in f))
        budget[0] -= len(flat) * len(titles)
        if titles and budget[0] > 0:
            rows = [
                Record(n, tuple(cell_text(f.get(t)) for t in titles))
                for n, f in enumerate(flat, start=1)
            ]
            yield Grid(name, [Record(0, tuple(titles)), *rows], units=units)
    elif value and all(isinstance(v, list) and v and all(map(_scalar, v)) for v in value):
        if len(value) > 8 or len(value[0]) <= 8:
            yield Grid(name, records_of_rows(value), units=units)
        elif len({len(v) for v in value}) == 1:
            yield Grid(name, records_of_rows(zip(*value, strict=True)), units=units)
    else:
        for number, part in enumerate(value[:10_000], start=1):
            if isinstance(part, (dict, list)):
                yield from _tables(part, f"{name} {number}".strip(), units, depth + 1, budget)


def _title_of(title: object) -> str:
    if isinstance(title, dict):
        said = str(title.get("title") or title.get("name") or "")
        unit = title.get("unit")
        return (
            f"{said} ({unit})"
            if isinstance(unit, str) and unit and f"({unit})" not in said
            else said
        )
    return cell_text(title)


def _units_in(value: Mapping[str, Any]) -> dict[str, str]:
    """Units by title that an object, or the description in it, states."""
    found: dict[str, str] = {}
    for holder in (*(v for k, v in value.items() if k.casefold() in _META_KEYS), value):
        if isinstance(holder, dict):
            for key in _UNIT_KEYS:
                part = holder.get(key)
                if isinstance(part, dict):
                    found.update({str(k): v for k, v in part.items() if isinstance(v, str)})
    return found


def _unit_of_field(described: Mapping[str, Any]) -> str:
    """The unit in the description of a field, whatever its key: unit, units, unitSymbol."""
    for key, value in described.items():
        if key.casefold().startswith("unit"):
            if isinstance(value, dict):
                value = value.get("symbol") or value.get("name")
            if isinstance(value, str) and value:
                return value
    return ""


def resources_of(
    file: str, descriptor: object
) -> list[tuple[str, str | None, object, dict[str, str], str]]:
    """Return the tables of a data package: name, path (or None), inline data, units by field,
    delimiter (or "").

    Raises UnreadableFileError if the descriptor lists no resources.
    """
    resources = descriptor.get("resources") if isinstance(descriptor, dict) else None
    if not isinstance(resources, list) or not resources:
        raise UnreadableFileError(file, Code.NO_TABLE, "this data package lists no resources.")
    found = []
    for r in resources[: size_limits.MEMBERS]:
        if not isinstance(r, dict):
            continue
        schema: dict[str, Any] = r["schema"] if isinstance(r.get("schema"), dict) else {}
        fields: list[Any] = schema["fields"] if isinstance(schema.get("fields"), list) else []
        units = {str(f.get("name")): _unit_of_field(f) for f in fields if isinstance(f, dict)}
        path = r.get("path")
        path = path[0] if isinstance(path, list) and path else path
        dialect: dict[str, Any] = r["dialect"] if isinstance(r.get("dialect"), dict) else {}
        name = str(r.get("title") or r.get("name") or "")
        found.append(
            (
                name,
                path if isinstance(path, str) else None,
                r.get("data"),
                units,
                str(dialect.get("delimiter", "")),
            )
        )
    return found
