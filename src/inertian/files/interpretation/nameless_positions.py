"""Positions whose titles name no body: x, y, x, y may be two bodies, or one recorded twice;
four columns without titles two bodies in the plane, or four on a line.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from inertian.files.cells.column_titles import Role
from inertian.files.interpretation.columns import Column

RECORDED_AGAIN = "the same body recorded once more"


def in_pairs(
    candidates: Sequence[Column],
    roles: Mapping[int, Role],
    named_by: Column | None,
    bodies: int | None,
) -> tuple[list[Column], tuple[int, ...], list[Column]]:
    """Return columns with nameless positions given to bodies in pairs of x and y, unless `bodies`
    says otherwise, to how many bodies they can belong, and the columns that are left over.

    `named_by` is a column that names the body of each row, if there is one; then nothing is paired.
    """
    found = list(candidates)
    nameless = [
        c
        for c in found
        if roles[c.place] in (Role.POSITION, Role.UNKNOWN)
        and not c.title.body
        and (c.title.axis or not c.title.name)
    ]
    axes = [c.title.axis for c in nameless]
    pairs, odd = divmod(len(nameless), 2)
    if odd or pairs < 2 or named_by is not None:
        return found, (), []
    if axes == ["x", "y"] * pairs:
        counts = (pairs, 1)
    elif not any(axes):
        counts = (pairs, 2 * pairs)
    else:
        return found, (), []
    count = bodies if bodies in counts else pairs
    spare = nameless[2:] if count == 1 else []
    renamed = {}
    for number, c in enumerate(nameless if count > 1 else ()):
        body, axis = (number // 2, "xy"[number % 2]) if count == pairs else (number, "x")
        renamed[c.place] = replace(c, title=replace(c.title, body=f"body {body + 1}", axis=axis))
    left = {c.place for c in spare}
    return [renamed.get(c.place, c) for c in found if c.place not in left], counts, spare
