"""Reading any table: the ugly files with their hand-written values, random layouts, hostile bytes,
recipes.
"""

import gzip
import io
import json
import sys
import zipfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from inertian.files.cells.findings import Code
from inertian.files.cells.recipes import (
    ColumnRule,
    Recipe,
    RecipeError,
    Stated,
    read_recipe,
    recipe_json,
)
from inertian.files.interpretation.assembly import FRAME
from inertian.files.reader import read_bytes, read_file
from inertian.files.trial_building import trials_of
from inertian.motion.recording.trials import TrialError
from inertian.quantities.units import ascii_symbol
from inertian.rink.day import day

UGLY = Path(__file__).parent / "ugly"
EXPECTED = json.loads((UGLY / "expected.json").read_text())
sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))


def codes(reading):
    return sorted({str(f.code) for f in reading.findings})


@pytest.mark.parametrize("name", EXPECTED)
def test_an_ugly_file_gives_its_hand_written_values(name):
    wanted, reading = EXPECTED[name], read_file(UGLY / name)
    assert codes(reading) == wanted["codes"]
    assert [str(q.topic) for q in reading.questions] == wanted.get("asks", [])
    if "refused" in wanted:
        assert wanted["refused"] in reading.refused.why
        assert reading.trials == ()
        return
    assert reading.refused is None
    assert len(reading.trials) == len(wanted["trials"])
    for trial, expected in zip(reading.trials, wanted["trials"], strict=True):
        check_trial(trial, expected)


def check_trial(trial, expected):
    np.testing.assert_allclose(trial.time.seconds, expected["t"], rtol=1e-12, atol=1e-12)
    assert expected["unit"] in (None, trial.time.unit.symbol)
    assert expected.get("name", trial.name) == trial.name
    assert (
        expected.get("unusable", []) == [u.line for u in trial.unusable]
        or "unusable" not in expected
    )
    assert [b.name for b in trial.bodies] == list(expected["bodies"])
    for body in trial.bodies:
        channels = expected["bodies"][body.name]
        assert {c.axis for c in body.channels} == set(channels)
        clock = expected.get("clocks", {}).get(body.name)
        assert (body.time is None) == (clock is None)
        assert clock is None or np.allclose(body.time.seconds, clock)
        for channel in body.channels:
            unit, values = channels[channel.axis]
            assert ascii_symbol(channel.unit) == unit
            np.testing.assert_allclose(
                channel.si, np.array(values, dtype=float), rtol=1e-12, atol=1e-12
            )


@given(st.data())
@settings(max_examples=300, deadline=None)
def test_one_garbled_line_of_a_stream_is_one_unusable_line_and_no_new_trial(data):
    n, step = data.draw(st.integers(20, 120)), data.draw(st.sampled_from([1, 7, 10, 20, 33]))
    start = data.draw(st.sampled_from([0, 5, 12_345, 99_990]))
    times = [start + step * k for k in range(n)]
    lines = [f"{t},{100 + 3 * k}" for k, t in enumerate(times)]
    place = data.draw(st.integers(1, n - 2))
    kind = data.draw(st.sampled_from(["together", "lost", "cut", "extra"]))
    before = lines[place]
    if kind == "together":
        lines[place : place + 2] = [lines[place] + lines[place + 1]]
    elif kind == "extra":
        lines[place] = f"{times[place]}{times[place]},{100 + 3 * place}"
    elif kind == "lost":
        lines[place] = before[1:]
    else:
        lines[place] = before[: before.index(",") + 1]
    reading = read_bytes("stream.csv", ("millis,x (mm)\n" + "\n".join(lines) + "\n").encode())
    assert len(reading.trials) == 1
    trial = reading.trials[0]
    kept = dict(zip(times, range(n), strict=True))
    told = {u.line for u in trial.unusable} | {line for f in reading.findings for line in f.lines}
    for t, x in zip(trial.time.values, trial.bodies[0].channels[0].values, strict=True):
        right = t in kept and (np.isnan(x) or x == 100 + 3 * kept[t])
        right = right or times[place - 1] < t < times[place + 1]  # it might have been taken then
        assert right or place + 2 in told, (kind, lines[place], t, x)


DELIMITERS = {",": ".", ";": ",", "\t": ",", "|": ".", "  ": "."}


@st.composite
def layouts(draw):
    """A random table: values on a grid of decimals, and how it is written."""
    n = draw(st.integers(4, 30))
    decimals = draw(st.integers(1, 5))
    bodies = draw(
        st.lists(
            st.sampled_from(["heavy", "light", "sled", "puck", "stone A"]), min_size=1, unique=True
        )
    )
    step = draw(st.sampled_from([0.02, 0.1, 1 / 30, 0.5]))
    # 999 may stand for missing
    whole = st.integers(-(10**6), 10**6).filter(lambda k: set(str(abs(k))) != {"9"})
    whole = whole.map(lambda k: k / 10**decimals)
    columns = [
        draw(st.lists(whole, min_size=n, max_size=n).filter(lambda v: len(set(v)) > 2))
        for _ in bodies
    ]
    delimiter = draw(st.sampled_from(list(DELIMITERS)))
    if " " in delimiter:
        bodies = [b.replace(" ", "_") for b in bodies]
    return {
        "t": [round(k * step, 6) for k in range(n)], "bodies": bodies, "columns": columns,
        "decimals": decimals,
        "delimiter": delimiter, "decimal": draw(st.sampled_from([".", DELIMITERS[delimiter]])),
        "unit": draw(st.sampled_from(["m", "cm", "mm"])), "end": draw(st.sampled_from(["\n", "\r\n",
        "\r"])),
        "encoding": draw(st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"])),
        "preamble": draw(st.lists(st.sampled_from(["# lane 2", "# seen by Ada", ""]), max_size=4)),
        "brackets": draw(st.sampled_from(["({})", "[{}]", "/ {}"])),
    }  # fmt: skip


def written(w):
    glue = " " if w["delimiter"] != "  " else ""
    titles = [
        f"{name}{glue}{w['brackets'].format(u)}"
        for name, u in [("time", "s"), *((b, w["unit"]) for b in w["bodies"])]
    ]
    if not glue:
        titles = [t.replace(" ", "") for t in titles]
    rows = [
        [f"{t:.6f}", *(f"{c[k]:.{w['decimals']}f}" for c in w["columns"])]
        for k, t in enumerate(w["t"])
    ]
    body = [w["delimiter"].join(r).replace(".", w["decimal"]) for r in rows]
    return (
        w["end"]
        .join([*w["preamble"], w["delimiter"].join(titles), *body, ""])
        .encode(w["encoding"])
    )


@settings(max_examples=300, deadline=None, suppress_health_check=list(HealthCheck))
@given(layouts())
def test_what_is_written_in_any_layout_is_read_back(w):
    reading = read_bytes("made.txt", written(w))
    if any(q.topic == "decimal" for q in reading.questions):
        return  # asked, and not guessed
    trial = reading.trials[0]
    factor = {"m": 1.0, "cm": 0.01, "mm": 0.001}[w["unit"]]
    np.testing.assert_allclose(trial.time.seconds, w["t"], atol=1e-12)
    assert [b.name.replace(" ", "_") for b in trial.bodies] == [
        b.replace(" ", "_") for b in w["bodies"]
    ]
    for body, column in zip(trial.bodies, w["columns"], strict=True):
        np.testing.assert_allclose(body.channels[0].si, np.array(column) * factor, rtol=1e-12)


def test_mutated_files_end_in_a_reading_or_a_reason():
    import fuzz

    assert fuzz.run(600, seed=3) == []


def test_a_large_clean_table_is_read_in_bulk_to_the_same_values(monkeypatch):
    from inertian.files.interpretation import large_tables

    rng = np.random.default_rng(4)
    t, x = np.arange(20_000) / 100, np.round(rng.normal(0, 1, 20_000), 4)
    text = "".join(f"{a:.2f};{b:.4f}\n" for a, b in zip(t, x, strict=True)).replace(".", ",")
    content = ("# long run\nZeit (s);Ort (m)\n" + text).encode()
    monkeypatch.setattr(large_tables, "LEAST_BYTES", 10_000)
    calls = []
    honest = large_tables.BulkTable.fill
    monkeypatch.setattr(large_tables.BulkTable, "fill", lambda *a: calls.append(1) or honest(*a))
    fast = read_bytes("run.csv", content).trials[0]
    assert calls
    for odd, count, by_bulk in (
        (b"0,5000x", 19_999, False),
        (b"nan", 20_000, False),
        (b"", 20_000, True),
    ):
        calls.clear()
        lines = content.split(b"\n")
        lines[9000] = lines[9000].split(b";")[0] + b";" + odd
        other = read_bytes("run.csv", b"\n".join(lines)).trials[0]
        assert bool(calls) == by_bulk
        assert len(other.time.values) == count
        assert np.isfinite(other.bodies[0].channels[0].si).sum() == 19_999
    lines[9000] = b"battery low"
    told = read_bytes("run.csv", b"\n".join(lines)).trials[0]
    assert [(u.line, u.text) for u in told.unusable] == [(9001, "battery low")]
    np.testing.assert_array_equal(told.time.seconds, np.delete(t, 8998))
    np.testing.assert_array_equal(fast.time.seconds, t)
    np.testing.assert_array_equal(fast.bodies[0].channels[0].si, x)


def zipped(members):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    return out.getvalue()


FAR = '<c r="XFD1048576"><v>1</v></c>'
TABLE = "time (s),heavy (m)\n" + "".join(f"{k / 10},{k * 0.16:.2f}\n" for k in range(9))


def test_traps_are_refused_within_their_bounds():
    bomb = gzip.compress(b"0,1\n" * 40_000_000, 9)
    for name, content, code in (
        ("bomb.csv.gz", bomb, Code.TOO_LARGE),
        ("bomb.zip", zipped({"a.csv": "0,1\n" * 30_000_000}), Code.TOO_LARGE),
        ("deep.json", b"[" * 100_000, Code.UNSAFE_CONTENT),
        ("entities.xlsx", zipped({"[Content_Types].xml": "<x/>",
        "xl/worksheets/sheet1.xml": "<!DOCTYPE a><a/>"}),
         Code.UNSAFE_CONTENT),
        ("far.xlsx", zipped({"[Content_Types].xml": "<x/>", "xl/worksheets/sheet1.xml": FAR}),
        Code.TOO_LARGE),
        ("links.zip", zipped({"/absolute.csv": TABLE, "..\\x.csv": TABLE}), Code.UNSAFE_ENTRY),
        ("field.csv", b"time (s),x (m)\n" + b"9" * 3_000_000, Code.NO_TABLE),
    ):  # fmt: skip
        reading = read_bytes(name, content)
        assert reading.refused is not None, name
        assert code in {f.code for f in reading.findings}, (name, codes(reading))


def test_a_cut_off_gzip_gives_what_is_there():
    packed = gzip.compress((TABLE * 1).encode(), mtime=0)
    reading = read_bytes("run.csv.gz", packed[:-12])
    assert Code.TRUNCATED in {f.code for f in reading.findings}
    assert len(reading.trials[0].time.values) >= 2


def test_a_recipe_goes_through_json_and_decides_what_the_file_leaves_open():
    rules = (
        ColumnRule("frame", 0, "frame"),
        ColumnRule("heavy", 1, "position", "granite", "x", "px"),
    )
    recipe = Recipe(
        "camera",
        ("frame", "heavy"),
        frame_rate=25.0,
        scale=Stated(1 / 412, 1e-5),
        time_base=Stated(1 / 12),
        columns=rules,
    )
    again = read_recipe("r.json", recipe_json(recipe))
    assert again == recipe
    assert again.fits(["Frame", " heavy"])
    content = b"frame,heavy\n0,41.2\n25,82.4\n50,123.6\n"
    request = read_bytes("a.csv", content)
    assert {str(q.topic) for q in request.questions} == {"frame rate"}
    reading = read_bytes("a.csv", content, again)
    assert reading.questions == ()
    assert reading.trials[0].time.unit.symbol == FRAME
    trial = trials_of(reading)[0]
    np.testing.assert_allclose(trial.t, [0.0, 1 / 12, 2 / 12])
    np.testing.assert_allclose(trial.body("granite").channel("x").si, [0.1, 0.2, 0.3])


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "not JSON"), ("[]", "format"), ('{"format": "inertian recipe", "version": 9}',
        "version"),
        ('{"format": "inertian recipe", "version": 1, "speed": 3}', "speed"),
        ('{"format": "inertian recipe", "version": 1, "frame_rate": -3}', "above zero"),
        ((
            '{"format": "inertian recipe", "version": 1, "columns": [{"title": "", "place": 0, '
            '"role": "boss"}]}'
        ), "boss"),
    ],
)  # fmt: skip
def test_what_is_no_recipe_is_refused_in_words(text, why):
    with pytest.raises(RecipeError, match=why):
        read_recipe("r.json", text)


def test_answers_change_what_an_ambiguous_number_means():
    content = (UGLY / "ambiguous-thousand.tsv").read_bytes()
    point = read_bytes("a.tsv", content, Recipe(decimal="."))
    assert point.questions == ()
    assert point.trials[0].bodies[0].channels[0].si[0] == pytest.approx(1.1)
    assert read_bytes("a.tsv", content, Recipe(decimal=",")).trials[0].bodies[0].channels[0].si[
        0
    ] == pytest.approx(0.0011)


def test_clocks_of_their_own_become_one_trial_with_blanks():
    trial = trials_of(read_file(UGLY / "own-clocks.csv"))[0]
    assert len(trial.t) == 16
    assert np.isfinite(trial.body("light").channel("x").si).sum() == 8
    assert np.all(np.diff(trial.t) > 0)


def test_a_single_row_is_read_but_is_no_trial():
    with pytest.raises(TrialError, match="at least 2 samples"):
        trials_of(read_file(UGLY / "single-row.csv"))


def test_missing_files_and_folders_are_refused(tmp_path):
    assert "cannot be found" in read_file(tmp_path / "none.csv").refused.why
    assert "folder" in read_file(tmp_path).refused.why


def test_the_rink_writes_the_same_files_each_time_and_reads_them_back(demo):
    assert day()[3].content == day()[3].content
    # Some frames are lost
    assert any(np.diff(entry.trial.t).max() > 0.03 for entry in demo.entries)
    for file, entry in zip(day(), demo.entries, strict=True):
        assert entry.trial.provenance.content == file.content
        assert entry.trial.provenance.unusable == ()
        assert codes(read_bytes(file.name, file.content)) == []
        seen = file.truth.position(entry.trial.t)
        for i, body in enumerate(entry.trial.bodies):
            away = body.channels[0].si - seen[i, 0]
            assert np.sqrt(np.mean(away**2)) < 0.002
