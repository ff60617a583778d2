"""A project as named pieces of bytes and back; saving and recovery are two containers for the same
pieces.
"""

import csv
import hashlib
import io
import json
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
from pydantic import ValidationError

from inertian.files.cells.recipes import recipe_of
from inertian.files.tab_separated import escape_cell
from inertian.motion.derivatives.local_derivatives import parse_window
from inertian.motion.recording.trials import KIND_OF_AXIS, Body, Channel, Provenance, Trial
from inertian.physics.definitions.derived_quantities import DerivedQuantity, check_quantities
from inertian.project.project import Entry, Project, Series
from inertian.project.saved_marks import saved_marks, with_saved_marks
from inertian.project.saved_trends import saved_trends, trends_of
from inertian.project.schema import (
    VERSION,
    SavedAnalysis,
    SavedBody,
    SavedChannel,
    SavedDerived,
    SavedFact,
    SavedSeries,
    SavedSource,
    SavedTrial,
)
from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.memo import Memo
from inertian.quantities.units import PIXEL, Unit, unit_of

ANALYSIS, PACKAGE = "analysis.json", "datapackage.json"
_memo = Memo()


class ProjectFileError(InertianError):
    """A project file cannot be written or read; nothing was changed."""

    def __init__(self, file: str, why: str) -> None:
        super().__init__(file, why)
        self.file, self.why = file, why

    def __str__(self) -> str:
        return f"{self.file}: {self.why}"


def _number(value: float) -> str:
    return "" if np.isnan(value) else repr(float(value))


def _columns(trial: Trial) -> list[tuple[str, str, Array]]:
    """Title, unit and values of every column of a trial's table but time: readings, and what is
    stated of them.
    """
    found = []
    for body in trial.bodies:
        for c in (*body.channels, *body.sensors):
            found.append(
                (escape_cell(f"{body.name} {c.axis} ({c.unit.symbol})"), c.unit.symbol, c.raw)
            )
            if c.u is not None:
                found.append(
                    (escape_cell(f"u({body.name} {c.axis}) ({c.unit.symbol})"), c.unit.symbol, c.u)
                )
    return found


def table_of(trial: Trial) -> bytes:
    """Return a trial's raw samples as CSV in the file's own units; every float comes back bit for
    bit.
    """
    return _memo.get(trial, "table", lambda: _table_of(trial))


def _table_of(trial: Trial) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    others = _columns(trial)
    writer.writerow([f"time ({trial.time_unit.symbol})", *(title for title, _, _ in others)])
    columns = [trial.raw_time, *(values for _, _, values in others)]
    writer.writerows(
        [[_number(v) for v in row] for row in zip(*(c.tolist() for c in columns), strict=True)]
    )
    return out.getvalue().encode()


def _saved_channel(channel: Channel) -> SavedChannel:
    unit = channel.unit
    factor = unit.factor if unit.symbol == PIXEL else None
    return SavedChannel(
        axis=channel.axis,
        column=channel.column,
        unit=unit.symbol,
        factor=factor,
        sign=-1 if channel.sign < 0 else 1,
        shift=channel.shift,
        uncertain=channel.u is not None,
    )


def _saved_source(origin: Provenance) -> SavedSource:
    return SavedSource(
        file=origin.file,
        sha256=origin.sha256,
        size=origin.size,
        path=f"sources/{origin.sha256}" if origin.content is not None else None,
        understood=list(origin.understood),
        unusable=list(origin.unusable),
        recipe=json.loads(origin.recipe) if origin.recipe else None,
        part=origin.part,
        others=[_saved_source(other) for other in origin.others],
    )


def _saved_trial(entry: Entry) -> SavedTrial:
    trial, origin = entry.trial, entry.trial.provenance
    bodies = [
        SavedBody(name=b.name, channels=[_saved_channel(c) for c in (*b.channels, *b.sensors)])
        for b in trial.bodies
    ]
    source = _saved_source(origin)
    return SavedTrial(
        id=trial.id,
        name=trial.name,
        series=entry.series,
        data=f"data/{trial.id}.csv",
        time_column=trial.time_column,
        time_unit=trial.time_unit.symbol,
        bodies=bodies,
        source=source,
        time_base=trial.time_base,
        **saved_marks(entry),
    )


def analysis_of(project: Project) -> SavedAnalysis:
    """Return everything of a project but the samples."""
    return SavedAnalysis(
        name=project.name,
        series=[
            SavedSeries(
                name=s.name,
                motion=s.motion,
                expectations=dict(s.expectations),
                window=s.window,
                off=list(s.off),
                laws=list(s.laws),
                turned=s.turned,
                pattern=s.pattern,
            )
            for s in project.series
        ],
        setup=[
            SavedFact(
                name=key.name,
                scope=key.scope,
                kind=f.unit.kind,
                value=f.typed,
                plus_minus=f.plus_minus,
                meaning=f.meaning,
                unit=f.unit.symbol,
            )
            for key, f in project.setup.items()
        ],
        trials=[_saved_trial(e) for e in project.entries],
        recipes=[asdict(r) for r in project.recipes],
        quantities=[
            SavedDerived(name=q.name, symbol=q.symbol, unit=q.unit, formula=q.text)
            for q in project.derived
        ],
        trends=saved_trends(project.trends),
    )


def _data_package(project: Project) -> dict[str, Any]:
    """The Data Package v2 descriptor: one CSV resource per time base, its fields with units."""
    resources = []
    for entry in project.entries:
        trial, table = entry.trial, table_of(entry.trial)
        fields = [
            {
                "name": f"time ({trial.time_unit.symbol})",
                "type": "number",
                "unit": trial.time_unit.symbol,
            }
        ]
        fields += [
            {"name": title, "type": "number", "unit": unit} for title, unit, _ in _columns(trial)
        ]
        resources.append(
            {
                "name": f"trial-{trial.id.lower()}",
                "title": trial.name,
                "path": f"data/{trial.id}.csv",
                "type": "table",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "bytes": len(table),
                "hash": f"sha256:{hashlib.sha256(table).hexdigest()}",
                "schema": {"fields": fields, "missingValues": [""]},
            }
        )
    return {
        "$schema": "https://datapackage.org/profiles/2.0/datapackage.json",
        "name": "inertian-project",
        "title": project.name,
        "resources": resources,
    }


def encode(project: Project) -> dict[str, bytes]:
    """Return the pieces of a project file by member name."""
    pieces = {
        PACKAGE: json.dumps(_data_package(project), indent=1, ensure_ascii=False).encode(),
        ANALYSIS: analysis_of(project).model_dump_json(indent=1).encode(),
    }
    for entry in project.entries:
        pieces[f"data/{entry.trial.id}.csv"] = table_of(entry.trial)
        for origin in (entry.trial.provenance, *entry.trial.provenance.others):
            if origin.content is not None:
                pieces[f"sources/{origin.sha256}"] = origin.content
    return pieces


def decode(file: str, piece: Callable[[str], bytes]) -> Project:
    """Return the project whose pieces `piece(name)` yields.

    Raises ProjectFileError if a piece is missing, changed, of a newer version or cannot be true.
    """
    try:
        analysis = _analysis(file, piece(ANALYSIS))
        hashes = {r["path"]: r["hash"] for r in json.loads(piece(PACKAGE))["resources"]}
        entries = tuple(_entry(file, saved, piece, hashes) for saved in analysis.trials)
        setup = {
            FactId(f.name, f.scope): Fact(f.value, f.plus_minus, f.meaning, unit_of(f.kind, f.unit))
            for f in analysis.setup
        }
        series = tuple(
            Series(
                s.name,
                s.motion,
                s.expectations,
                s.window,
                tuple(s.off),
                tuple(s.laws),
                s.turned,
                s.pattern,
            )
            for s in analysis.series
        )
        for one in series:
            parse_window(one.window)
        recipes = tuple(recipe_of(file, r) for r in analysis.recipes)
        own = tuple(
            DerivedQuantity(q.name, q.symbol, q.unit, q.formula) for q in analysis.quantities
        )
        check_quantities(own)
        for quantity in own:
            parse_unit(quantity.unit)
    except ProjectFileError:
        raise
    except (
        InertianError,
        KeyError,
        ValueError,
        TypeError,
        IndexError,
        csv.Error,
        RecursionError,
    ) as error:
        raise ProjectFileError(
            file, f"the project file is damaged and was not opened ({_short(error)})."
        ) from error
    if len({e.trial.id for e in entries}) < len(entries) or {e.series for e in entries} - {
        s.name for s in series
    }:
        raise ProjectFileError(
            file,
            "the project file is damaged and was not opened (its trials contradict each other).",
        )
    trends = trends_of(analysis.trends)
    return Project(analysis.name, entries, series, setup, recipes, own, trends)


def _short(error: Exception) -> str:
    if isinstance(error, KeyError):
        return f"“{error.args[0]}” is missing"
    return str(error).splitlines()[0][:120] if str(error) else type(error).__name__


def _analysis(file: str, content: bytes) -> SavedAnalysis:
    raw = json.loads(content)
    json.dumps(raw, ensure_ascii=False).encode()  # names that cannot be written again are refused
    version = raw.get("version") if isinstance(raw, dict) else None
    if isinstance(version, int) and version > VERSION:
        why = (
            f"a newer Inertian saved it (file version {version}; this program reads up to "
            f"{VERSION}). Update it."
        )
        raise ProjectFileError(file, why)
    try:
        return SavedAnalysis.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise ProjectFileError(
            file, f"the project file is damaged and was not opened ({place}: {first['msg']})."
        ) from error


def _entry(
    file: str, saved: SavedTrial, piece: Callable[[str], bytes], hashes: Mapping[str, str]
) -> Entry:
    table = piece(saved.data)
    if hashes.get(saved.data) != f"sha256:{hashlib.sha256(table).hexdigest()}":
        raise ProjectFileError(
            file, f"the samples of “{saved.name}” were changed or damaged; the file was not opened."
        )
    rows = list(csv.reader(io.StringIO(table.decode())))[1:]
    columns = np.array(
        [[float(v) if v else np.nan for v in row] for row in rows], dtype=np.float64
    ).T
    bodies, place = [], 1
    for body in saved.bodies:
        channels = []
        for c in body.channels:
            unit = unit_of(KIND_OF_AXIS[c.axis], c.unit)
            unit = Unit(unit.symbol, unit.kind, c.factor) if c.factor else unit
            u = columns[place + 1] if c.uncertain else None
            channels.append(
                Channel(c.axis, c.column, unit, columns[place], float(c.sign), c.shift, u)
            )
            place += 1 + c.uncertain
        positions = tuple(c for c in channels if c.unit.kind == "length")
        bodies.append(
            Body(body.name, positions, tuple(c for c in channels if c.unit.kind != "length"))
        )
    provenance = _provenance(file, saved.name, saved.source, piece)
    unit = unit_of("time", saved.time_unit)
    trial = Trial(
        saved.id,
        saved.name,
        saved.time_column,
        unit,
        columns[0],
        tuple(bodies),
        provenance,
        saved.time_base,
    )
    _memo.get(trial, "table", lambda: table)
    return with_saved_marks(Entry(trial, saved.series), saved)


def _provenance(
    file: str, trial: str, saved: SavedSource, piece: Callable[[str], bytes]
) -> Provenance:
    content = piece(saved.path) if saved.path else None
    if content is not None and hashlib.sha256(content).hexdigest() != saved.sha256:
        raise ProjectFileError(
            file, f"the original of “{trial}” was changed or damaged; the file was not opened."
        )
    recipe = json.dumps(saved.recipe, ensure_ascii=False) if saved.recipe else ""
    others = tuple(_provenance(file, trial, other, piece) for other in saved.others)
    return Provenance(
        saved.file,
        saved.sha256,
        saved.size,
        content,
        tuple(saved.understood),
        tuple(saved.unusable),
        recipe,
        saved.part,
        others,
    )
