"""A report without what tells whose work it is: tasks by numbers, people by numbers, no words of theirs."""

import re
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

from unvek.core.exchange.page_data import Names
from unvek.core.findings.report.found import Report

# What never names a task or a person; a variant may be called as a task is.
OWN_NAMES = frozenset((
    "variant", "variants", "form", "reference", "pick", "runner_up", "ties", "beaten_by", "even_with", "undecided",
    "alike_by", "measure", "measures", "unit", "code", "status", "data", "made_from", "setting",
))  # fmt: skip


def renamed(report: Report, names: Names) -> Report:
    """Return the report with tasks and people called as in its data, wherever they are named."""
    known = {name: called for name, called in {**names.tasks, **names.people}.items() if name != called}
    if not known:
        return report
    # The longest first: a name may be the beginning of another's.
    either = "|".join(map(re.escape, sorted(known, key=len, reverse=True)))
    pattern = re.compile(rf"(?<![\w.-])(?:{either})(?![\w-])")
    found: Report = _renamed(report, lambda text: pattern.sub(lambda match: known[match[0]], text))
    return found


def _renamed(value: Any, change: Callable[[str], str]) -> Any:
    if isinstance(value, str):
        return change(value)
    if is_dataclass(value) and not isinstance(value, type):
        names = [field.name for field in fields(value) if field.init and field.name not in OWN_NAMES]
        return replace(value, **{name: _renamed(getattr(value, name), change) for name in names})
    if isinstance(value, Mapping):
        return {key: _renamed(entry, change) for key, entry in value.items()}
    if isinstance(value, tuple | list):
        return type(value)(_renamed(entry, change) for entry in value)
    return value
