"""The saved form of an analysis, checked field by field when it is read. docs/schemas holds it as
JSON Schema.
"""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from inertian.models.definitions.model import Rule
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.fits.free_motion import FreeMotion
from inertian.motion.recording.tidying import StepKind
from inertian.motion.spans.spans import SpanKind
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.requests import (
    AT_MOMENT,
    BETWEEN,
    Quantity,
    ReadingKind,
)
from inertian.quantities.facts import Meaning

VERSION = 6
RULES = {
    "reading": 1,
    "noise": 1,
    "free motion": 1,
    "ledger": 1,
    "verdict": 1,
    "jumps": 1,
    "span finder": 1,
    "model": 1,
}


# No reading and no fact is beyond it; its square still is a number
_LARGEST = 1e30
Number = Annotated[float, Field(ge=-_LARGEST, le=_LARGEST, allow_inf_nan=False)]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=False, frozen=True)


class SavedAmount(_Strict):
    """An amount as typed, in `unit`."""

    kind: str
    value: Number
    plus_minus: Number = Field(ge=0)
    meaning: Meaning
    unit: str


class SavedFact(SavedAmount):
    """A fact as typed: its name, and where it holds."""

    name: str
    scope: str


class SavedSpan(_Strict):
    """A span in file time, s."""

    name: str
    kind: SpanKind
    start: Number
    stop: Number
    bodies: list[str] = []
    why: str = ""


class SavedStep(_Strict):
    """A tidy step: raw rows as runs of first and last, or a rule with its threshold and version."""

    kind: StepKind
    runs: list[tuple[int, int]] = []
    body: str = ""
    reason: str = ""
    threshold: Number = Field(default=6.0, gt=0)
    on: bool = True
    version: int = Field(default=1, ge=1)
    other: str = ""


class SavedFrame(_Strict):
    """The frame: time zero in file time (s), origin and centre in m, angle in rad, offsets of
    sensors in SI.
    """

    time_zero: Number = 0.0
    origin: tuple[Number, Number] = (0.0, 0.0)
    angle: Number = 0.0
    flipped: list[Literal["x", "y"]] = []
    centre: tuple[Number, Number] | None = None
    zeros: list[tuple[str, str, Number]] = []


class SavedQuantity(_Strict):
    """A quantity along an axis."""

    quantity: Quantity
    axis: str = ""
    unit: str = ""  # SI, where the quantity alone does not tell


class SavedDerived(_Strict):
    """A derived quantity: how it is called, the unit it is shown in, and its formula."""

    name: str
    symbol: str
    unit: str
    formula: str = Field(max_length=300)


class SavedReading(_Strict):
    """A named reading: at a moment, between two (file time, s), or over the span it names."""

    name: str
    kind: ReadingKind
    shown: SavedQuantity
    body: str
    times: list[Number] = []
    span: str = ""

    @model_validator(mode="after")
    def _has_its_times(self) -> "SavedReading":
        wanted = 1 if self.kind in AT_MOMENT else 2 if self.kind in BETWEEN else 0
        if len(self.times) != wanted:
            raise ValueError(f"a reading of kind “{self.kind}” has {wanted} moments")
        return self


class SavedCurve(_Strict):
    """A curve fitted over a span; `held` are parameters that are not fitted, by symbol."""

    shown: SavedQuantity
    body: str
    span: str
    shape: CurveShape
    held: list[tuple[str, Number]] = []
    formula: str = ""
    robust: bool = False


class SavedChannel(_Strict):
    """One channel: its axis, the file's own column title, and the unit of its values."""

    axis: str
    column: str
    unit: str
    factor: Annotated[float, Field(gt=1e-30, le=_LARGEST)] | None = (
        None  # SI per unit, where the unit alone does not tell: pixels
    )
    sign: Literal[-1, 1] = 1
    shift: Number = 0.0
    # Whether a column of standard uncertainties follows that of the readings
    uncertain: bool = False


class SavedBody(_Strict):
    """A body and its channels."""

    name: str
    channels: list[SavedChannel] = Field(min_length=1)


class SavedSource(_Strict):
    """Where a trial came from; `path` is the member with the original bytes, or null if they were
    too large to keep.
    """

    file: str
    sha256: str
    size: int = Field(ge=0)
    path: str | None
    understood: list[str]
    unusable: list[tuple[int, str, str]]
    recipe: dict[str, Any] | None = None
    part: int = Field(default=0, ge=0)
    others: list["SavedSource"] = []


class SavedDate(_Strict):
    """A date of an account: its name, and file time in s."""

    name: str
    t: Number


class SavedTyped(_Strict):
    """An entry of an account that was typed by hand: its law, file time in s, amount and reason."""

    name: str = Field(min_length=1, max_length=80)
    law: str
    at: Number
    amount: SavedAmount
    reason: str = Field(default="", max_length=500)


class SavedDismissal(_Strict):
    """A note of the second look that was put away, and why."""

    code: str = Field(max_length=80)
    subject: str = Field(default="", max_length=500)
    reason: str = Field(default="", max_length=500)


class SavedVariable(_Strict):
    """What was set by hand: an amount, maybe in a unit of its own, or a word."""

    name: str = Field(min_length=1, max_length=200)
    text: str = Field(default="", max_length=200)
    amount: SavedAmount | None = None


class SavedParameter(_Strict):
    """A parameter of a force: what was typed for it, and whether it is fitted."""

    symbol: str = Field(min_length=1, max_length=40)
    value: SavedAmount | None = None
    free: bool = False
    unit: str = Field(default="", max_length=40)
    spelled: str = Field(default="", max_length=40)


class SavedForce(_Strict):
    """A force of a model."""

    force: str = Field(max_length=60)
    parameters: list[SavedParameter] = Field(default=[], max_length=40)
    bodies: list[str] = Field(default=[], max_length=20)
    formula: str = Field(default="", max_length=300)
    axis: Literal["x", "y"] = "x"
    on: bool = True


class SavedState(_Strict):
    """Where a coordinate starts, and how fast, as typed."""

    body: str
    axis: Literal["x", "y", "angle"]
    place: SavedAmount | None = None
    rate: SavedAmount | None = None


class SavedStart(_Strict):
    """From where a model runs: a span, a moment in s of the file, or the first sample."""

    span: str = Field(default="", max_length=200)
    time: Number | None = None
    fitted: bool = True
    typed: list[SavedState] = Field(default=[], max_length=40)


class SavedPrediction(_Strict):
    """What was expected of a parameter before it was fitted, and when that was typed."""

    name: str = Field(max_length=200)
    value: SavedAmount
    when: str = Field(max_length=40)


class SavedModel(_Strict):
    """A model of a trial: its forces, its start, its rule."""

    name: str = Field(min_length=1, max_length=200)
    forces: list[SavedForce] = Field(default=[], max_length=40)
    bodies: list[str] = Field(default=[], max_length=20)
    start: SavedStart = SavedStart()
    rule: Rule = Rule.VERLET
    step: Number | None = Field(default=None, gt=0)
    until: Number | None = None
    shared: list[str] = Field(default=[], max_length=40)
    predictions: list[SavedPrediction] = Field(default=[], max_length=100)


class SavedTrial(_Strict):
    """A trial: its table `data`, what the columns are, and what was marked."""

    id: str = Field(pattern=r"^[0-9A-Za-z-]+$")
    name: str
    series: str
    data: str
    time_column: str
    time_unit: str
    bodies: list[SavedBody]
    source: SavedSource
    spans: list[SavedSpan]
    steps: list[SavedStep] = []
    frame: SavedFrame = SavedFrame()
    readings: list[SavedReading] = []
    curves: list[SavedCurve] = []
    dates: list[SavedDate] = Field(default=[], max_length=24)
    typed: list[SavedTyped] = Field(default=[], max_length=24)
    dismissed: list[SavedDismissal] = Field(default=[], max_length=1000)
    time_base: Number = Field(default=1.0, gt=0)
    variables: list[SavedVariable] = Field(default=[], max_length=60)
    apart: str | None = Field(default=None, max_length=200)
    models: list[SavedModel] = Field(default=[], max_length=60)

    @model_validator(mode="after")
    def _knows_its_bodies(self) -> "SavedTrial":
        known = {body.name for body in self.bodies}
        named = {name for span in self.spans for name in span.bodies}
        named |= {one.body for one in self.readings} | {one.body for one in self.curves}
        named -= {""}  # of all bodies together
        if len(known) < len(self.bodies):
            raise ValueError("two bodies have one name")
        if named - known:
            raise ValueError(f"there is no body “{min(named - known)[:40]}”")
        return self


class SavedSeries(_Strict):
    """A series and its settings."""

    name: str
    motion: FreeMotion
    expectations: dict[str, Expectation]
    window: str = ""
    off: list[str] = []
    laws: list[str] = []
    turned: bool | None = None
    pattern: str = ""


class SavedColumn(_Strict):
    """A column of the table of results: what it shows, title, unit, and its formula."""

    name: str = Field(min_length=1, max_length=400)
    title: str = Field(default="", max_length=400)
    unit: str = Field(default="", max_length=40)
    formula: str = Field(default="", max_length=1000)


class SavedTrend(_Strict):
    """One column against another."""

    x: str = ""
    y: str = ""
    line: str = "straight"
    formula: str = Field(default="", max_length=300)
    expected: str = Field(default="", max_length=300)
    series: list[str] = []
    marks: str = ""
    spread: bool = False
    hand: tuple[Number, Number, Number, Number] | None = None


class SavedTrends(_Strict):
    """The table of results and the trend as they were chosen."""

    columns: list[SavedColumn] = Field(default=[], max_length=200)
    sorted_by: str = ""
    descending: bool = False
    contains: str = ""
    request: SavedTrend = SavedTrend()


class SavedAnalysis(_Strict):
    """analysis.json."""

    format: Literal["inertian analysis"] = "inertian analysis"
    version: int = VERSION
    rules: dict[str, int] = Field(default_factory=lambda: dict(RULES))
    name: str
    series: list[SavedSeries]
    setup: list[SavedFact]
    trials: list[SavedTrial]
    recipes: list[dict[str, Any]] = []
    quantities: list[SavedDerived] = []
    trends: SavedTrends = SavedTrends()
