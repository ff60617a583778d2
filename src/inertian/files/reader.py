"""The one door: any file in, what it was understood as out. Nothing else in Inertian opens
recordings.
"""

import hashlib
import posixpath
import threading
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from inertian.files.cells import size_limits
from inertian.files.cells.dialects import WHITESPACE
from inertian.files.cells.findings import Code, Finding, Topic, UnreadableFileError
from inertian.files.cells.grids import Grid
from inertian.files.cells.number_parsing import decide_decimal
from inertian.files.cells.recipes import Recipe
from inertian.files.formats.file_types import FileType, file_type, unexpected_extension
from inertian.files.formats.text_decoding import decode
from inertian.files.formats.text_grids import text_grid
from inertian.files.interpretation.column_roles import DEFAULT_BODY
from inertian.files.interpretation.columns import columns_of
from inertian.files.interpretation.grid_interpretation import InterpretedGrid, interpret
from inertian.files.interpretation.large_tables import (
    HEAD_LINES,
    BulkTable,
    bulk_of_grid,
    head_of,
    read_bulk,
)
from inertian.files.interpretation.parsed_file import ParsedFile, trials_named
from inertian.files.interpretation.parsed_trial import ParsedTrial
from inertian.files.interpretation.tables import find_tables


def read_file(path: Path, recipe: Recipe | None = None) -> ParsedFile:
    """Read a file of any kind. Never raises for what is in it: a file that cannot be used comes
    back refused.
    """
    try:
        if not path.is_file():
            why = (
                "it is a folder. Choose the files in it."
                if path.is_dir()
                else "it cannot be found."
            )
            raise UnreadableFileError(path.name, Code.CORRUPT, why)
        if path.stat().st_size > size_limits.LARGEST:
            why = (
                f"it is larger than {size_limits.LARGEST // size_limits.MB} MB. Cut it into parts, "
                "or keep every tenth line."
            )
            raise UnreadableFileError(path.name, Code.TOO_LARGE, why)
        content = path.read_bytes()
    except OSError as error:
        why = f"it cannot be opened ({error.strerror or error})."
        return _refused(path.name, "", 0, UnreadableFileError(path.name, Code.CORRUPT, why))
    except UnreadableFileError as error:
        return _refused(path.name, "", 0, error)
    beside = path.parent if path.name == "datapackage.json" else None
    return read_bytes(path.name, content, recipe, beside)


def read_bytes(
    file: str, content: bytes, recipe: Recipe | None = None, beside: Path | None = None
) -> ParsedFile:
    """Read a file whose bytes are at hand; `beside` is the folder that a data package may name
    files in.
    """
    digest: list[str] = []
    hashing = threading.Thread(target=lambda: digest.append(hashlib.sha256(content).hexdigest()))
    if len(content) < size_limits.MB:
        hashing.run()
    else:  # a large file is hashed beside the reading; the library lets other threads run
        hashing.start()
    try:
        parsed = _Reader(file, recipe, beside).read(file, content)
    except UnreadableFileError as error:
        parsed = _refused(file, "", len(content), error)
    if hashing.ident is not None:
        hashing.join()
    parsed = replace(parsed, sha256=digest[0], size=len(content), content=content, recipe=recipe)
    if recipe is not None and recipe.names:
        parsed = replace(
            parsed, trials=tuple(_renamed(t, dict(recipe.names)) for t in parsed.trials)
        )
    if parsed.refused is not None or parsed.trials:
        return parsed
    why = UnreadableFileError(file, Code.NO_TABLE, _NOTHING)
    findings = (*parsed.findings, Finding(Code.NO_TABLE, why.why))
    return replace(parsed, refused=why, findings=findings)


_NOTHING = (
    "this is text, but no table of numbers was found in it. A recording has a column of times "
    "and a column of "
    "positions, with at least two rows."
)


def _renamed(trial: ParsedTrial, names: Mapping[str, str]) -> ParsedTrial:
    return replace(
        trial, bodies=tuple(replace(b, name=names.get(b.name, b.name)) for b in trial.bodies)
    )


def _refused(file: str, digest: str, size: int, error: UnreadableFileError) -> ParsedFile:
    if not error.file:
        error = UnreadableFileError(file, error.code, error.why)
    findings = [Finding(error.code, error.why)]
    if error.code is Code.BINARY and file.lower().endswith(
        (".csv", ".tsv", ".txt", ".json", ".xlsx", ".ods")
    ):
        findings.append(
            Finding(
                Code.WRONG_EXTENSION,
                f"The name of the file does not fit what it holds: {error.why}",
            )
        )
    return ParsedFile(file, digest, size, refused=error, findings=tuple(findings))


class _Reader:
    """Reads one file; keeps count of how deep archives are in archives."""

    def __init__(self, file: str, recipe: Recipe | None, beside: Path | None) -> None:
        self._file, self._recipe, self._beside = file, recipe, beside

    def read(self, name: str, content: bytes, depth: int = 0) -> ParsedFile:
        kind = file_type(name, content)
        odd = unexpected_extension(name, kind)
        findings = [Finding(Code.WRONG_EXTENSION, odd)] if odd else []
        if kind is FileType.GZIP:
            from inertian.files.formats.archives import gunzip

            inner, more = gunzip(name, content)
            inside = self.read(
                name.removesuffix(".gz") if name.endswith(".gz") else name + ".txt",
                inner,
                depth + 1,
            )
            return replace(inside, kind="gzip", findings=(*findings, *more, *inside.findings))
        if kind is FileType.ZIP:
            return self._archive(name, content, depth, findings)
        if kind is FileType.PACKAGE:
            return self._package(name, content, findings)
        if kind is FileType.TEXT:
            return self._text(name, content, findings)
        return self._grids(name, kind, content, findings)

    def _text(self, name: str, content: bytes, findings: list[Finding]) -> ParsedFile:
        fast = self._bulk(name, content)
        if fast is not None:
            return replace(fast, findings=(*findings, *fast.findings))
        text = decode(name, content, self._recipe.encoding if self._recipe else None)
        if len(text.lines) > size_limits.CAREFUL_LINES:
            why = (
                f"its {len(text.lines)} lines have flaws, too many to be looked at one by one. Cut "
                "it into parts."
            )
            raise UnreadableFileError(name, Code.TOO_LARGE, why)
        grid = text_grid(text, self._recipe)
        parsed = interpret(grid, self._recipe)
        parsed.findings[:0] = [*findings, *text.findings]
        return _file_reading(name, FileType.TEXT, parsed, text.encoding, _shown_delimiter(grid))

    def _bulk(self, name: str, content: bytes) -> ParsedFile | None:
        """The fast way for a large clean table: understood from its first lines, read by a fast
        library.
        """
        for length in HEAD_LINES:
            head = head_of(content, length)
            if head is None:
                return None
            fast = self._bulk_from(name, content, head)
            if fast is not None:
                return fast
        return None

    def _bulk_from(self, name: str, content: bytes, head: bytes) -> ParsedFile | None:
        text = decode(name, head, self._recipe.encoding if self._recipe else None)
        grid = text_grid(text, self._recipe)
        if text.findings or grid.findings or grid.delimiter in (None, WHITESPACE):
            return None
        tables = find_tables(grid.records, grid.delimiter or ",", True)
        if len(tables) != 1:
            return None
        rows = tables[0].rows
        decimal = decide_decimal([[row[k] for row in rows] for k in range(tables[0].width)])
        if not decimal.certain:
            return None
        columns = columns_of(tables[0], decimal.mark, [""] * tables[0].width)
        if any(c.moments is not None or not (c.numeric or c.cells) for c in columns):
            return None
        if any(not c.numeric for c in columns):
            return None
        bulk: BulkTable | None = read_bulk(
            content, tables[0], columns, grid.delimiter or ",", decimal.mark
        )
        if bulk is None:
            return None
        parsed = interpret(grid, self._recipe, bulk)
        if len(parsed.tables) != 1 or any(
            f.code is Code.AMBIGUOUS_DECIMAL for f in parsed.findings
        ):
            return None
        return _file_reading(name, FileType.TEXT, parsed, text.encoding, _shown_delimiter(grid))

    def _grids(
        self, name: str, kind: FileType, content: bytes, findings: list[Finding]
    ) -> ParsedFile:
        encoding = None
        if kind in (FileType.PAGE, FileType.XML):
            from inertian.files.formats.markup import grids_of_page, grids_of_xml

            text = decode(name, content)
            encoding = text.encoding
            read = grids_of_page if kind is FileType.PAGE else grids_of_xml
            grids = read(name, "\n".join(text.lines))
        elif kind in (FileType.JSON, FileType.JSON_LINES):
            from inertian.files.formats.structured import grids_of_json, grids_of_json_lines

            text = decode(name, content)
            encoding = text.encoding
            findings = [*findings, *text.findings]
            if kind is FileType.JSON_LINES:
                grids = grids_of_json_lines(text.lines)
            else:
                whole = "\n".join(text.lines)
                grids = self._beside_package(name, whole) or grids_of_json(name, whole)
        elif kind in (FileType.XLSX, FileType.ODS):
            from inertian.files.formats.spreadsheets import grids_of_workbook

            grids = grids_of_workbook(name, content, kind)
        else:
            from inertian.files.formats import arrays

            grids = {
                FileType.NPY: arrays.grids_of_npy,
                FileType.NPZ: arrays.grids_of_npz,
                FileType.PARQUET: arrays.grids_of_parquet,
                FileType.HDF5: arrays.grids_of_hdf5,
            }[kind](name, content)
        return self._of_grids(name, kind, grids, findings, encoding)

    def _of_grids(
        self,
        name: str,
        kind: FileType,
        grids: Sequence[Grid],
        findings: list[Finding],
        encoding: str | None,
    ) -> ParsedFile:
        whole = InterpretedGrid(findings=list(findings))
        for grid in grids:
            part = interpret(grid, self._recipe, bulk_of_grid(name, grid))
            several = len(part.trials) > 1
            for number, trial in enumerate(part.trials, start=1):
                title = grid.name if len(grids) > 1 and not several and grid.name else trial.name
                title = title or (f"{grid.name} {number}".strip() if several else grid.name)
                _add(whole.trials, replace(trial, name=title), grid.body)
            _merge(whole, part)
        if len(whole.trials) == 1 and kind in (FileType.XLSX, FileType.ODS) and len(grids) == 1:
            whole.trials = [replace(whole.trials[0], name="")]
        return _file_reading(name, kind, whole, encoding, None)

    def _beside_package(self, name: str, text: str) -> list[Grid] | None:
        """The tables that a descriptor names in its own folder, or None if this JSON is no
        descriptor.
        """
        from inertian.files.formats.structured import parse_json, resources_of

        value = parse_json(name, text)
        if self._beside is None or not isinstance(value, dict) or "resources" not in value:
            return None
        grids = []
        for title, path, data, units, delimiter in resources_of(name, value):
            if path is not None and _member_files(path) and (self._beside / path).is_file():
                grids.append(
                    self._resource(
                        title, path, (self._beside / path).read_bytes(), units, delimiter
                    )
                )
            elif data is not None:
                grids += _inline(name, title, data, units)
        return grids

    def _resource(
        self, title: str, path: str, content: bytes, units: dict[str, str], delimiter: str
    ) -> Grid:
        recipe = self._recipe or (Recipe(delimiter=delimiter) if delimiter else None)
        grid = text_grid(decode(path, content), recipe)
        return replace(grid, name=title, units=units)

    def _package(self, name: str, content: bytes, findings: list[Finding]) -> ParsedFile:
        """A zip with a data package in it, such as a project of Inertian."""
        from inertian.files.formats.archives import member_bytes, open_zip
        from inertian.files.formats.structured import parse_json, resources_of

        grids: list[Grid] = []
        with open_zip(name, content) as archive:
            text = decode(name, member_bytes(name, archive, "datapackage.json", len(content)))
            for title, path, data, units, delimiter in resources_of(
                name, parse_json(name, "\n".join(text.lines))
            ):
                if path is None:
                    grids += _inline(name, title, data, units) if data is not None else []
                elif not _member_files(path):
                    findings.append(
                        Finding(
                            Code.UNSAFE_ENTRY,
                            f"The resource “{path[:80]}” leads out of the package.",
                        )
                    )
                elif path in archive.namelist():
                    table = member_bytes(name, archive, path, len(content))
                    grids.append(self._resource(title, path, table, units, delimiter))
        return self._of_grids(name, FileType.PACKAGE, grids, findings, text.encoding)

    def _archive(
        self, name: str, content: bytes, depth: int, findings: list[Finding]
    ) -> ParsedFile:
        from inertian.files.formats.archives import member_bytes, open_zip, safe_members

        if depth >= size_limits.DEPTH:
            why = "archives are packed in archives too deeply. Unpack it first."
            raise UnreadableFileError(name, Code.UNSAFE_CONTENT, why)
        parsed_files: list[ParsedFile] = []
        reasons: list[str] = []
        total = 0
        with open_zip(name, content) as archive:
            for member in safe_members(archive, findings):
                try:
                    inner = member_bytes(name, archive, member, len(content))
                    total += len(inner)
                    if total > size_limits.UNPACKED:
                        raise UnreadableFileError(
                            member, Code.TOO_LARGE, "the archive unpacks to too much."
                        )
                    parsed = self.read(posixpath.basename(member), inner, depth + 1)
                    if not parsed.trials:
                        raise UnreadableFileError(member, Code.NO_TABLE, _NOTHING)
                    parsed_files.append(_named(parsed, posixpath.basename(member)))
                except UnreadableFileError as error:
                    reasons.append(f"“{member[:80]}”: {error.why}")
                    if parsed_files or error.code is not Code.NO_TABLE:
                        findings.append(Finding(error.code, f"“{member[:80]}”: {error.why}"))
        if not parsed_files:
            raise _nothing_in_archive(name, findings, reasons)
        trials = tuple(t for r in parsed_files for t in r.trials)
        first = parsed_files[0]
        return replace(
            first,
            file=name,
            kind=str(FileType.ZIP),
            trials=trials,
            findings=(*findings, *(f for r in parsed_files for f in r.findings)),
            questions=tuple(dict.fromkeys(q for r in parsed_files for q in r.questions)),
            tables=tuple(t for r in parsed_files for t in r.tables),
        )


def _nothing_in_archive(
    name: str, findings: list[Finding], reasons: list[str]
) -> UnreadableFileError:
    """Why an archive gave no recording."""
    unsafe = any(f.code is Code.UNSAFE_ENTRY for f in findings)
    if reasons:
        why = f"nothing in this archive is a recording. {reasons[0]}"
    elif unsafe:
        why = "every entry of this archive leads out of it; it was not read."
    else:
        why = "this archive is empty."
    return UnreadableFileError(name, Code.UNSAFE_ENTRY if unsafe else Code.NO_TABLE, why)


def _add(trials: list[ParsedTrial], trial: ParsedTrial, body: str) -> None:
    """Add a trial; the table of one more body joins the trial before, if that one lacks this
    body.
    """
    if body:
        named = tuple(
            replace(b, name=body if b.name == DEFAULT_BODY else f"{body} {b.name}")
            for b in trial.bodies
        )
        trial = replace(trial, bodies=named)
        last = trials[-1] if trials else None
        if (
            last is not None
            and last.name == trial.name
            and not {b.name for b in last.bodies} & {b.name for b in named}
        ):
            shared = np.array_equal(last.time.seconds, trial.time.seconds)
            more = named if shared else tuple(replace(b, time=b.time or trial.time) for b in named)
            trials[-1] = replace(
                last, bodies=(*last.bodies, *more), unusable=(*last.unusable, *trial.unusable)
            )
            return
    trials.append(trial)


def _named(parsed: ParsedFile, member: str) -> ParsedFile:
    return replace(parsed, trials=trials_named(member, parsed.trials))


def _member_files(path: str) -> bool:
    normal = posixpath.normpath(path.replace("\\", "/"))
    return not normal.startswith(("/", "..")) and ":" not in normal


def _inline(file: str, title: str, data: object, units: dict[str, str]) -> list[Grid]:
    import json

    from inertian.files.formats.structured import grids_of_json

    return [
        replace(g, name=title, units={**units, **g.units})
        for g in grids_of_json(file, json.dumps(data))
    ]


def _shown_delimiter(grid: Grid) -> str | None:
    return " " if grid.delimiter == WHITESPACE else grid.delimiter


def _merge(whole: InterpretedGrid, part: InterpretedGrid) -> None:
    whole.findings += part.findings
    whole.questions += [q for q in part.questions if q not in whole.questions]
    whole.conclusions += part.conclusions
    whole.tables += part.tables
    whole.decimal = part.decimal
    whole.frame_rate = whole.frame_rate or part.frame_rate
    whole.scale = whole.scale or part.scale
    whole.body_counts = whole.body_counts or part.body_counts


def _file_reading(
    name: str, kind: FileType, parsed: InterpretedGrid, encoding: str | None, delimiter: str | None
) -> ParsedFile:
    questions = {q.topic: q for q in reversed(parsed.questions)}
    return ParsedFile(
        name,
        "",
        0,
        str(kind),
        encoding,
        delimiter,
        parsed.decimal,
        trials=trials_named(name, parsed.trials)
        if kind is not FileType.ZIP
        else tuple(parsed.trials),
        findings=tuple(dict.fromkeys(parsed.findings)),
        questions=tuple(questions[t] for t in Topic if t in questions),
        conclusions=tuple(parsed.conclusions),
        tables=tuple(parsed.tables),
        frame_rate=parsed.frame_rate,
        scale=parsed.scale,
        body_counts=parsed.body_counts,
    )
