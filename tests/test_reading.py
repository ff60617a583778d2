"""One table in every container gives the same trial; the fast and the careful way agree; workbooks
cell by cell.
"""

import gzip
import io
import json
import random
import zipfile
from xml.sax.saxutils import escape

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inertian.files.cells.findings import Code
from inertian.files.cells.recipes import ColumnRule, Recipe
from inertian.files.interpretation import large_tables
from inertian.files.interpretation.file_description import sentences
from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of


def codes(reading):
    return sorted(str(f.code) for f in reading.findings)


# -- a workbook of our own making ------------------------------------------------------------------

WORKBOOK = (
    '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" '
    'xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>{sheets}</sheets></workbook>'
)
RELATIONS = (
    "<Relationships "
    'xmlns="http://schemas.openxmlformats.org/package/2006/relationships">{all}</Relationships>'
)
KIND = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/"
MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
SHEET = f"<worksheet {MAIN}><sheetData>{{rows}}</sheetData></worksheet>"
FORMATS = "".join(f'<xf numFmtId="{n}"/>' for n in (0, 21, 22))  # plain, time of day, date
STYLES = f'<styleSheet {MAIN}><cellXfs count="3">{FORMATS}</cellXfs></styleSheet>'


def cell(place, value):
    """One cell: text, number, ("f", formula, cached or None), ("time", fraction of a day) or
    ("date", days).
    """
    if isinstance(value, str):
        return f'<c r="{place}" t="inlineStr"><is><t>{escape(value)}</t></is></c>' if value else ""
    if isinstance(value, tuple) and value[0] == "f":
        return (
            f'<c r="{place}"><f>{value[1]}</f>'
            + (f"<v>{value[2]}</v>" if value[2] is not None else "")
            + "</c>"
        )
    if isinstance(value, tuple):
        return f'<c r="{place}" s="{1 if value[0] == "time" else 2}"><v>{value[1]!r}</v></c>'
    return f'<c r="{place}"><v>{value!r}</v></c>'


def workbook(sheets, hidden=()):
    """Return an xlsx with these sheets: {name: rows}."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        names, relations = "", f'<Relationship Id="s" Type="{KIND}styles" Target="styles.xml"/>'
        for k, (name, rows) in enumerate(sheets.items(), start=1):
            state = ' state="hidden"' if name in hidden else ""
            names += f'<sheet name="{name}" sheetId="{k}" r:id="r{k}"{state}/>'
            relations += (
                f'<Relationship Id="r{k}" Type="{KIND}worksheet" Target="worksheets/sheet{k}.xml"/>'
            )
            body = "".join(
                f'<row r="{i}">'
                + "".join(cell(f"{'ABCDEFG'[j]}{i}", v) for j, v in enumerate(row))
                + "</row>"
                for i, row in enumerate(rows, start=1)
            )
            archive.writestr(f"xl/worksheets/sheet{k}.xml", SHEET.format(rows=body))
        archive.writestr("[Content_Types].xml", "<Types/>")
        archive.writestr("xl/workbook.xml", WORKBOOK.format(sheets=names))
        archive.writestr("xl/styles.xml", STYLES)
        archive.writestr("xl/_rels/workbook.xml.rels", RELATIONS.format(all=relations))
        root = f'<Relationship Id="w" Type="{KIND}officeDocument" Target="xl/workbook.xml"/>'
        archive.writestr("_rels/.rels", RELATIONS.format(all=root))
    return out.getvalue()


def npz(columns):
    out = io.BytesIO()
    np.savez(out, **{k: np.array(v) for k, v in columns.items()})
    return out.getvalue()


def parquet(columns):
    import polars as pl

    out = io.BytesIO()
    pl.DataFrame(columns).write_parquet(out)
    return out.getvalue()


def zipped(name, content):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(name, content)
    return out.getvalue()


def text_of(columns):
    rows = zip(*columns.values(), strict=True)
    return (
        ",".join(columns) + "\n" + "".join(",".join(map(repr, row)) + "\n" for row in rows)
    ).encode()


CONTAINERS = {
    "a.csv": text_of,
    "a.csv.gz": lambda c: gzip.compress(text_of(c)),
    "a.zip": lambda c: zipped("a.csv", text_of(c)),
    "columns.json": lambda c: json.dumps(c).encode(),
    "records.json": lambda c: json.dumps(
        [dict(zip(c, row, strict=True)) for row in zip(*c.values(), strict=True)]
    ).encode(),
    "rows.json": lambda c: json.dumps(
        {"columns": list(c), "data": list(zip(*c.values(), strict=True))}
    ).encode(),
    "a.jsonl": lambda c: "\n".join(
        json.dumps(dict(zip(c, r, strict=True))) for r in zip(*c.values(), strict=True)
    ).encode(),
    "a.xlsx": lambda c: workbook({"S": [list(c), *map(list, zip(*c.values(), strict=True))]}),
    "a.npz": npz,
    "a.parquet": parquet,
}
VALUE = st.floats(-50, 50).map(lambda x: round(x, 6))


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from([0.02, 0.1, 1 / 30]), st.lists(st.tuples(VALUE, VALUE), min_size=4, max_size=40)
)
@pytest.mark.parametrize("name", CONTAINERS)
def test_a_table_is_the_same_in_every_container_to_the_last_bit(name, step, pairs):
    columns = {
        "time (s)": [k * step for k in range(len(pairs))],
        "heavy (m)": [a for a, _ in pairs],
        "light (m)": [b for _, b in pairs],
    }
    reading = read_bytes(name, CONTAINERS[name](columns))
    assert reading.refused is None
    (trial,) = reading.trials
    assert trial.time.seconds.tolist() == columns["time (s)"]
    for body in trial.bodies:
        assert body.channels[0].si.tolist() == columns[f"{body.name} (m)"]


def test_a_workbook_with_everything_that_workbooks_have():
    rows = [["Ice rink"], [], ["time", "heavy (cm)", "doubled"]]
    rows += [
        [("time", (53401 + k) / 86400), 10.0 + k, ("f", "B4*2", 2 * (10.0 + k))] for k in range(6)
    ]
    rows += [["mean", ("f", "AVERAGE(B4:B9)", 12.5)]]
    reading = read_bytes(
        "a.xlsx", workbook({"film": rows, "old": rows, "notes": [["by Kim"]]}, hidden=["old"])
    )
    assert codes(reading) == ["hidden-sheet", "skipped-lines"]
    (trial,) = reading.trials
    np.testing.assert_allclose(trial.time.seconds, np.arange(6.0), atol=1e-6)
    np.testing.assert_allclose(trial.bodies[0].channels[0].si, np.arange(10, 16) / 100)


def test_dates_of_a_workbook_and_formulas_never_computed():
    rows = [
        ["date", "x (m)", "y (m)"],
        *([("date", 46351.5 + k / 86400), float(k), ("f", "B2", None)] for k in range(5)),
    ]
    reading = read_bytes("a.xlsx", workbook({"S": rows}))
    assert codes(reading) == ["formula-uncached"]
    np.testing.assert_allclose(reading.trials[0].time.seconds, np.arange(5.0), atol=1e-3)


# -- the fast way and the careful way --------------------------------------------------------------

ODD = [
    b"",
    b"nan",
    b"1e400",
    b"OK",
    b"0x1F",
    b" 1.5",
    b"1_0",
    b"1.5D+02",
    b'"2.5"',
    b"-",
    b"1,5",
    b"inf",
    b"+3",
    b"5.",
    b".5",
]


def spoilt(rng, delimiter):
    """A long table with a few of its cells, lines or line ends changed."""
    t = [f"{k / 100:.2f}" for k in range(3000)]
    rows = [[a, f"{rng.uniform(0, 3):.4f}", f"{rng.uniform(0, 3):.4f}"] for a in t]
    lines = [delimiter.join(r).encode() for r in rows]
    for _ in range(rng.randint(0, 3)):
        k = rng.randrange(20, len(lines))
        match rng.randint(0, 5):
            case 0:
                cells = lines[k].split(delimiter.encode())
                cells[rng.randint(1, len(cells) - 1)] = rng.choice(ODD)
                lines[k] = delimiter.encode().join(cells)
            case 1:
                lines[k] = b"battery low"
            case 2:
                lines[k] = lines[k] + delimiter.encode() + b"7"
            case 3:
                lines[k] = b""
            case 4:
                lines[k] = lines[k].rpartition(delimiter.encode())[0]
            case _:
                lines[k] += b"\r"
    return (
        f"time (s){delimiter}heavy (m){delimiter}light (m)\n".encode()
        + b"\n".join(lines)
        + rng.choice([b"", b"\n"])
    )


@pytest.mark.parametrize("seed", range(40))
def test_the_fast_way_gives_what_the_careful_way_gives(seed, monkeypatch):
    content = spoilt(random.Random(seed), random.Random(seed).choice([",", ";", "\t"]))
    monkeypatch.setattr(large_tables, "LEAST_BYTES", 10**9)
    careful = read_bytes("a.csv", content)
    monkeypatch.setattr(large_tables, "LEAST_BYTES", 1000)
    fast = read_bytes("a.csv", content)
    assert codes(fast) == codes(careful)
    for one, two in zip(fast.trials, careful.trials, strict=True):
        np.testing.assert_array_equal(one.time.seconds, two.time.seconds)
        assert [(u.line, u.text) for u in one.unusable] == [(u.line, u.text) for u in two.unusable]
        for a, b in zip(one.bodies, two.bodies, strict=True):
            np.testing.assert_array_equal(a.channels[0].si, b.channels[0].si)


@pytest.mark.parametrize(("end", "mark"), [("\n", "."), ("\r\n", "."), ("\n", ","), ("\r\n", ",")])
def test_the_fast_way_takes_either_line_end_and_mark(end, mark, monkeypatch):
    monkeypatch.setattr(large_tables, "LEAST_BYTES", 1000)
    taken = []
    honest = large_tables.BulkTable.fill
    monkeypatch.setattr(large_tables.BulkTable, "fill", lambda *a: taken.append(1) or honest(*a))
    lines = [
        "time (s);heavy (m)",
        *(f"{k / 50:.2f};{k * 0.125:.3f}".replace(".", mark) for k in range(1000)),
    ]
    trial = read_bytes("a.csv", end.join([*lines, ""]).encode()).trials[0]
    assert taken
    np.testing.assert_allclose(trial.bodies[0].channels[0].si, np.arange(1000) * 0.125)


def test_long_time_stamps_lose_no_digit_on_the_fast_way(monkeypatch):
    monkeypatch.setattr(large_tables, "LEAST_BYTES", 1000)
    lines = ["timestamp,heavy (m)", *(f"{1795617000 + k / 1000:.6f},{k}" for k in range(2000))]
    trial = read_bytes("a.csv", "\n".join(lines).encode()).trials[0]
    np.testing.assert_array_equal(trial.time.seconds, np.round(np.arange(2000) / 1000, 6))


# -- from what was read to a trial -----------------------------------------------------------------


def test_a_trial_is_sorted_and_keeps_the_first_of_equal_times():
    reading = read_bytes(
        "a.csv", b"time (s),heavy (m)\n0.0,1\n0.2,3\n0.1,2\n0.2,99\n0.3,4\n0.4,5\n"
    )
    assert codes(reading) == ["duplicate-time", "time-not-sorted"]
    trial = trials_of(reading)[0]
    assert trial.t.tolist() == [0.0, 0.1, 0.2, 0.3, 0.4]
    assert trial.bodies[0].channels[0].si.tolist() == [1, 2, 3, 4, 5]


def test_a_recipe_turns_directions_names_and_uses():
    content = b"time (s),one (m),two (m),F (N)\n0,1,5,2\n1,2,6,3\n2,4,7,5\n"
    rules = (
        ColumnRule("two (m)", 2, "other"),
        ColumnRule("one (m)", 1, "position", "one", "y", "cm"),
    )
    recipe = Recipe(columns=rules, flip=("y", "x"), names=(("one", "granite"),))
    reading = read_bytes("a.csv", content, recipe)
    trial = trials_of(reading)[0]
    (body,) = trial.bodies
    assert (body.name, body.axes, [s.axis for s in body.sensors]) == ("granite", ("y",), ["F"])
    np.testing.assert_allclose(body.channel("y").si, [-0.01, -0.02, -0.04])
    np.testing.assert_allclose(body.sensors[0].si, [-2, -3, -5])
    said = sentences(reading)
    assert said[0] == "comma between columns, decimal point"
    assert "1 body: granite (y in cm, force in N)" in said
    assert any(s.startswith("left out: two (m)") for s in said)


def test_what_was_understood_is_said_with_evidence_and_how_sure_it_is():
    reading = read_bytes("a.csv", b"time (s);heavy (cm)\n0,0;1,5\n0,1;2,5\n0,2;4,5\n")
    said = {c.topic: c for c in reading.conclusions if c.topic != "column"}
    assert said["delimiter"].text == "semicolon"
    assert said["decimal"].text == "comma"
    assert "0,0" in said["decimal"].evidence
    assert all(0.0 <= c.confidence <= 1.0 for c in reading.conclusions)
    doubt = read_bytes("a.csv", b"t (s)\theavy (m)\n0\t1,234\n1\t1,301\n2\t1,402\n")
    assert min(c.confidence for c in doubt.conclusions) <= 0.5
    assert Code.AMBIGUOUS_DECIMAL in {f.code for f in doubt.findings}
