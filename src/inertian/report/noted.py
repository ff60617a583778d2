"""What the second look says of trials, as JSON and as text; docs/schemas/look-1.json describes the
form.
"""

from typing import Any

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look.look import second_look
from inertian.analysis.second_look.notes import Note
from inertian.project.project import Project
from inertian.report.ledgers import finite

SCHEMA = 1


def note_json(note: Note) -> dict[str, Any]:
    """Return one note."""
    return {
        "code": note.code,
        "severity": str(note.severity),
        "text": note.text,
        "evidence": {
            name: value if isinstance(value, str) else finite(float(value))
            for name, value in note.evidence.items()
        },
        "remedy": note.remedy.text if note.remedy is not None else None,
    }


def notes_json(project: Project) -> dict[str, Any]:
    """Return the notes on all trials, the gravest first; none where there is nothing to say."""
    found = second_look(project, Evaluator())
    trials = [
        {
            "name": entry.trial.name,
            "notes": [note_json(note) for note in found.get(entry.trial.id, ())],
        }
        for entry in project.entries
    ]
    return {"schema": SCHEMA, "trials": trials}


def notes_text(project: Project) -> list[str]:
    """Return the same as lines for reading."""
    found = second_look(project, Evaluator())
    lines = []
    for entry in project.entries:
        notes = found.get(entry.trial.id, ())
        lines.append(f"{entry.trial.name}:" + ("" if notes else " nothing that looks wrong"))
        for note in notes:
            lines.append(f"  {note.severity}, {note.code}: {note.text}")
            if note.remedy is not None:
                lines.append(f"    → {note.remedy.text}")
    return lines
