"""The words of the models stage."""

MODELS = "Models"
MENU_MODELS = "&Models"
MODEL_TABLE_HEADS = ("", "Model", "Fitted", "χ²", "What is left", "Stepping error")
MODEL_HEAD = "Forces"
MODEL_NAME = "Name of the model"
MODEL_NONE_YET = (
    "No model stands beside this trial yet. A model says which forces act; its curve is laid over "
    "the samples, and what it misses says what is missing."
)
MODEL_NO_BODIES = "Models need recorded positions. This trial has none."
MODEL_WAIT = "The models are worked out …"
MODEL_ADD = "Add a force"
MODEL_NEW, MODEL_COPY, MODEL_REMOVE = "New model", "Copy", "Remove"
MODEL_NEW_ACTION = "&New model"
MODEL_COPY_ACTION = "&Copy this model"
MODEL_REMOVE_ACTION = "&Remove this model"
MODEL_SERIES_ACTION = "For &all trials of the series"
WITHOUT_DATA_ACTION = "A trial &without data…"
WITHOUT_DATA_TITLE = "A trial without data"
WITHOUT_DATA_SAID = (
    "Bodies of which nothing was recorded: models run from a start that is typed, and are compared "
    "with one another."
)
WITHOUT_DATA_BODIES, WITHOUT_DATA_BODY = "Bodies, with commas between", "A"
WITHOUT_DATA_MOVES, WITHOUT_DATA_AXES = "They move", ("along a line, x", "in a plane, x and y")
WITHOUT_DATA_DURATION, WITHOUT_DATA_STEP = "For", "In steps of"
WITHOUT_DATA_NAME = "Without data"
MODEL_PYTHON_ACTION = "Show as &Python…"
MODEL_EXPORT_ACTION = "&Export models…"
MODEL_IMPORT_ACTION = "&Import models…"
MODEL_PYTHON = "Show as Python"
MODEL_PYTHON_TIP = "A short program of your own that gives the same numbers"
MODEL_PYTHON_TITLE = "{name} as a program"
MODEL_PYTHON_COPY, MODEL_PYTHON_SAVE = "Copy", "Save…"
MODEL_SAVED = "Saved as {file}."
MODEL_COPIED = "Copied."
MODEL_SAVE_TITLE, MODEL_OPEN_TITLE = "Save", "Import models"
MODEL_FILES, PYTHON_FILES = "Models (*.json)", "Python (*.py)"
MODEL_CANNOT_WRITE = "{file} cannot be written here ({why})."
MODEL_CANNOT_READ = "{file} cannot be read ({why})."
MODEL_FREE = "fit"
MODEL_FREE_TIP = "Find this value from the samples"
MODEL_TYPED_HINT = "value ± u, or empty for the setup's"
MODEL_FORCE_REMOVE = "Remove this force"
MODEL_FORCE_BODIES = "{force} on {bodies}"
MODEL_EXPECT = "Expect a value before the fit…"
MODEL_EXPECT_TITLE = "What do you expect?"
MODEL_EXPECT_TEXT = "{name}, with its ± if you like. It is kept with the time."
MODEL_EXPECTED = "expected {value} on {when}"
MODEL_START_HEAD = "Start and steps"
MODEL_START, MODEL_RULE, MODEL_STEP = "Starts at", "Steps by", "Step"
MODEL_START_FIRST = "the first sample"
MODEL_START_SPAN = "the begin of {span}"
MODEL_START_TIME = "{time} s"
MODEL_START_FITTED = "adjust the start as well"
MODEL_START_TIP = "Else place and velocity are taken as the samples there say, with their ±"
MODEL_START_TYPED = "where I say…"
MODEL_START_TITLE = "Start"
MODEL_START_TEXT = (
    "A line for each place and velocity, with its ± if you like. What is left out is taken from "
    "the samples."
)
MODEL_UNTIL, MODEL_UNTIL_HINT = "Ends at", "the end of what is free of hits"
MODEL_SHARED = "One {symbol} for all trials of the series"
MODEL_STEP_HINT = "from sample to sample"
MODEL_RULES = {
    "euler": "plain steps (Euler)",
    "semi-implicit": "velocity first, then position",
    "verlet": "velocity Verlet",
    "rk4": "Runge and Kutta's",
    "reference": "adaptive reference",
}
MODEL_VIEW_LEFT, MODEL_VIEW_STEPS, MODEL_VIEW_ACCOUNT = "What is left", "Stepping", "Account"
MODEL_VIEW_SLOPES = "Slopes"
MODEL_VIEW_TIPS = (
    "Samples less the model's curve",
    "How far the stepping rule is from the reference, and the energy that it makes up",
    "The model's own account, and that of the samples with its forces",
    "Slopes of the samples and of the model over each span",
)
MODEL_STRIP = "What the strip shows"
MODEL_SAYS = "What is left of {name}: {what}"
MODEL_NO_SAMPLES = "Nothing was recorded: models are compared with one another."
MODEL_OTHERS_AXIS = "Others − {name} ({unit})"
MODEL_LEFT_AXIS, MODEL_DRIFT_AXIS, MODEL_APART_AXIS = (
    "Sample − model ({unit})", "Energy (J)", "Off ({unit})",
)  # fmt: skip
MODEL_TIME_AXIS = "Time (s)"
MODEL_CHI = "{chi} / {dof}"
MODEL_RUNS_AWAY = "runs away: try shorter steps"
MODEL_NO_ANSWER = "no answer"
MODEL_HALVED = "; half the step: {ratio} times closer"
MODEL_STEPS_SAID = "off {off}{energy}{halved}"
MODEL_STEPS_ENERGY = ", energy {energy}"
MODEL_ACCOUNT_HEADS = ("", "Model", "Samples")
MODEL_OPENING, MODEL_CLOSING, MODEL_LEFT_OVER = "at the start", "at the end", "unaccounted"
MODEL_NO_MASS = "Type the mass in the setup for an account of energy and momentum."
MODEL_SLOPE_LINE = "{span}, {body} {axis}: samples {data}, model {model}, {apart} u apart"
MODEL_NO_SPANS = "Mark spans on the bench to compare slopes over them."
MODEL_TRIED = "tried: χ² {chi}, fitted {best}"
MODEL_FORMULA_TITLE = "A force by formula"
MODEL_FORMULA_TEXT = (
    "In x, v, t, of this body or of another (x_2, v_2), m, g, facts of the setup, and names of "
    "your own, which are then fitted: -b*v"
)
MODEL_EDIT_TITLE = "Force"
MODEL_EDIT_TEXT = "As it is typed in a command: quadratic drag on stone c=0.02±0.01 kg/m"
MODEL_EDIT = "Type this force…"
MODEL_FIT_STOP = "Stop"
MODEL_FITTING = "{done} runs …"
MODEL_COLUMN_TIP = "Show or hide the curve of this model"
MODEL_UNKNOWN = "to be found"
MODEL_SLIDER = "Try another value of {name}"
MODEL_MORE = "more"
