"""What each column of a table is for, decided from its title and its values."""

import numpy as np
import pytest

from inertian.files.cells.column_titles import Role, read_title
from inertian.files.interpretation.column_roles import (
    counts_up,
    evenly_spaced,
    lay_out,
    never_falls,
    rising,
)
from inertian.files.interpretation.columns import columns_of
from inertian.files.interpretation.tables import Table

ROWS = 12


def layout(titles, *columns, chosen=None):
    cells = [tuple(str(v) for v in row) for row in zip(*columns, strict=True)]
    units = ("",) * len(titles)
    table = Table(titles, units, cells, range(1, len(cells) + 1), headed=any(titles))
    return lay_out(columns_of(table, ".", units), any(titles), chosen)


TIME = [round(0.1 * k, 3) for k in range(ROWS)]
PLACE = [round(0.03 * k * k - 0.2, 4) for k in range(ROWS)]
OTHER = [round(1.0 - 0.05 * k, 3) for k in range(ROWS)]


@pytest.mark.parametrize("order", [(0, 1, 2), (2, 0, 1), (1, 2, 0)])
def test_titles_say_what_columns_are_in_any_order(order):
    titles, columns = ("time (s)", "heavy (m)", "light (m)"), (TIME, PLACE, OTHER)
    found = layout(tuple(titles[k] for k in order), *(columns[k] for k in order))
    assert found.time.title.raw == "time (s)"
    assert {u.body: u.column.title.raw for u in found.uses} == {
        "heavy": "heavy (m)",
        "light": "light (m)",
    }


def test_without_titles_a_rising_column_in_front_is_the_time():
    found = layout(("", "", ""), TIME, OTHER, PLACE)
    assert found.time.place == 0
    assert sorted(u.column.place for u in found.uses) == [1, 2]


def test_what_is_made_of_other_columns_or_counts_rows_is_left_out_with_a_reason():
    found = layout(
        ("no", "t (s)", "x (m)", "speed (m/s)"), range(1, ROWS + 1), TIME, PLACE, np.gradient(PLACE)
    )
    assert [u.column.title.raw for u in found.uses if u.axis == "x"] == ["x (m)"]
    reasons = {c.title.raw: why for c, why in found.left_out}
    assert "no" in reasons
    assert all(reasons.values())


def test_a_recipe_has_the_last_word():
    found = layout(("time (s)", "a", "b"), TIME, PLACE, OTHER, chosen={1: Role.REMARK})
    assert [u.column.title.raw for u in found.uses] == ["b"]


def test_a_column_of_names_tells_bodies_apart():
    names = ["heavy", "light"] * (ROWS // 2)
    found = layout(("t", "who", "x"), [t for t in TIME[: ROWS // 2] for _ in (0, 1)], names, PLACE)
    assert found.body.title.raw == "who"


def test_questions_about_values_hold_for_flaws_and_restarts():
    assert rising(np.array([0.0, 1.0, 2.0, 0.5, 3.0, 4.0]))
    assert not rising(np.array([3.0, 2.0, 1.0]))
    assert not rising(np.array([1.0]))
    assert never_falls(np.array([0.0, 0.0, 1.0, 1.0]))
    assert not never_falls(np.array([0.0, 0.0]))
    assert counts_up(np.arange(5.0))
    assert not counts_up(np.array([0.0, 0.1, 0.2]))
    assert evenly_spaced(np.linspace(0.0, 1.0, 9))
    assert not evenly_spaced(np.array([0.0, 0.1, 0.5, 0.6]))


def test_a_body_called_p_is_no_momentum_where_it_has_a_place():
    title = read_title("p x (m)")
    assert (title.role, title.body, title.axis) == (Role.POSITION, "p", "x")
    assert read_title("p (kg m/s)").role is Role.OTHER
