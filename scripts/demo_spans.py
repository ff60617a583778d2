"""Write the spans that the finder suggests for the demo's recordings, so that starting the demo
need not search.

Run after a change of the finder or of the demo's recordings: python scripts/demo_spans.py
"""

import json
from pathlib import Path

from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.rink.day import day

TARGET = Path(__file__).parents[1] / "src" / "inertian" / "project" / "demo_spans.json"


def main() -> None:
    """Search all trials of the demo and write what was found."""
    found = {}
    for file in day():
        for trial in trials_of(read_bytes(file.name, file.content)):
            spans = suggest_spans(trial)
            found[trial.id] = [
                [s.name, s.kind, s.start, s.stop, list(s.bodies), s.why] for s in spans
            ]
    lines = ",\n".join(
        f" {json.dumps(k)}: {json.dumps(v, ensure_ascii=False)}" for k, v in found.items()
    )
    TARGET.write_text(f"{{\n{lines}\n}}\n", encoding="utf-8")


if __name__ == "__main__":
    main()
