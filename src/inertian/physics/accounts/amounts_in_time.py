"""The amounts of an account at all samples, by form: what a picture of energy in time shows."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from inertian.physics.accounts.account_inputs import DateValue, FactOf, MassOf
from inertian.physics.accounts.statements import Statement
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.estimates import Array


def amounts_in_time(context: TrialContext, statement: Statement) -> Mapping[str, Array]:
    """Return the amount of all bodies together in each form at all samples, (n,), in the unit of
    the account, from local fits; NaN where there is none. Empty where bodies were not followed.
    """
    q: dict[Any, Any] = {}
    for key in statement.needs():
        if isinstance(key, MassOf) and key.body in context.masses:
            q[key] = context.masses[key.body][1].si
        elif isinstance(key, FactOf):
            known = context.setup.get((key.symbol, key.body), context.setup.get((key.symbol, "")))
            if known is not None:
                q[key] = known[1].si
        elif isinstance(key, DateValue) and key.date == 0:
            if key.axis not in context.trial.body(key.body).axes:
                return {}
            q[key] = context.derivative(key.body, key.axis, key.order).value
    found: dict[str, Array] = {}
    for form in statement.forms:
        one = np.asarray(form.amount(q, 0), dtype=float)
        found[form.name] = found[form.name] + one if form.name in found else one
    return found
