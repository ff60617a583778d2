"""What the span finder says of files, as JSON and as text."""

from collections.abc import Sequence
from typing import Any

from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.trial_building import trials_of
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.finder import find_spans
from inertian.motion.spans.span_naming import FoundSpan
from inertian.quantities.errors import InertianError

SCHEMA = 1


def _span_json(span: FoundSpan) -> dict[str, Any]:
    return {
        "kind": str(span.kind),
        "name": span.name,
        "t0": float(span.t0),
        "t1": float(span.t1),
        "bodies": list(span.bodies),
        "why": span.why,
    }


def trials_or_reason(path: str, parsed: ParsedFile) -> tuple[list[Trial], str | None]:
    """Return the trials of a file, or why there are none, in one sentence."""
    if parsed.refused is not None:
        return [], f"{path}: {parsed.refused.why}"
    try:
        return trials_of(parsed), None
    except InertianError as error:
        return [], f"{path}: {error}"


def spans_json(files: Sequence[tuple[str, ParsedFile]]) -> tuple[dict[str, Any], list[str]]:
    """Return the spans found in every trial of some files, times in s, and why files were refused.

    A refused file is listed without trials.
    """
    listed, refusals = [], []
    for path, parsed in files:
        trials, why = trials_or_reason(path, parsed)
        refusals += [why] if why else []
        found = [{"name": t.name, "spans": [_span_json(s) for s in find_spans(t)]} for t in trials]
        listed.append({"path": path, "trials": found})
    return {"schema": SCHEMA, "files": listed}, refusals


def spans_text(files: Sequence[tuple[str, ParsedFile]]) -> tuple[list[str], list[str]]:
    """Return the same for reading."""
    lines, refusals = [], []
    for path, parsed in files:
        trials, why = trials_or_reason(path, parsed)
        refusals += [why] if why else []
        lines.append(path)
        for trial in trials:
            found = find_spans(trial)
            lines.append(f"  {trial.name}: {len(found)} spans")
            lines += [
                (
                    f"    {s.t0:10.4f} s to {s.t1:10.4f} s  {s.kind}, {s.name} "
                    f"({', '.join(s.bodies)}): {s.why}"
                )
                for s in found
            ]
    return lines, refusals
