"""What single cells and titles of files mean: numbers, moments, titles, lines above a table."""

import math
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inertian.files.cells.column_titles import Role, read_title
from inertian.files.cells.dialects import (
    align,
    choose_delimiter,
    records_of,
    split_line,
)
from inertian.files.cells.named_values import key_value_records
from inertian.files.cells.number_parsing import decide_decimal, is_missing, looks_numeric, value_of
from inertian.files.cells.time_stamps import epoch_unit, is_moment, shifted_exactly, time_stamps
from inertian.files.interpretation.preamble import read_preamble
from inertian.files.reader import read_bytes
from inertian.files.tab_separated import escape_cell

FINITE = st.floats(-1e9, 1e9, allow_nan=False)


@given(FINITE, st.integers(0, 9), st.sampled_from([".", ","]))
def test_any_number_with_either_mark_is_read_to_the_last_digit(value, decimals, mark):
    text = f"{value:.{decimals}f}"
    grouped_by_chance = decimals == 3 and 1 <= abs(float(text)) < 1000
    found = value_of(text.replace(".", mark), mark)
    assert found == (float(text), "") or (
        grouped_by_chance and found[0] in (float(text), float(text) * 1000)
    )


@given(
    st.integers(-(10**9), 10**9),
    st.integers(0, 99),
    st.sampled_from([(",", "."), (".", ","), (" ", ","), ("’", "."), ("\u202f", ",")]),
)
def test_thousands_marks_are_taken_off(whole, hundredths, marks):
    thousands, decimal = marks
    text = f"{whole:,d}".replace(",", thousands) + decimal + f"{hundredths:02d}"
    value, unit = value_of(text, decimal)
    exact = float(f"{whole}.{hundredths:02d}")
    assert (value, unit) == (exact, "")


@given(FINITE, st.sampled_from("eEdD"), st.integers(0, 12))
def test_exponents_of_either_letter_are_read(value, letter, decimals):
    text = f"{value:.{decimals}e}"
    assert value_of(text.replace("e", letter), ".")[0] == pytest.approx(float(text), rel=1e-15)


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [
        ("−3.5", -3.5, ""), ("–3,5", -3.5, ""), ("+.5", 0.5, ""), ("5.", 5.0, ""), (" 12.3 cm ",
        12.3, "cm"),
        ("12,3cm", 12.3, "cm"), ("100ms", 100.0, "ms"), ("5 %", 5.0, "%"), ("1.2×10^3", 1200.0, ""),
        ("2 m/s", 2.0, "m/s"),
        ("1.5D+02", 150.0, ""), ("1 234,5", 1234.5, ""), ("3.0 m/s²", 3.0, "m/s²"),
    ],
)  # fmt: skip
def test_odd_spellings_of_numbers(text, value, unit):
    assert value_of(text, ",") == (value, unit)


@pytest.mark.parametrize(
    "text",
    ["", "abc", "1_000", "0x10", "1.2.3", "1,2,3", "12:30", "=1+1", "1e", "--5", "1 2", "5 apples",
    "1e999", "..", "1,",
     "nan", "٣", "1" * 70, "2026-11-25", "1.23.456,7"],
)  # fmt: skip
def test_what_is_no_number_is_none(text):
    assert value_of(text, ".") is None


@pytest.mark.parametrize(
    "text",
    ["", "  ", "NA", "n/a", "NaN", "-nan", "null", "None", "-", "--", "—", ".", "?", "#N/A",
    "#DIV/0!", "inf",
     "-Infinity", "1.#QNAN", "missing"],
)  # fmt: skip
def test_words_for_missing(text):
    assert is_missing(text)
    assert not is_missing("0")


@pytest.mark.parametrize(
    ("columns", "mark", "certain"),
    [
        ([["0,5", "1,5"]], ",", True), ([["0.5", "1.5"]], ".", True), ([["1", "2"]], ".", True),
        ([["1,234", "1,301"]], ",", False), ([["1.234", "1.301"]], ".", True), ([["1.234,5"]], ",",
        True),
        ([["1,234.5"]], ".", True), ([["1,234,567"]], ".", True), ([["1.234.567"]], ",", True),
        ([["950", "1,020"]], ".", True), ([["0,123", "1,234"]], ",", True), ([["0,1"], ["1.234"]],
        ",", True),
        ([["0.5"], ["1,234"]], ".", True), ([["1,5", "2.5", "3,5"]], ",", False), ([["1 234,5"]],
        ",", True),
    ],
)  # fmt: skip
def test_the_decimal_mark_is_decided_by_what_cannot_be_read_otherwise(columns, mark, certain):
    found = decide_decimal(columns)
    assert (found.mark, found.certain) == (mark, certain)


TITLES = [
    ("time (s)", "time", "s", "", ""), ("Zeit t / s", "time", "s", "", ""), ("t[ms]", "time", "ms",
    "", ""),
    ("time in ms", "time", "ms", "", ""), ("time, s", "time", "s", "", ""), ("time_us", "time",
    "us", "", ""),
    ("heavy time (s)", "time", "s", "heavy", ""), ("t1 (s)", "time", "s", "1", ""),
    ("Elapsed Time", "time", "", "", ""),
    ("heavy (cm)", "position", "cm", "heavy", ""), ("heavy x (cm)", "position", "cm", "heavy", "x"),
    ("heavy_y_mm", "position", "mm", "heavy", "y"), ("xA (m)", "position", "m", "A", "x"),
    ("x1", "position", "", "1", "x"),
    ("position of heavy in cm", "position", "cm", "heavy", ""), ("Ort x / m", "position", "m", "",
    "x"),
    ("posición (m)", "position", "m", "", ""), ("położenie [cm]", "position", "cm", "", ""),
    ("h (m)", "position", "m", "", "y"),
    ("stone 1 position (m)", "position", "m", "stone 1", ""), ("<b>puck</b> (m)", "position", "m",
    "<b>puck</b>", ""),
    ("stone-A (m)", "position", "m", "stone-A", ""), ("heavyX", "position", "", "heavy", "x"),
    ("velocity (m/s)", "velocity", "m/s", "", ""), ("v / (m/s)", "velocity", "m/s", "", ""),
    ("vx (m/s)", "velocity", "m/s", "", "x"),
    ("speed heavy (cm/s)", "velocity", "cm/s", "heavy", ""), ("x (m/s)", "velocity", "m/s", "",
    "x"),
    ("a (m/s^2)", "acceleration", "m/s^2", "", ""), ("Acc X (m s-2)", "acceleration", "m s-2", "",
    "x"),
    ("a (g)", "acceleration", "gₙ", "", ""),
    ("F (N)", "force", "N", "", ""), ("sled F (mN)", "force", "mN", "sled", ""), ("Kraft in N",
    "force", "N", "", ""),
    ("Frame No.", "frame", "", None, ""), ("no.", "row number", "", None, ""), ("remark", "remark",
    "", None, ""),
    ("temperature (°C)", "other", "°C", None, ""), ("σx (m)", "other", "m", None, ""),
    ("mass (kg)", "other", "kg", None, ""),
    ("x error (mm)", "other", "mm", None, "x"), ("angle (°)", "other", "°", None, ""),
    ("raw (px)", "other", "px", None, ""),
    ("heavy", "unknown", "", "heavy", ""), ("body 1", "unknown", "", "body 1", ""), ("body", "body",
    "", None, ""),
    ("run", "trial", "", None, ""), ("Versuch", "trial", "", None, ""),
]  # fmt: skip


@pytest.mark.parametrize(("raw", "role", "unit", "body", "axis"), TITLES)
def test_titles_are_taken_apart(raw, role, unit, body, axis):
    title = read_title(raw)
    assert (str(title.role), title.unit, title.axis) == (role, unit, axis)
    assert body is None or title.body == body


def test_a_unit_from_elsewhere_settles_what_a_title_leaves_open():
    assert read_title("heavy", "cm").role is Role.POSITION
    assert read_title("value", "N").role is Role.FORCE
    assert read_title("t", "ms").unit == "ms"


ZONES = st.integers(-12, 14).map(lambda h: timezone(timedelta(hours=h)))


@given(
    st.datetimes(datetime(1971, 1, 1), datetime(2090, 1, 1), timezones=ZONES),
    st.lists(st.integers(1, 10**7), min_size=2, max_size=6),
)
def test_iso_times_are_read_to_the_microsecond_whatever_the_zone(start, steps):
    moments = [start + timedelta(microseconds=sum(steps[:k])) for k in range(len(steps) + 1)]
    found = time_stamps([m.isoformat() for m in moments])
    assert found.form == "iso"
    wanted = [(m - start).total_seconds() for m in moments]
    np.testing.assert_allclose(found.seconds, wanted, atol=1e-9)


@pytest.mark.parametrize(
    ("cells", "seconds"),
    [
        (["14:50:01", "14:50:02"], [0, 1]), (["14:50:01.25", "14:50:01,75"], [0, 0.5]),
        (["1:02.5", "1:03.0"], [0, 0.5]),
        (["11:59:59 PM", "12:00:01 AM"], [0, 2]), (["25.11.2026 14:50:01,5",
        "25.11.2026 14:50:02,0"], [0, 0.5]),
        (["11/25/2026 14:50:01", "11/26/2026 14:50:01"], [0, 86400]),
        (["2026-11-25 23:00:00Z", "2026-11-26 01:00:00+01:00"], [0, 3600]),
        (["14:50", "14:51"], [0, 60]),
    ],
)  # fmt: skip
def test_clock_times_and_dates_in_many_spellings(cells, seconds):
    assert all(map(is_moment, cells))
    np.testing.assert_allclose(time_stamps(cells).seconds, seconds)


def test_what_is_no_moment_is_none():
    assert time_stamps(["1.5", "2.5"]) is None
    assert not any(map(is_moment, ["1.5", "abc", "12", "1:2", "99-99", "3.10.5"]))
    assert math.isnan(time_stamps(["14:50:01", "14:99:01", "14:50:03"]).seconds[1])


@given(
    st.integers(8 * 10**17, 35 * 10**17), st.lists(st.integers(0, 10**10), min_size=1, max_size=5)
)
def test_time_stamps_lose_no_nanosecond(first, steps):
    shifted = shifted_exactly([str(first), *(str(first + s) for s in steps)])
    assert shifted.tolist() == [0.0, *map(float, steps)]


def test_time_stamps_are_told_by_their_size():
    assert epoch_unit(np.array([1.7956e9, 1.7957e9]), None) == "s"
    assert epoch_unit(np.array([1.7956e12]), "ms") == "ms"
    assert epoch_unit(np.array([1.7956e12]), "s") is None
    assert epoch_unit(np.array([12.0, 13.0]), None) is None
    stamp = datetime(2026, 11, 25, tzinfo=UTC).timestamp()
    assert epoch_unit(np.array([stamp * 1e6]), None) == "µs"


@pytest.mark.parametrize(
    ("line", "rate", "scale"),
    [
        ("50 frames per second", 50.0, None), ("Bildrate: 25", 25.0, None), ("fps = 29,97", 29.97,
        None),
        ("recorded at 240 Hz", 240.0, None),
        ("scale: 412 px = 1.000 m", None, 1 / 412), ("1 m = 412 px", None, 1 / 412), ("2.43 mm/px",
        None, 0.00243),
        ("412 ± 2 px = 100.0 cm", None, 1 / 412), ("412 px per m", None, 1 / 412),
        ("nothing of this", None, None), ("filmed at 300 fps, exported as 25 fps", None, None),
    ],
)  # fmt: skip
def test_lines_above_a_table_tell_rate_and_scale_unless_they_contradict_themselves(
    line, rate, scale
):
    clues = read_preamble([f"# {line}"], 3)
    assert clues.frame_rate == rate
    assert (clues.scale.value if clues.scale else None) == (pytest.approx(scale) if scale else None)


def test_units_are_told_in_lists_and_sentences():
    assert read_preamble(["# units: s, cm, cm"], 3).by_place == ("s", "cm", "cm")
    assert read_preamble(["time in ms, positions in mm"], 3).by_role == {
        Role.TIME: "ms",
        Role.POSITION: "mm",
    }


CELL = st.text(
    st.characters(
        codec="utf-8", exclude_characters='"\r\n', exclude_categories=["Cs", "Zl", "Zp", "Cc"]
    ),
    max_size=8,
)


@given(st.lists(CELL, min_size=1, max_size=6), st.sampled_from([",", ";", "\t"]))
def test_quoted_cells_may_hold_the_delimiter(cells, delimiter):
    line = delimiter.join(f'"{c}"' for c in cells)
    assert list(split_line(line, delimiter)) == cells


@given(
    st.lists(st.lists(FINITE, min_size=3, max_size=3), min_size=3, max_size=20),
    st.sampled_from([",", ";", "\t", "|", "&", "::"]),
)
def test_any_delimiter_is_found(rows, delimiter):
    lines = ["time", *(delimiter.join(f"{v:.3f}" for v in row) for row in rows)]
    assert choose_delimiter(lines)[0] == delimiter


def test_blanks_in_aligned_columns_are_found_by_their_place():
    lines = ["0.0   1.00   2.00", "0.1          2.10", "0.2   1.20", "0.3   1.30   2.30"]
    records = align(records_of(lines, "whitespace"), lines, 3)
    assert [r.cells for r in records][1:3] == [("0.1", "", "2.10"), ("0.2", "1.20", "")]


def test_names_and_values_become_a_table():
    lines = ["t=0.0 x=1.5 cm", "noise", "t=0.1 x=1.6 cm", "t=0.2 x=1.7 cm", "t=0.3 x=1.8 cm"]
    records = key_value_records(lines)
    assert records[0].cells == ("t", "x")
    assert records[1].cells == ("0.0", "1.5 cm")
    assert records[2].cells == ("noise",)
    assert key_value_records(["0.1,0.2", "0.2,0.3"]) is None


@pytest.mark.parametrize("cell", ["=1+1", "+A1", "-2+3", "@SUM(A1)", "\t=1", " =1"])
def test_cells_that_a_spreadsheet_would_run_are_disarmed(cell):
    assert escape_cell(cell).startswith("'")
    assert escape_cell("heavy x (cm)") == "heavy x (cm)"


def test_names_of_things_are_no_numbers():
    assert not any(map(looks_numeric, ["1a", "2nd", "stone", "x1", "v1.4.2", "3 stones"]))


def test_quoted_titles_of_aligned_columns_may_be_blank():
    text = '"" "t (s)" "" "x (m)" ""\n' + "".join(f"{k} {0.1 * k:.1f} {k}\n" for k in range(9))
    assert read_bytes("blank.txt", text.encode()).refused is None
