"""What is doubtful about a plan's scripts, as far as that can be seen without running them."""

from collections.abc import Iterator

from unvek.core.plan.cells import vary_of
from unvek.core.plan.model import Plan
from unvek.core.plan.reading.quoting import nearest_words
from unvek.core.plan.runners import PythonRunner
from unvek.core.plan.script_sight import ScriptSight, sight_of
from unvek.probe.probe import Probe

STEPS = "steps"
OF_PROBE = (*(name for name in vars(Probe) if not name.startswith("_")), "sync")


def script_doubts(plan: Plan) -> Iterator[str]:
    """Say what scripts use of the probe that it does not have, and steps that are set and never reported."""
    for name, runner in plan.runners.items():
        if not isinstance(runner, PythonRunner):
            continue
        try:
            sight = sight_of(runner.script)
        except (OSError, ValueError, SyntaxError):
            continue  # another interpreter's, or told when the plan was read
        script = runner.script.name
        for report, line in sight.reports.items():
            if report not in OF_PROBE:
                other = nearest_words(report, OF_PROBE) or f"; it has {', '.join(OF_PROBE)}"
                yield f"{script}:{line}: the probe has no {report}{other}"
        if _sets_steps(plan, name) and not _reports_steps(sight):
            yield f"{script} reports no step, though {STEPS} is set: call probe.step() after each, and it is timed."


def _sets_steps(plan: Plan, runner: str) -> bool:
    users = [variant for variant in plan.variants if variant.runner == runner]
    in_tasks = any(STEPS in task.settings for task in plan.tasks)
    return any(in_tasks or STEPS in variant.settings or STEPS in vary_of(plan, variant) for variant in users)


def _reports_steps(sight: ScriptSight) -> bool:
    return "step" in sight.attributes or sight.hands_probe_on
