"""Small pictures of every kind of event that an account is drawn up of, for the guide: how the body
moves in time, and at which dates the account has its amounts.

Run: .venv/bin/python scripts/event_pictures.py
"""

import sys
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "benchmarks"))

import accounts  # noqa: E402

from inertian.analysis.evaluation import Evaluator  # noqa: E402
from inertian.motion.spans.spans import SpanKind  # noqa: E402
from inertian.project.project import Project  # noqa: E402
from inertian.project.ready_projects import ready_project  # noqa: E402
from inertian.quantities.errors import InertianError  # noqa: E402

FOLDER = ROOT / "docs" / "events"
SIZE, LEFT, TOP, FOOT = (420, 190), 16, 26, 40  # px
INK, SOFT, SHEET, TINT = "#22303a", "#6b6f72", "#fffdf8", "#e6d9dd"
LINES = ("", "6 3", "2 3")  # of bodies, told apart without colour
MADE = ("hit", "wall", "bumper", "slope", "down", "fall", "hops", "swing", "glance", "repulsion",
        "parting", "thrust", "launched", "dropped", "dragged")  # fmt: skip
NAME = 74  # px that the name of a date needs
TITLES = {"dragged": "gliding, slowed by drag"}
READY = {"towed": "Towed sled"}


def project_of(kind: str) -> tuple[Project, str] | None:
    """A trial of a kind that is recognised as such, and its id."""
    if kind in READY:
        project = ready_project(READY[kind]).project
        return project, project.entries[0].trial.id
    make, events = accounts.KINDS[kind]
    for seed in range(40):
        project = accounts.project_of(make(np.random.default_rng([seed, 3])))
        found = Evaluator().accounts(project, "made")
        if not isinstance(found, InertianError) and found.event == events[0]:
            return project, "made"
    return None


def picture(kind: str, project: Project, trial_id: str) -> str:
    """The picture as SVG."""
    found = Evaluator().accounts(project, trial_id)
    assert not isinstance(found, InertianError), str(found)
    entry = project.entry(trial_id)
    t = entry.trial.t
    curves = [
        (body.name, channel.axis, channel.si)
        for body in entry.trial.bodies
        for channel in (body.channels or body.sensors[:1])
    ]
    width, height = SIZE
    title = TITLES.get(kind, found.event)

    def place(time: float) -> float:
        return LEFT + (time - t[0]) / (t[-1] - t[0]) * (width - 2 * LEFT)

    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" '
        f'viewBox="0 0 {width} {height}" font-family="sans-serif" font-size="11">',
        f'<rect width="{width}" height="{height}" fill="{SHEET}"/>',
        f'<text x="{LEFT}" y="16" fill="{INK}" font-size="13">{escape(title)}</text>',
    ]
    for span in entry.spans:
        if span.kind.event and span.kind is not SpanKind.PUSH:
            x, wide = place(span.start), max(place(span.stop) - place(span.start), 1.0)
            parts.append(
                f'<rect x="{x:.1f}" y="{TOP}" width="{wide:.1f}" height="{height - TOP - FOOT}" '
                f'fill="{TINT}"/>'
            )
    for number, (_body, _axis, y) in enumerate(curves):
        low, high = float(np.nanmin(y)), float(np.nanmax(y))
        rows = np.unique(np.linspace(0, len(t) - 1, 160).astype(int))
        ends = height - FOOT - 6, TOP + 6
        heights = ends[0] + (y - low) / (high - low or 1.0) * (ends[1] - ends[0])
        points = " ".join(f"{place(t[k]):.1f},{heights[k]:.1f}" for k in rows if np.isfinite(y[k]))
        dash = LINES[number % len(LINES)]
        parts.append(
            f'<polyline points="{points}" fill="none" stroke="{INK}" stroke-width="1.5" '
            f'stroke-dasharray="{dash}"/>'
        )
    ends_at = [-1e9, -1e9]  # of two rows of names
    for date in found.ledgers[0].dates:
        x = place(date.t)
        row = next((k for k, end in enumerate(ends_at) if x - end >= NAME), None)
        parts.append(
            f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{TOP}" y2="{height - FOOT}" stroke="{SOFT}" '
            'stroke-dasharray="1 2"/>'
        )
        if row is None:
            continue
        ends_at[row] = x
        anchor = "start" if x < 60 else "end" if x > width - 60 else "middle"
        parts.append(
            f'<text x="{x:.1f}" y="{height - FOOT + 14 + 13 * row}" fill="{SOFT}" '
            f'text-anchor="{anchor}">{escape(date.name)}</text>'
        )
    names = ", ".join(f"{body} {axis}" for body, axis, _ in curves)
    parts.append(
        f'<text x="{width - LEFT}" y="16" fill="{SOFT}" text-anchor="end">{escape(names)} '
        "in time</text></svg>\n"
    )
    return "".join(parts)


def main() -> None:
    """Write the pictures."""
    FOLDER.mkdir(exist_ok=True)
    for kind in (*MADE, *READY):
        made = project_of(kind)
        if made is None:
            print(f"no picture of {kind}")
            continue
        (FOLDER / f"{kind}.svg").write_text(picture(kind, *made), encoding="utf-8")


if __name__ == "__main__":
    main()
