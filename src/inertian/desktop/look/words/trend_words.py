"""The words of the trends stage, and of figures that are ready to show."""

TRENDS = "Trends"
MENU_TRENDS = "&Trends"
TREND_VIEW, REPEATS_VIEW, LAID_VIEW = "Trend", "Repeats", "Laid over"
TREND_VIEW_TIP = "One column against another, with a line"
REPEATS_VIEW_TIP = "Trials with equal settings, pooled"
LAID_VIEW_TIP = "All trials on one time axis, with the same moment at zero"

# -- the table
TRIAL_COLUMN, ASIDE_COLUMN = "Trial", "Set aside because"
TABLE_COLUMNS, ADD_VARIABLE, ADD_FORMULA = "Columns…", "Add variable…", "Add formula…"
COLUMNS_ACTION = "&Columns of the table…"
ADD_VARIABLE_ACTION = "Add a &variable…"
ADD_FORMULA_ACTION = "Add a column by &formula…"
COLUMNS_TIP = "Choose, order and rename the columns"
ADD_VARIABLE_TIP = "What was set by hand for each trial: a height, a drive setting, rubber or felt"
ADD_FORMULA_TIP = "A column worked out of others, with its ±"
FILTER_HINT = "Show rows with…"
ROWS_SAID = "{count} trials"
ROWS_ONE = "1 trial"
ROWS_SHOWN = "{shown} of {count} trials"
ROWS_APART = "{said} · {apart} set aside"
WORKING = "{done} of {of} trials worked out"
SERIES_ROW = "{name} · {count}"
CELL_INTERVAL = "the true value lies inside about 2 times in 3"
SHOW_ACROSS, SHOW_UP = "Show &across, as x", "Show &up, as y"
RENAME_COLUMN, HIDE_COLUMN = "&Rename…", "&Hide"
EDIT_FORMULA = "&Formula…"
REMOVE_VARIABLE = "&Remove this variable"
UNIT_MENU = "&Unit"
SORT_UP, SORT_DOWN, SORT_NOT = "Sort, smallest first", "Sort, largest first", "In order of trials"
RENAME_TITLE, RENAME_TEXT = "Rename column", "Title of “{name}”; empty for its own name."
VARIABLE_TITLE = "Add a variable"
VARIABLE_TEXT = "What was set by hand? A name, such as drop height, drive setting or surface."
NAME_TAKEN = "There is a column “{name}” already, which is worked out. Choose another name."
FORMULA_TITLE = "Column by formula"
FORMULA_NAME, FORMULA_TEXT = "Name", "Formula"
COLUMN_FORMULA_HINT = (
    "velocity just after contact of B along x / velocity just before contact of A along x"
)
FORMULA_HELP = "Names of columns stand in it as they stand in the table. Double-click puts one in."
SET_TRIALS_ASIDE = "Set &aside…"
COUNT_TRIALS = "&Count again"
ASIDE_TITLE = "Set trials aside"
ASIDE_TEXT = "Why does it not count? The reason stands in the table and in the file."
ASIDE_DEFAULT = "set aside by hand"
GO_TO_TRIAL = "&Show on the bench"
FILL_DOWN = "Fill &down"
COLUMN_IN_HAND = "The c&olumn in hand…"
COPY_TABLE, PASTE_CELLS = "C&opy table", "&Paste"
WRITE_TABLE = "&Write table…"
TABLE_KINDS = "Spreadsheet (*.xlsx);;CSV (*.csv);;JSON (*.json)"
TABLE_WRITTEN = "The table was written to {name}."
TABLE_NOT_WRITTEN = "{name} cannot be written: {why}."
COPIED = "{rows} rows copied, as text and as a table."
NOT_TYPED_HERE = "Only variables can be typed; {name} is worked out."
PASTED = "{count} cells pasted."
NO_CELLS_TO_PASTE = "The clipboard holds no cells."
COLUMN_DIALOG = "Columns of the table"
COLUMN_FIND = "Find a column"
COLUMN_UP, COLUMN_DOWN = "Up", "Down"
COLUMN_USUAL = "The usual ones"
COLUMN_KINDS = {
    "variable": "Variables",
    "reading": "Readings",
    "result": "Results of accounts",
    "amount": "Amounts in accounts",
    "curve": "Parameters of curves",
    "fact": "Facts of the setup",
    "name": "From the name",
    "formula": "By formula",
}
OK = "OK"

# -- the figure
AGAINST = "against"
UP_NAME, ACROSS_NAME = "Column that is shown up", "Column that is shown across"
BARS_HIDDEN = "bars are shorter than the marks"
RESIDUAL_AXIS = "y − line"
PRESENT = "Ready to show…"
PRESENT_TIP = "Title, caption and size; copied, written or dragged out"
PRESENT_ACTION = "Figure &ready to show…"

# -- the margin
LINE_HEAD, EXPECTED_HEAD, HAND_HEAD = "Line", "Expected", "By hand"
POINTS_HEAD, NUMBERS_HEAD = "Points", "The fit in numbers"
LINES = {
    "straight": "straight",
    "origin": "straight, through the origin",
    "constant": "constant",
    "power": "power of x",
    "exponential": "exponential",
    "formula": "formula of your own…",
}
LINE_FORMULAS = {
    "straight": "y = intercept + slope · x",
    "origin": "y = slope · x",
    "constant": "y = value",
    "power": "y = factor · x^exponent",
    "exponential": "y = factor · e^(rate · x)",
}
LINE_FORMULA_HINT = "a + b x^2"
PARAMETER = "{name} <b>{value}</b>"
PARTS = "own ± {own}, shared ± {shared}"
PARTS_OWN = "± by the points alone; they share nothing"
PARTS_SCATTER = "± by the scatter about the line"
SHARES_TIP = "What all trials share does not average out:\n{lines}"
SHARE_LINE = "{name}: ± {u}"
CHI = "χ² = {chi} for {dof} degrees of freedom{p}"
P_SAID = ", p {p}"
R_SQUARED = "R² = {r}; it says nothing of whether the line is right"
NUMBER_DOF = "{name}: {dof} effective degrees of freedom"
ADD_SPREAD = "Add a spread between trials"
ADD_SPREAD_TIP = (
    "A variance between trials, found by restricted maximum likelihood, is added to the ± of each "
    "point; the ± of the line then come from the scatter"
)
SPREAD_SAID = "between trials ± {value}; 95 %: {low} to {high}"
REMARKS = {
    "scatter": "The points scatter as their ± say.",
    "more": "The points scatter {size} times as much as their ± say: something changed between the "
    "trials, or a ± is too small.",
    "widened": "The points scatter {size} times as much as their ± say, so the ± of the line are "
    "widened to the scatter: something changed between the trials, or a ± is too small.",
    "less": "The points lie only {size} times as far from the line as their ± say: these may be "
    "too large.",
    "bent": "The points bend away from the line; another line may suit them.",
    "pattern": "Neighbouring points lie on the same side: something is missing in the line.",
    "apart": "{trial} lies apart, by {size} of its ±.",
    "few": "Too few points to tell whether they scatter as their ± say.",
    "no u": "No point has a ± of its own; the scatter about the line tells it.",
}
BESIDE_CONTACT = (
    "Velocities at the edges of contacts differ by up to {size} m/s from those at the contact, by "
    "friction. A law of hits holds for “velocity just after contact”."
)
AT_CONTACT = "Show velocities at the contact"
EXPECTED_NONE, EXPECTED_OWN = "nothing", "formula of your own"
EXPECTED_HINT = "m_1 (1+e)/(m_1+m_2) x"
EXPECTED_TIP = "In x and facts: m_1, m_2 or m_heavy, g, θ, e; or one number: slope = 0.36 ± 0.01"
EXPECTED_VALUE = "expected {name} {value}"
AGREES = "Agrees"
DOUBTFUL = "Doubtful"
DIFFERS = "Differs"
TOO_ROUGH = "Too rough to tell"
AGREEMENT = "{word}: found − expected = {away}, z = {z}."
WOULD_SHOW = "A difference of {size} would have shown."
PERCENT_ERROR = "Percent error 100 (found − expected)/expected: {value}"
HAND_LINE, HAND_LINE_TIP = "Draw a line by eye", "Drag its two ends over the points"
HAND_TWO = "two points of your line, (y₂ − y₁)/(x₂ − x₁): {value}"
HAND_STEEP = (
    "steepest line through all bars {steep}, flattest {flat}; their mean ± half their difference: "
    "{value}"
)
HAND_NO_LINE = "no line passes through the bars of all points"
HAND_RATIOS = "mean of all y/x, ± standard deviation/√n: {value}"
SERIES_SHOWN, MARKS_BY, MARKS_SERIES = "Series", "Marks by", "series"

# -- repeats and laid over
REPEATS_OF, REPEATS_BY, REPEATS_ALL = "Repeats of", "equal", "all together"
REPEATS_HEADS = (
    "Setting",
    "n",
    "Mean ± u",
    "own ±",
    "shared ±",
    "Spread s",
    "s/√n",
    "± of one trial",
    "Scatter",
    "Median",
)
REPEATS_TIPS = (
    "",
    "trials",
    "mean, weighed by what each trial errs by itself",
    "the part of ± that more trials make smaller",
    "the part of ± that all trials share, and that does not average out",
    "standard deviation of the trials",
    "standard error of the mean by the scatter alone",
    "what one trial errs by itself",
    "how the scatter compares with the ± of one trial",
    "robust: trials far off say little",
)
SCATTER_AS = "as ± say (p {p})"
SCATTER_MORE = "more than ± say (p {p})"
SCATTER_LESS = "less than ± say (p {p})"
SCATTER_NONE = "—"
LAID_QUANTITY, LAID_BODY, LAID_ZERO, LAID_SCALED = "", "of", "zero at", "scaled"
LAID_ANCHORS = {
    "contact": "the contact",
    "release": "the release",
    "turning point": "the turning point",
    "start of the recording": "the first sample",
}
LAID_SCALED_TIP = "Divide each trial by its largest value"
LAID_SAID = "{count} trials; mean with the standard deviation of the trials"
LAID_APART = "{names} lies apart; click it to see it on the bench"
LAID_MISSING = "{count} have no such moment"
LAID_TIME = "Time from {moment} (s)"

# -- empty
NO_TRENDS = "A trend needs two trials. Bring in another recording."
NO_TRENDS_BUTTON = "Bring in recordings…"
NO_RESULTS = "No trial has a result yet. Mark spans on the bench, or name a reading."
NO_RESULTS_BUTTON = "Go to the bench"
WAIT_TRENDS = "Working out all trials…"

# -- ready to show
PRESENT_TITLE = "Ready to show"
PRESENT_HELP = "Click a text in the picture to change it. Drag the picture into another program."
PRESENT_WIDTH, PRESENT_HEIGHT, MM = "Width", "Height", " mm"
PRESENT_LEGEND, PRESENT_CAPTION = "Legend", "Caption"
PRESENT_COPY, PRESENT_WRITE, PRESENT_CLOSE = "Copy", "Write…", "Close"
PRESENT_KINDS = "Picture, 300 dpi (*.png);;SVG (*.svg);;PDF (*.pdf)"
PRESENT_WRITTEN = "The figure was written to {name}."
PRESENT_COPIED = "Copied, as a picture and as SVG."
PRESENT_DRAG = "Drag as"
PRESENT_STRIP = "Strip &ready to show…"
FIGURE_TRIAL = "Trial “{name}”."
FIGURE_BAND = "Bands show one standard uncertainty u to either side."
FIGURE_ASIDE = "Hollow marks are set aside."
FIGURE_FITS = "Dashed: fitted."
FIGURE_BUDGET = (
    "Standard uncertainty of what is unaccounted: {u}; bars show the part of each source."
)
FIGURE_BUDGET_AXIS = "Part of u ({unit})"
FIGURE_SMALL = "< 1 %"
FIGURE_OPENING = "at the first date"
FIGURE_ENERGY = "Energies on top of one another; dashed: what there was at the first date."
PRESENT_NOTHING = "There is nothing to show yet."
