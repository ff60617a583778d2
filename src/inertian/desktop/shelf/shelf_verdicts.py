"""The verdicts that cards on the shelf show."""

from inertian.analysis.evaluation import Evaluator
from inertian.physics.accounts.verdicts import Verdict
from inertian.project.project import Project
from inertian.quantities.errors import InertianError


def shelf_verdicts(project: Project, evaluator: Evaluator) -> dict[str, Verdict]:
    """Return the momentum verdict of every trial that has one; where there are several axes, of all
    together.
    """
    found = {}
    for entry in project.entries:
        accounts = evaluator.accounts(project, entry.trial.id)
        if isinstance(accounts, InertianError):
            continue
        verdict = (
            accounts.together.verdict
            if accounts.together
            else accounts.ledgers[0].judgement.verdict
        )
        if verdict is not None:
            found[entry.trial.id] = verdict
    return found
