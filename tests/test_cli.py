"""The command line, as its users meet it: a process, its output, its exit code."""

import json
import math
import os
import subprocess
import sys
from pathlib import Path

import pytest

from inertian.quantities.coverage import detectable

LEDGER_KEYS = {
    "law", "unit", "expectation", "opening", "entries", "closing", "unaccounted", "z", "p",
    "smallest_visible",
    "verdict", "bodies", "dates", "periods",
}  # fmt: skip
SCALAR_KEYS = {"value", "u", "dof", "k68", "k95"}


def inertian(*arguments, **environment):
    env = {
        k: v
        for k, v in os.environ.items()
        if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    return subprocess.run(
        [sys.executable, "-m", "inertian", *map(str, arguments)],
        capture_output=True,
        text=True,
        timeout=120,
        env={**env, **environment},
        check=False,
    )


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    done = inertian("demo", "--write", folder)
    assert (done.returncode, done.stderr) == (0, "")
    return folder


def test_the_demo_is_written_whole_and_alike_each_time(written, tmp_path):
    names = sorted(p.name for p in written.iterdir())
    assert len(names) == 12
    assert "Ice rink.inertian" in names
    inertian("demo", "--write", tmp_path)
    assert [(tmp_path / n).read_bytes() for n in names] == [
        (written / n).read_bytes() for n in names
    ]


def test_ledger_json_keeps_its_contract(written):
    done = inertian("ledger", written / "Ice rink.inertian", "--json")
    assert (done.returncode, done.stderr) == (0, "")
    result = json.loads(done.stdout, parse_constant=pytest.fail)
    assert set(result) == {"project", "schema", "trials"}
    assert (result["project"], result["schema"], len(result["trials"])) == ("Ice rink", 2, 11)
    laws = [[led["law"] for led in t["ledgers"]] for t in result["trials"]]
    assert laws[0] == ["momentum x", "kinetic energy"]
    assert laws[-1] == ["momentum x", "momentum y", "kinetic energy"]
    for ledger in (led for trial in result["trials"] for led in trial["ledgers"]):
        assert set(ledger) == LEDGER_KEYS
        opening, closing, left = ledger["opening"], ledger["closing"], ledger["unaccounted"]
        assert all(set(s) == SCALAR_KEYS for s in (opening, closing, left))
        entries = sum(e["value"] for e in ledger["entries"])
        assert all(set(e) == {"name", "value", "u"} for e in ledger["entries"])
        assert left["value"] == pytest.approx(
            closing["value"] - opening["value"] - entries, abs=1e-9
        )
        assert ledger["smallest_visible"] == pytest.approx(
            detectable(left["dof"] or math.inf) * left["u"]
        )
        assert [set(b) for b in ledger["bodies"]] == [{"name", "opening", "closing"}] * 2
        if ledger["expectation"] == "conserved":
            assert ledger["verdict"] in (
                "no imbalance seen",
                "doubtful",
                "does not balance",
                "too rough to tell",
            )
            assert ledger["z"] == pytest.approx(left["value"] / left["u"], rel=0.05)
            assert 0 <= ledger["p"] <= 1
        else:
            assert (ledger["verdict"], ledger["z"], ledger["p"]) == (None, None, None)


def test_ledger_text_shows_units_and_uncertainties(written):
    done = inertian("ledger", written / "Ice rink.inertian")
    assert done.returncode == 0
    lines = done.stdout.splitlines()
    assert "  momentum along x and y together: no imbalance seen" in lines
    accounts = [
        line for line in lines if line.startswith(("  momentum x", "  momentum y", "  kin"))
    ]
    assert len(accounts) == 23
    assert all(line.count("±") == 4 and ("kg·m/s" in line or " J" in line) for line in accounts)
    assert sum(line.endswith(": hit in line") for line in lines) == 10
    assert sum(line.startswith("  restitution: 0.") for line in lines) == 11


@pytest.mark.parametrize(
    "content", [b"", b"PK\x03\x04 not a zip", b"time (s)\tx (m)\n0\t1\n", None]
)
def test_what_is_no_project_is_refused_with_one_line_and_2(tmp_path, content):
    path = tmp_path / "x.inertian"
    if content is not None:
        path.write_bytes(content)
    done = inertian("ledger", path, "--json")
    assert done.returncode == 2
    assert len(done.stderr.strip().splitlines()) == 1
    assert "x.inertian" in done.stderr
    assert done.stdout == ""


def test_trials_without_a_ledger_are_told_on_stderr_and_the_json_is_complete(written, tmp_path):
    from inertian.project.project import Project
    from inertian.project.saving import load, save

    demo = load(written / "Ice rink.inertian")
    save(Project("bare", demo.entries, demo.series), tmp_path / "bare.inertian")
    done = inertian("ledger", tmp_path / "bare.inertian", "--json")
    assert done.returncode == 2
    assert len(done.stderr.splitlines()) == 11
    assert all("mass of heavy is missing" in line for line in done.stderr.splitlines())
    assert [t["ledgers"] for t in json.loads(done.stdout)["trials"]] == [[]] * 11


def test_without_a_display_the_window_says_so_in_one_line():
    done = inertian("demo")
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "No display was found" in done.stderr


def test_a_folder_that_cannot_be_written_is_refused(tmp_path):
    (tmp_path / "file").write_text("x")
    done = inertian("demo", "--write", tmp_path / "file" / "deeper")
    assert done.returncode == 2
    assert "Traceback" not in done.stderr


def test_start_up_paints_before_heavy_modules_are_loaded():
    code = (
        "import sys\n"
        "from inertian.desktop.shell.application import application, make_window\n"
        "from inertian.project.demo_project import demo_project\n"
        "application()\n"
        "w = make_window(demo_project())\n"
        "w._warm = True; w.show(); w.bench.refresh(); w.margin.refresh(); w.grab()\n"
        "print(sorted({m.split('.')[0] for m in sys.modules} & {'scipy', 'pint', 'polars', "
        "'pydantic', 'pandas'}))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        timeout=60,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        check=False,
    )
    assert done.stdout.strip() == "[]", done.stderr


def test_k_factors_in_json_are_finite_numbers(written):
    result = json.loads(inertian("ledger", written / "Ice rink.inertian", "--json").stdout)
    scalars = [
        led[k]
        for t in result["trials"]
        for led in t["ledgers"]
        for k in ("opening", "closing", "unaccounted")
    ]
    assert all(
        0.7 < s["k68"] < 1.3 and 1.5 < s["k95"] < 3.0 and math.isfinite(s["u"]) for s in scalars
    )


def test_inspect_keeps_its_contract(tmp_path):
    (tmp_path / "a.csv").write_text(
        "time (ms);heavy (cm);sled F (N)\n0;10,0;1\n100;26,0;2\n200;;3\nOK\n300;58,0;4\n"
    )
    (tmp_path / "b.csv").write_text("<html></html>")
    done = inertian("inspect", tmp_path / "a.csv", tmp_path / "b.csv", "--json")
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "b.csv: this is a web page" in done.stderr
    result = json.loads(done.stdout, parse_constant=pytest.fail)
    assert set(result) == {"schema", "files"}
    first, second = result["files"]
    keys = {
        "path",
        "sha256",
        "format",
        "encoding",
        "delimiter",
        "decimal",
        "refused",
        "trials",
        "warnings",
    }
    assert set(first) == set(second) == keys
    assert (first["path"], first["delimiter"], first["decimal"], first["refused"]) == (
        str(tmp_path / "a.csv"),
        ";",
        ",",
        None,
    )
    assert (second["trials"], second["refused"][:18]) == ([], "this is a web page")
    assert [set(w) for w in first["warnings"]] == [{"code", "text"}] * len(first["warnings"])
    assert sorted(w["code"] for w in first["warnings"]) == ["missing-values", "skipped-lines"]
    (trial,) = first["trials"]
    assert set(trial) == {"name", "rows", "unusable", "time", "bodies"}
    assert trial["unusable"] == [{"line": 5, "text": "OK", "why": "not a row of numbers"}]
    assert trial["time"] == {
        "column": "time (ms)",
        "unit": "ms",
        "n": 4,
        "t0": 0.0,
        "t1": pytest.approx(0.3),
        "step": pytest.approx(0.1),
    }
    assert [b["name"] for b in trial["bodies"]] == ["heavy", "sled"]
    x = trial["bodies"][0]["channels"]["x"]
    assert x == {"column": "heavy (cm)", "unit": "cm", "si_unit": "m", "n": 3, "first": 0.1,
    "last": 0.58,
                 "mean": pytest.approx(0.94 / 3),
                 "sum_sq": pytest.approx(0.01 + 0.0676 + 0.3364)}  # fmt: skip
    assert trial["bodies"][1]["channels"]["F"]["si_unit"] == "N"


def test_inspect_uses_a_recipe_and_refuses_what_is_none(tmp_path):
    (tmp_path / "a.csv").write_text("frame,heavy (px)\n0,100\n1,200\n2,300\n")
    recipe = {
        "format": "inertian recipe",
        "version": 1,
        "frame_rate": 300,
        "scale": {"value": 0.01},
        "time_base": {"value": 0.5},
    }
    (tmp_path / "r.json").write_text(json.dumps(recipe))
    done = inertian("inspect", tmp_path / "a.csv", "--recipe", tmp_path / "r.json", "--json")
    trial = json.loads(done.stdout)["files"][0]["trials"][0]
    assert (done.returncode, trial["time"]["t1"]) == (0, pytest.approx(2 / 600))
    assert trial["bodies"][0]["channels"]["x"]["last"] == pytest.approx(3.0)
    done = inertian("inspect", tmp_path / "a.csv", "--recipe", tmp_path / "a.csv", "--json")
    assert (done.returncode, done.stdout) == (2, "")
    assert "no recipe" in done.stderr


def test_inspect_of_every_ugly_file_is_whole_json_of_the_documented_form():
    ugly = Path(__file__).parent / "ugly"
    paths = [p for p in sorted(ugly.iterdir()) if p.name != "expected.json"]
    done = inertian("inspect", *paths, "--json")
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    files = json.loads(done.stdout, parse_constant=pytest.fail)["files"]
    assert [f["path"] for f in files] == [str(p) for p in paths]
    assert len(done.stderr.strip().splitlines()) == sum(f["refused"] is not None for f in files)
    schema = json.loads((ugly.parents[1] / "docs" / "schemas" / "inspect-1.json").read_text())
    file_form = schema["properties"]["files"]["items"]["properties"]
    known = set(file_form["warnings"]["items"]["properties"]["code"]["enum"])
    trial_form = file_form["trials"]["items"]
    body_form = trial_form["properties"]["bodies"]["items"]
    for file in files:
        assert set(file) == set(file_form)
        codes = [w["code"] for w in file["warnings"]]
        assert set(codes) <= known
        assert len(set(codes)) == len(codes)
        assert file["format"] in file_form["format"]["enum"]
        for trial in file["trials"]:
            assert set(trial) == set(trial_form["required"])
            assert set(trial["time"]) == set(schema["$defs"]["time"]["required"])
            for body in trial["bodies"]:
                assert set(body_form["required"]) <= set(body) <= set(body_form["properties"])
                for axis, channel in body["channels"].items():
                    assert axis in ("x", "y", "F", "a", "v")
                    assert set(channel) == set(schema["$defs"]["channel"]["required"])
                    assert channel["n"] <= len(range(10**6))
                    if channel["n"]:
                        assert channel["sum_sq"] >= channel["n"] * channel["mean"] ** 2 - 1e-9


def test_inspect_for_reading_says_what_was_understood(tmp_path):
    (tmp_path / "a.csv").write_text(
        "time (ms);heavy (cm);remark\n0;10,0;ok\n100;26,0;\n200;x;\n300;58,0;\n"
    )
    done = inertian("inspect", tmp_path / "a.csv", tmp_path / "none.csv")
    assert done.returncode == 2
    assert "cannot be found" in done.stderr
    for said in (
        "semicolon between columns, decimal comma",
        "1 body: heavy (x in cm)",
        "left out: remark (remarks)",
        "line 4:",
    ):
        assert said in done.stdout


def test_spans_are_told_as_the_contract_says_and_a_bad_file_stops_nothing(tmp_path):
    from inertian.rink.day import day

    good = next(f for f in day() if f.series == "in line")
    (tmp_path / good.name).write_bytes(good.content)
    (tmp_path / "not a table.txt").write_bytes(b"Dear diary,\nthe ice was fine today.\n")
    (tmp_path / "empty.csv").write_bytes(b"")
    slow = b"time (s);x (cm)\n" + b"".join(
        b"%d,%02d;%d,5\n" % (k // 50, 2 * (k % 50), 3 * k) for k in range(120)
    )
    (tmp_path / "glide.csv").write_bytes(slow)
    names = [good.name, "not a table.txt", "empty.csv", "glide.csv"]
    done = inertian("spans", *(tmp_path / n for n in names), "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 2
    assert isinstance(told["schema"], int)
    assert [f["path"].rsplit("/", 1)[-1] for f in told["files"]] == names
    kinds = {
        "rest", "steady velocity", "steady acceleration", "contact", "interaction", "turning point",
        "bounce", "push",
        "end stop",
    }  # fmt: skip
    for file in told["files"]:
        assert set(file) >= {"path", "trials"}
        for trial in file["trials"]:
            for span in trial["spans"]:
                assert set(span) >= {"kind", "name", "t0", "t1", "bodies", "why"}
                assert span["kind"] in kinds
                assert span["t0"] < span["t1"]
                assert span["why"]
    spans = told["files"][0]["trials"][0]["spans"]
    contact = next(s for s in spans if s["kind"] == "contact")
    assert contact["t0"] < good.truth.begin < good.truth.end < contact["t1"]
    assert contact["bodies"] == ["heavy", "light"]
    assert [s["kind"] for s in told["files"][3]["trials"][0]["spans"]] == ["steady velocity"]
    assert told["files"][1]["trials"] == told["files"][2]["trials"] == []
    assert len(done.stderr.strip().splitlines()) == 2
    assert "Traceback" not in done.stderr
    plain = inertian("spans", tmp_path / "glide.csv")
    assert plain.returncode == 0
    assert "steady velocity" in plain.stdout
