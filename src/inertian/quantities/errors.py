"""The one kind of error that is a message to the person, not a bug."""

import traceback
from pathlib import Path


class InertianError(Exception):
    """Something expected went wrong; the text says what happened, what it means and what to do."""


_SHOWN = 80  # characters of what was typed that a message repeats


def _cut(text: str) -> str:
    return text if len(text) <= _SHOWN else f"{text[:_SHOWN]}…"


class UnitError(InertianError):
    """A unit is unknown, or of another dimension than the quantity needs."""

    def __init__(self, text: str, wanted: str) -> None:
        super().__init__(text, wanted)
        self.text, self.wanted = _cut(text), wanted

    def __str__(self) -> str:
        return (
            f"“{self.text}” is not a unit of {self.wanted}. Write, for example, "
            f"{EXAMPLE_UNITS[self.wanted]}."
        )


class FactError(InertianError):
    """A typed fact cannot be understood, or cannot be true."""

    def __init__(self, text: str, why: str) -> None:
        super().__init__(text, why)
        self.text, self.why = _cut(text), why

    def __str__(self) -> str:
        return f"“{self.text}”: {self.why}"


EXAMPLE_UNITS = {
    "length": "m, cm, mm, km, in or ft",
    "time": "s, ms, µs or min",
    "mass": "kg, g or t",
    "speed": "m/s, cm/s or km/h",
    "acceleration": "m/s²",
    "force": "N",
    "angle": "° or rad",
    "number": "nothing, or %",
    "stiffness": "N/m or N/cm",
    "linear drag": "kg/s",
    "quadratic drag": "kg/m",
    "inertia": "kg·m²",
    "energy": "J",
    "impulse": "N·s or kg·m/s",
    "angular momentum": "kg·m²/s",
    "power": "W",
    "frequency": "Hz",
}


class Refusal(InertianError):
    """Something cannot be done; the text is one sentence that says why and what to do."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why

    def __str__(self) -> str:
        return self.why


def unforeseen(error: BaseException) -> str:
    """Return in one sentence what an error is that no one thought of, and where it arose."""
    frames = traceback.extract_tb(error.__traceback__)
    own = next((f for f in reversed(frames) if "inertian" in f.filename), None)
    where = f", {Path(own.filename).name} line {own.lineno}" if own is not None else ""
    if isinstance(error, MemoryError):
        return f"there is not enough memory for it{where}. Close other programs, or use less of it."
    said = " ".join(str(error).split())[:200]
    return (
        f"an error that was not foreseen ({type(error).__name__}: {said}{where}). Please report "
        "it, with the file if you may."
    )
