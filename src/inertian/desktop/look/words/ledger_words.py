"""Words of accounts: the page of the margin and the ledger stage."""

from inertian.motion.fits.free_motion import FreeMotion
from inertian.physics.accounts.verdicts import Expectation, Verdict
from inertian.quantities.facts import Meaning

SETUP, READINGS, NOISE_AND_WINDOW = "Setup", "Readings at the contact", "Noise and window"
FREE_MOTION, NOISE, STAMPS = "Free motion", "Reading noise", "Time stamps"
MASS_OF = "Mass of {body}"
MEANING = {
    Meaning.LIMITS: "± are limits",
    Meaning.LAST_DIGIT: "± is the last digit",
    Meaning.STANDARD: "± is a standard uncertainty",
    Meaning.EXPANDED: "± is a 95 % interval",
    Meaning.EXACT: "exact",
}
MOTION = {
    FreeMotion.LINE: "steady velocity",
    FreeMotion.PARABOLA: "steady acceleration, each span",
    FreeMotion.GLIDE: "one deceleration per body",
}
MOTION_TIP = (
    "How a stone moves while nothing hits it. One deceleration per body: friction on the ice, "
    "found from all spans of "
    "the series together."
)
WINDOW, WINDOW_HINT = "Window of velocities", "by the data; or e.g. 0.2 s, 15 samples"
WINDOW_TIP = (
    "How many neighbouring samples a velocity or an acceleration comes from, in strips and readings"
)
WINDOW_NOW = "{least} to {most} samples for velocities here"
WINDOW_ALL = "{most} samples for velocities here"
NOISE_HINT = "estimated; type to fix it, e.g. 1.5 mm"
ESTIMATED = "{sigma}, from the scatter about the fits"
NOT_ESTIMATED = "known once spans are marked; at least {least}, from the last digit"
DERIVING = "working it out…"
AS_STATED = "{sigma} on average, as columns of the files state it for each reading"
AS_TYPED = "as typed: the standard deviation of one reading"
STAMPS_FOUND = "{sigma}, from the scatter"
STAMPS_NONE = "no unevenness seen"
DECELERATION = "slows by {value}"
BEFORE_AT, AFTER_AT = "before", "after"
RESTITUTION = "Restitution e"
NOT_DEFINED = "not defined"
INTERVALS = (
    "The true value lies from {low68} to {high68} about 68 times in 100, from {low95} to {high95} "
    "about 95 times."
)
SIGMA_TIP = "Standard deviation of one reading, {dof} degrees of freedom."

EXPECTATION = {
    Expectation.CONSERVED: "expected: conserved",
    Expectation.NOT_CONSERVED: "expected: not conserved",
    Expectation.GIVEN_E: "expected: loss given by e",
}
E_FIELD = "e ="
E_DEFAULT = "0.85 ± 0.05"
VERDICT = {
    Verdict.BALANCES: "no imbalance seen",
    Verdict.DOUBTFUL: "doubtful",
    Verdict.IMBALANCE: "does not balance",
    Verdict.TOO_ROUGH: "too rough to tell",
}
VERDICT_WHY = {
    Verdict.BALANCES: (
        "What is unaccounted for is within 2 of its own uncertainties. That is no proof that there "
        "is nothing: it says how large an imbalance would have had to be to show."
    ),
    Verdict.DOUBTFUL: "What is unaccounted for is between 2 and 3 of its own uncertainties.",
    Verdict.IMBALANCE: (
        "What is unaccounted for is more than 3 of its own uncertainties: something is missing in "
        "this account, or a fact or a span is not as it is stated."
    ),
    Verdict.TOO_ROUGH: (
        "This trial could not have shown an imbalance smaller than half of all that moved."
    ),
}
NO_VERDICT_WHY = "Nothing is expected to hold here, so there is no verdict."
VISIBLE = "An imbalance of {visible} would show in 95 % of cases."
VERDICT_TIP = "Click for the ledger."
BECAME_OTHER = "{amount} became other forms of energy"
GAINED = "{amount} was gained from other forms of energy"
UNACCOUNTED, UNACCOUNTED_IS = "Unaccounted", "unaccounted: {amount}"
TOGETHER = "{axes} together: {verdict} (χ² = {chi} for {count})"
JOINED = " and "
LAW_TITLES = {
    "momentum along track": "Momentum along the track",
    "momentum x": "Momentum along x",
    "momentum y": "Momentum along y",
    "angular momentum": "Angular momentum",
    "kinetic energy": "Kinetic energy",
    "mechanical energy": "Mechanical energy",
    "energy about the centre of mass": "Energy about the centre of mass",
}
SHORT_LAW = {
    "momentum along track": "Momentum",
    "momentum x": "Momentum x",
    "momentum y": "Momentum y",
    "angular momentum": "Angular mom.",
    "kinetic energy": "Kinetic energy",
    "mechanical energy": "Mech. energy",
    "energy about the centre of mass": "Inner energy",
}
BETWEEN_DATES, FIRST_TO_LAST = "from outside", "first to last"
AT_TIME = "at {time} s"
FROM_OUTSIDE = "{amount} came from outside"
EVENT_SAID = {
    "hit in line": "Two bodies hit in line",
    "hit at a glance": "Two bodies hit at a glance",
    "repulsion without touch": "Two bodies repel without touch",
    "sticking together": "Two bodies stick together",
    "explosion from rest": "Two bodies push apart from rest",
    "three bodies": "Several contacts, one after another",
    "body against a wall": "A body against a wall",
    "body against a bumper with a gauge": "A body against a bumper with a gauge",
    "up and back on a slope": "Up and back on a slope",
    "down a slope": "Down a slope",
    "free fall": "Free fall",
    "hops": "Hops",
    "swing": "A swing",
    "spring launch": "A spring launches a body",
    "thrust run": "A body is pushed",
    "towed with a gauge or an accelerometer": "A body is towed",
    "spinning down": "A body spins",
    "no event": "Nothing in particular was found, so the account runs from start to end",
}
FORM_SAID = {
    "momentum": "m v",
    "angular momentum": "m (x v_y − y v_x), or I ω",
    "kinetic": "½ m v²",
    "height": "m g h",
    "spring": "½ k (x − x₀)²",
    "rotation": "½ I ω²",
}
PANEL_BUDGET, PANEL_IN_TIME, PANEL_HOW = "Budget", "Energy in time", "How it was computed"
READ_FROM = "{body} at “{date}”, {time} s: from the fit of the span “{span}”"
READ_LOCALLY = "{body} at “{date}”, {time} s: from local fits about that moment"
FORM_LINE = "{form} = {formula}"
ENTRY_LINE = "{name}: {source}"
RESULT_LINE = "{name} = {value}"
RESULTS_TITLE, READINGS_TITLE, FORMULAS_TITLE = "Results", "Where amounts are read", "Formulas"
UNACCOUNTED_FORMULA = "unaccounted = closing − opening − entries; negative is lost, positive gained"
STACK_REST = "became other forms"
NO_ENERGY = "This account is of momentum; choose one of energy to see it in time."
TOTAL = "total"
ALL_IN = "in {unit}"
INTERVALS_TITLE = "Relative to the expected, {unit}"
ROW_EXPECTED, ROW_AFTER, ROW_LEFT = "expected", "after", "unaccounted"
BUDGET_TITLE = "Where the ± of the unaccounted {law} comes from"
BUDGET_TOTAL = "± {u} together"
BUDGET_SHARE = "{share} %"
BUDGET_NEGLIGIBLE = "< 0.5 %"
ENTRY_TIP = "{name}: {source}"
DATES, DATES_TIP = "Dates", "The moments at which this trial is accounted for"
DATES_FOUND, DATES_AT_PINS = "As found", "At the pins"
DATES_EVENLY = "{count} evenly over “{span}”"
DATES_WHOLE, DATES_TYPED = "Start and end of the trial", "Type times…"
DATES_ASK = "Times in s, such as 0.2; 0.8; 1.4"
DATE_TIP = "{name}: a date of the accounts. Drag it; numbers follow."
DATES_KEEP = "These dates, to be moved on the bench"
SWITCH_TIP = "Whether this counts in the accounts of the series"
ACCOUNTS, ACCOUNTS_TIP = "Accounts", "Which accounts are drawn up in this series, and their order"
ACCOUNTS_USUAL, ACCOUNT_FIRST = "As usual", "{law} first"
TURN_GAUGE = "Turn the gauge"
TYPE_ENTRY, CHANGE_ENTRY = "Type an entry for {law}…", "Change “{name}”…"
REMOVE_ENTRY = "Remove “{name}”"
TYPED_TITLE = "An entry for {law}"
TYPED_SAID = (
    "What came from outside, and nothing recorded: gained is positive, lost negative. It counts in "
    "the account with its ±, and its reason stands beside it."
)
ENTRY_NAME, ENTRY_NAME_HINT = "Name", "e.g. a sleeve that touched it"
TYPED_AMOUNT, TYPED_AMOUNT_HINT = "Amount", "e.g. -0.02 ± 0.01 {unit}"
TYPED_REASON, TYPED_REASON_HINT = "Reason", "how the amount is known, e.g. seen in the film"
TYPED_WHEN, TYPED_PERIOD = "When", "from {one} to {two}"
TYPED_EVERYWHERE = "In all trials of this series"
TYPED_NO_AMOUNT = "Type an amount with its unit first."
ACCEPTED_MENU, ACCEPTED_TITLE = "Compare with an accepted value", "Accepted value"
ACCEPTED_ASK = "Accepted {name}, with its ±; empty to compare no more"
