"""How files were understood, as JSON and as lines for reading; docs/schemas/inspect-1.json
describes the form.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np

from inertian.files.interpretation.data_checks import step_of
from inertian.files.interpretation.file_description import sentences
from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.interpretation.parsed_trial import ParsedChannel, ParsedTime, ParsedTrial
from inertian.quantities.units import PIXEL, SI_SYMBOL, ascii_symbol

SCHEMA = 1


def _time_json(time: ParsedTime, time_base: float) -> dict[str, Any]:
    seconds = time.seconds * time_base
    return {
        "column": time.column,
        "unit": ascii_symbol(time.unit),
        "n": len(seconds),
        "t0": _defined(seconds[0]) if len(seconds) else None,
        "t1": _defined(seconds[-1]) if len(seconds) else None,
        "step": step_of(seconds),
    }


def _defined(value: float) -> float | None:
    """A number, or None where it is none: beyond all numbers after its change to SI."""
    return float(value) if np.isfinite(value) else None


def _channel_json(channel: ParsedChannel) -> dict[str, Any]:
    good = channel.si[np.isfinite(channel.values)]
    scaled = channel.unit.symbol != PIXEL or channel.unit.factor != 1.0
    return {
        "column": channel.column,
        "unit": ascii_symbol(channel.unit),
        "si_unit": SI_SYMBOL[channel.unit.kind].replace("²", "2") if scaled else PIXEL,
        "n": int(good.size),
        "first": _defined(good[0]) if good.size else None,
        "last": _defined(good[-1]) if good.size else None,
        "mean": _defined(good.mean()) if good.size else None,
        "sum_sq": _defined(float(good @ good)) if good.size else None,
    }


def _trial_json(trial: ParsedTrial, time_base: float) -> dict[str, Any]:
    bodies = []
    for body in trial.bodies:
        made: dict[str, Any] = {"name": body.name}
        if body.time is not None:
            made["time"] = _time_json(body.time, time_base)
        made["channels"] = {c.axis: _channel_json(c) for c in body.channels}
        bodies.append(made)
    return {
        "name": trial.name,
        "rows": len(trial.time.values),
        "unusable": [{"line": u.line, "text": u.text, "why": u.why} for u in trial.unusable],
        "time": _time_json(trial.time, time_base),
        "bodies": bodies,
    }


def _warnings(parsed: ParsedFile) -> list[dict[str, str]]:
    """One warning for each code, with all that it was given for."""
    texts: dict[str, list[str]] = {}
    for finding in parsed.findings:
        texts.setdefault(str(finding.code), []).append(finding.text)
    return [{"code": code, "text": " ".join(dict.fromkeys(said))} for code, said in texts.items()]


def file_json(path: str, parsed: ParsedFile) -> dict[str, Any]:
    """Return how one file was understood: SI values over usable samples, times in s as in the
    file.
    """
    base = parsed.recipe.time_base.value if parsed.recipe and parsed.recipe.time_base else 1.0
    return {
        "path": path,
        "sha256": parsed.sha256 or None,
        "format": parsed.kind or None,
        "encoding": parsed.encoding,
        "delimiter": parsed.delimiter,
        "decimal": parsed.decimal,
        "refused": None if parsed.refused is None else parsed.refused.why,
        "trials": [_trial_json(t, base) for t in parsed.trials],
        "warnings": _warnings(parsed),
    }


def inspection_json(files: Sequence[tuple[str, ParsedFile]]) -> dict[str, Any]:
    """Return how several files were understood, by the path each was named by."""
    return {"schema": SCHEMA, "files": [file_json(path, parsed) for path, parsed in files]}


def inspection_text(path: str, parsed: ParsedFile) -> list[str]:
    """Return the same for reading."""
    lines = [path]
    if parsed.refused is None:
        lines += [f"  {said}" for said in sentences(parsed)]
    lines += [f"  {f.code}: {f.text}" for f in parsed.findings]
    for trial in parsed.trials:
        lines += [f"  line {u.line}: {u.why}: {u.text}" for u in trial.unusable]
    return lines
