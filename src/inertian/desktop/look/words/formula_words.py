"""The words of formulas, the setup and the card that says how a number was computed: part of the
catalogue.
"""

PAGE_FORMULAS = "Formulas"
SETUP_HEADING, FORMULAS_HEADING = "Facts of the setup", "Your quantities"
SETUP_WHERE = "These hold for"
IN_SERIES, IN_TRIAL = "all trials of “{series}”", "this trial only"
FACT_HINTS = {
    "g": "9.81 ± 0.03 m/s² if left empty",
    "θ": "e.g. 5.0 ± 0.2°",
    "k": "e.g. 24.5 ± 0.3 N/m",
    "x_0": "e.g. 0.350 m",
    "α": "e.g. 0.0 ± 0.2°",
    "I": "e.g. 0.012 ± 0.001 kg·m²",
    "j": "e.g. 0.5 for a full cylinder",
    "μ": "none, or e.g. 0.12 ± 0.02",
    "c_r": "none, or e.g. 0.004 ± 0.001",
    "b": "none, or e.g. 0.02 ± 0.01 kg/s",
    "c": "none, or e.g. 0.003 ± 0.001 kg/m",
    "I_a": "none, or e.g. 0.0042 ± 0.0002 kg·m²",
    "F_p": "none, or e.g. 0.52 ± 0.02 N",
}
FACT_OF_BODY = "{label} of {body}"
NONE_YET = "None yet. Write one below, such as K = ½ m v² in J."
DEPENDS = "made of {names}"
SHOW, CHANGE, REMOVE = "Show", "Change", "Remove"
SHOW_TIP = "Show it as a strip"
NEW_QUANTITY, CHANGING = "A new quantity", "Change {symbol}"
SYMBOL_HINT, UNIT_HINT, QUANTITY_NAME_HINT, QUANTITY_FORMULA_HINT = (
    "Symbol",
    "Unit",
    "Name, e.g. Stored energy",
    "½ m v² + m g y",
)
ADD, KEEP, CANCEL = "Add", "Keep the change", "Cancel"
SYMBOL_GROUPS = {
    "Of a body": {
        "x": "position along x",
        "y": "position along y",
        "v": "speed",
        "v_x": "velocity along x",
        "v_y": "velocity along y",
        "a_x": "acceleration along x",
        "m": "mass",
    },
    "Of the setup and the time": {
        "g": "gravity",
        "θ": "incline",
        "k": "spring constant",
        "x_0": "spring at rest",
        "I": "moment of inertia",
        "t": "time",
        "F": "force of the sensor",
    },
    "Functions": {
        "rate(": "change per second",
        "area(": "sum over time, by trapezoids",
        "level(": "without the line through the spans of rest",
        "sqrt(": "square root",
        "sin(": "sine",
        "cos(": "cosine",
        "½": "one half",
    },
}
VOCABULARY = (
    "Also your own symbols and named readings of one word; x_2 for the second body; α, a_s, v_s; "
    "+ − * / ^, exp, ln, simpson(…), stepsum(…)."
)
READY_MADE_HEADING = "Ready-made quantities"
TAKE_OVER, TAKE_OVER_TIP = "Take over", "Put it into the form below, to be changed"
FITS_ALL = "Good: it gives {unit}."
MEASURE, MEASURE_TIP = "from measurements…", "Work it out from what can be measured"
MEASURE_TITLE = "{label}, from measurements"
MEASURE_WAY, MEASURE_USE, MEASURE_STILL = "How it was measured", "Use it", "—"
MEASURE_GIVES = "{formula} gives {value}"
ASKED_HINTS = {
    "length": "e.g. 1.250 ± 0.002 m",
    "mass": "e.g. 2.00 ± 0.01 kg",
    "time": "e.g. 1.32 ± 0.02 s",
}
TABLE_LABEL = "Extension and force, a row each; the first row may name units"
TABLE_HINT = "cm\tN\n2.0\t0.49\n4.0\t1.01\n6.0\t1.48"
TABLE_U = ("± of each extension", "± of each force")
TABLE_U_HINTS = ("e.g. 1 mm; exact if left empty", "e.g. 0.02 N; from the scatter if left empty")
HOW = "How was this computed?"
HOW_SHORT = "?"
CARD_TITLE = "How “{what}” was computed"
CARD_FORMULA = "By the formula {formula}, for {body}."
CARD_WINDOW = (
    "Velocities and accelerations come from polynomials through neighbouring samples, as many "
    "as the motion allows, "
    "and never across a contact."
)
CARD_RESULT = "{value}. {intervals}"
CARD_DOF = "Degrees of freedom of u: {dof}."
CARD_WAYS = {
    "first order": "Uncertainties are propagated to first order.",
    "mapped": "First order does not do here: the intervals are mapped through the formula.",
    "Monte Carlo": "First order does not do here: the intervals come from Monte Carlo draws.",
}
CARD_COLUMNS = ("Input", "Stated", "its u", "sensitivity", "gives", "share", "ν", "")
CARD_SHARED, CARD_ALONE = "same error in all trials", "this trial only"
CARD_SPREAD = "A spread has no budget: it is the scatter itself."
SAME_IN_ALL, TOGETHER_TITLE = "In all trials…", "The same curve in all trials"
TOGETHER_SAID = "{shape} over “{span}” of {body}, in all trials of “{series}”"
TOGETHER_TRIAL, TOGETHER_ROW = "Trial", "all together"
TOGETHER_AGREE, TOGETHER_DIFFER = (
    "they agree: χ² = {chi} for {dof}",
    "they differ: χ² = {chi} for {dof}",
)
TOGETHER_TIP = (
    "The common value weighs each trial by its own ±; what all trials share, such as a scale, "
    "does not average out. "
    "Where trials differ by clearly more than their own ±, its ± is that of their scatter."
)
COPY, CLOSE_DIALOG = "Copy", "Close"
SIMULATE, STOP = "Check by Monte Carlo", "Stop"
SIMULATE_TIP = (
    "Draws samples, time stamps and facts anew many times, and takes the reading of each draw "
    "(JCGM 101)"
)
SIMULATED = (
    "Monte Carlo, {draws} draws, seed {seed}: u = {u}. Shortest interval for 68 %: {low68} to "
    "{high68}; "
    "for 95 %: {low95} to {high95}."
)
DOES = (
    "The interval above does: its ends lie within the last stated figure of these (JCGM 101, "
    "clause 8)."
)
DOES_NOT = (
    "The interval above differs from these by {off}, more than its last stated figure ({figure})."
)
UNSETTLED = "After so many draws the second figure of these numbers may still move."
STOPPED = "Stopped."
MANY = "∞"
ROBUST = "single samples far off say little"
ROBUST_TIP = (
    "A robust fit: what lies far from the curve counts less, or not at all. Nothing is set aside."
)
REACH = "dotted: 95 of 100 further samples would lie between"
ROBUSTLY = "{shape}, robust"
