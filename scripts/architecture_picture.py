"""Draw docs/architecture.svg from the imports of the code: floors, their rooms, who imports whom.

Run after a change of the structure: python scripts/architecture_picture.py. A test compares.
"""

import ast
from collections import defaultdict
from html import escape
from pathlib import Path

ROOT = Path(__file__).parents[1]
SRC, TARGET = ROOT / "src" / "inertian", ROOT / "docs" / "architecture.svg"
FLOORS = (
    "main",
    "desktop",
    "cli",
    "report",
    "analysis",
    "project",
    "rink",
    "files",
    "physics",
    "motion",
    "quantities",
)
# Rooms from low to high, as import-linter holds them
ROOMS = {
    "desktop": ("look", "state", "shelf", "intake", "bench", "pages", "ledger", "shell"),
    "files": ("cells", "formats", "interpretation"),
    "physics": ("definitions", "evaluation", "readings", "accounts"),
    "motion": ("numerics", "recording", "spans", "fits", "noise", "derivatives"),
}
WIDTH, LEFT, INSIDE, GAP, PLAIN, TALL = 1060, 24, 132, 6, 46, 100
WIDTHS = {"desktop": 74}  # of rooms; 100 elsewhere
MATRIX, DOT = 816, 20
PAPER, SHEET, RULE, INK, SOFT, BRASS = (
    "#F6F1E6",
    "#FFFDF8",
    "#8A8069",
    "#1F2B33",
    "#5C6670",
    "#8A5D0C",
)


def place_of(module: tuple[str, ...]) -> tuple[str, str]:
    """Return floor and room of a module; no room where the floor has none."""
    floor = module[0]
    inside = len(module) > 1 and module[1] in ROOMS.get(floor, ())
    return floor, module[1] if inside else ""


def imports_of(file: Path) -> set[tuple[str, ...]]:
    """Return the modules of ours that a file imports, anywhere in it."""
    found = set()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("inertian"):
            parts = tuple((node.module or "").split(".")[1:])
            found |= {parts or (alias.name,) for alias in node.names}
    return {parts for parts in found if parts[0] in FLOORS}


def measured() -> tuple[dict[tuple[str, str], int], set[tuple[tuple[str, str], tuple[str, str]]]]:
    """Return the modules in each place, and which place imports from which."""
    count: dict[tuple[str, str], int] = defaultdict(int)
    arrows = set()
    for file in sorted(SRC.rglob("*.py")):
        module = file.relative_to(SRC).with_suffix("").parts
        if module[0] in FLOORS and module[-1] != "__init__":
            place = place_of(module)
            count[place] += 1
            arrows |= {(place, place_of(other)) for other in imports_of(file)}
    return dict(count), {(a, b) for a, b in arrows if a != b}


def text(x: float, y: float, words: str, size: int = 13, colour: str = INK, **more: str) -> str:
    """Return a line of text."""
    extra = "".join(f' {key.replace("_", "-")}="{value}"' for key, value in more.items())
    return (
        f'<text x="{x:g}" y="{y:g}" font-size="{size}" '
        f'fill="{colour}"{extra}>{escape(words)}</text>'
    )


def rooms_drawn(floor: str, top: float, count: dict, arrows: set) -> list[str]:
    """Return the rooms of a floor as boxes, with an arc for each import between two of them."""
    parts, middles = [], {}
    width = WIDTHS.get(floor, 100)
    for k, room in enumerate(ROOMS[floor]):
        x = INSIDE + k * (width + GAP)
        middles[room] = x + width / 2
        parts.append(
            f'<rect x="{x:g}" y="{top + 26:g}" width="{width}" height="36" rx="2" '
            f'fill="{PAPER}" stroke="{RULE}"/>'
        )
        middle = {"text_anchor": "middle"}
        parts.append(text(middles[room], top + 41, room, 12, INK, **middle))
        said = counted(count.get((floor, room), 0))
        parts.append(text(middles[room], top + 56, said, 10, SOFT, **middle))
    for (f1, a), (f2, b) in sorted(arrows):
        if f1 == f2 == floor and a and b:
            start, stop, y = middles[a], middles[b], top + 62
            deep = min(8 + 0.045 * abs(stop - start), 34)
            parts.append(
                f'<path d="M{start:g} {y:g} C{start:g} {y + deep:g} {stop:g} {y + deep:g} '
                f'{stop:g} {y:g}" fill="none" stroke="{SOFT}" stroke-width="0.8" '
                f'marker-end="url(#head)"/>'
            )
    return parts


def counted(modules: int) -> str:
    """Return how many modules there are, in words."""
    return "1 module" if modules == 1 else f"{modules} modules"


def summary(floor: str) -> str:
    """Return what a floor says of itself, in its first sentence."""
    own = SRC / floor / "__init__.py"
    file = own if own.exists() else SRC / f"{floor}.py"
    said = ast.get_docstring(ast.parse(file.read_text(encoding="utf-8"))) or ""
    return " ".join(said.split("\n\n")[0].split())


def drawn() -> str:
    """Return the picture."""
    count, arrows = measured()
    between = {(a[0], b[0]) for a, b in arrows if a[0] != b[0]}
    parts, top = [], 64.0
    for k, floor in enumerate(FLOORS):
        x = MATRIX + k * DOT
        parts.append(text(x + 4, 54, floor, 11, SOFT, transform=f"rotate(-60 {x + 4:g} 54)"))
    for floor in FLOORS:
        tall = TALL if floor in ROOMS else PLAIN
        parts.append(
            f'<rect x="{LEFT}" y="{top:g}" width="{MATRIX - LEFT - 24}" height="{tall - 8}" '
            f'rx="2" fill="{SHEET}" stroke="{RULE}"/>'
        )
        parts.append(text(LEFT + 12, top + 24, floor, 15, INK, font_weight="600"))
        parts.append(text(INSIDE, top + 18, summary(floor), 11, SOFT))
        if floor in ROOMS:
            parts += rooms_drawn(floor, top, count, arrows)
        else:
            parts.append(text(INSIDE, top + 32, counted(count[floor, ""]), 10, SOFT))
        for k, other in enumerate(FLOORS):
            here = (floor, other) in between
            colour, size = (BRASS, 5) if here else (RULE, 1.2)
            y = top + (tall - 8) / 2
            parts.append(f'<circle cx="{MATRIX + k * DOT}" cy="{y:g}" r="{size}" fill="{colour}"/>')
        top += tall
    said = (
        "A dot: the floor at the left imports from that one. An arc: a room imports from another."
    )
    parts.append(text(LEFT, top + 16, said, 11, SOFT))
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{top + 32:g}" '
        f'viewBox="0 0 {WIDTH} {top + 32:g}" font-family="IBM Plex Sans, sans-serif">\n'
        f'<defs><marker id="head" markerWidth="6" markerHeight="6" refX="5" refY="3" orient="auto">'
        f'<path d="M0 0 L6 3 L0 6 Z" fill="{SOFT}"/></marker></defs>\n'
        f'<rect width="{WIDTH}" height="{top + 32:g}" fill="{PAPER}"/>\n'
        + "\n".join(parts)
        + "\n</svg>\n"
    )


if __name__ == "__main__":
    TARGET.write_text(drawn(), encoding="utf-8")
