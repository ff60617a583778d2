"""How old the work is that a kill loses: a window is edited without a pause and killed at random.

Run: .venv/bin/python benchmarks/kills.py 100

The child makes an edit every 50 ms and notes when; after the kill, the newest edit that the
recovery copy holds tells the age of the oldest one that is gone. Every second child saves now and
then too.
"""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

CHILD = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from inertian.desktop.shell.application import application, make_window
from inertian.project.demo_project import demo_project
from inertian.project.edits import fact_set
from inertian.quantities.facts import FactId, parse_fact
from inertian.quantities.units import unit_of

folder, saves = Path(sys.argv[1]), sys.argv[2] == "1"
app = application()
window = make_window(demo_project(), recovery_root=folder / "recovery")
window.resize(1280, 800)
window.show()
notes, count = open(folder / "notes", "w"), [0]

def edit():
    count[0] += 1
    mass = parse_fact(f"{19 + count[0] / 10000:.4f} kg", "mass", unit_of("mass", "kg"))
    window.document.do(fact_set(window.document.committed, FactId("mass of heavy"), mass))
    notes.write(f"{count[0]} {time.time()}\\n")
    notes.flush()
    if saves and count[0] % 17 == 0:
        window.document.path = folder / "day.inertian"
        window.project_files._stamp = None
        window.project_files.save()

timer = QTimer(interval=50)
timer.timeout.connect(edit)
QTimer.singleShot(500, timer.start)
app.exec()
"""


def edit_kept(folder: Path) -> int:
    """Return the newest edit that is on disk: in the recovery copy, or saved."""
    from inertian.project.recovery import leftovers
    from inertian.project.saving import load

    kept = [left.project for left in leftovers(folder / "recovery")]
    if (folder / "day.inertian").exists():
        kept.append(load(folder / "day.inertian"))
    masses = [p.setup[k].typed for p in kept for k in p.setup if k.name == "mass of heavy"]
    return max((round((mass - 19) * 10000) for mass in masses if mass < 19.1), default=0)


def age_after_kill(rng: random.Random, saves: bool) -> float:
    """Kill one child and return the age in s of the oldest edit that is gone; 0 if none is."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        child = subprocess.Popen(
            [sys.executable, "-c", CHILD, name, str(int(saves))],
            env=environment,
            stderr=subprocess.DEVNULL,
        )
        notes = folder / "notes"
        while not (notes.exists() and notes.stat().st_size):
            time.sleep(0.02)
        time.sleep(rng.uniform(0.5, 3.0))
        killed = time.time()
        child.send_signal(signal.SIGKILL)
        child.wait()
        made = [line.split() for line in notes.read_text().splitlines() if line.count(" ") == 1]
        kept = edit_kept(folder)
        gone = [float(when) for number, when in made if int(number) > kept]
        return killed - gone[0] if gone else 0.0


def main() -> None:
    """Print how old the oldest lost edit was, and how often it was over a second."""
    count, rng = int(sys.argv[1]) if len(sys.argv) > 1 else 100, random.Random(1)
    ages = [age_after_kill(rng, bool(k % 2)) for k in range(count)]
    over = sum(age > 1.0 for age in ages)
    print(f"{count} kills: {over} lost an edit older than 1 s; oldest {max(ages):.2f} s")


if __name__ == "__main__":
    main()
