"""Placeholders in a command, a URL, a header or a request's body: `{steps}`, `{prompt}`, `{weights[0]}`.

A name in braces is replaced; `{{` and `}}` stand for braces; anything else in braces (JSON, say) stays as it is.
"""

import re
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from unvek.core.plan.model import SettingValue, Task, Variant
from unvek.core.plan.runners import AnyRunner

PLACEHOLDER = re.compile(r"\{\{|\}\}|\{([A-Za-z_][\w.-]*(?:\[[0-9]{1,3}\])?)\}")
LONE = re.compile(r"\{([A-Za-z_][\w.-]*(?:\[[0-9]{1,3}\])?)\}")
OUT, INTERPRETER, PROMPT_FILE, NONCE, JOB_NAME = "out", "python", "prompt_file", "nonce", "job"


def names_in(template: Any) -> Iterator[str]:
    """Yield the names that a text asks for, or any text in a JSON value, its keys left out."""
    if isinstance(template, str):
        yield from (found[1] for found in PLACEHOLDER.finditer(template) if found[1])
    elif isinstance(template, Mapping):
        for value in template.values():
            yield from names_in(value)
    elif isinstance(template, list | tuple):
        for value in template:
            yield from names_in(value)


def asks_anew(runner: AnyRunner) -> bool:
    """Whether no two runs are asked the same, as each request has a nonce."""
    return any(NONCE in names_in(template.content) for template in runner.templates())


def filled(template: str, values: Mapping[str, Any]) -> str:
    """Return a text with its placeholders replaced; KeyError names one that is unknown."""
    return PLACEHOLDER.sub(lambda found: as_text(values[found[1]]) if found[1] else found[0][0], template)


def filled_json(template: Any, values: Mapping[str, Any]) -> Any:
    """Return a JSON value with the placeholders in its texts replaced; one that is a whole text keeps its type."""
    if isinstance(template, str):
        lone = LONE.fullmatch(template)
        return values[lone[1]] if lone else filled(template, values)
    if isinstance(template, Mapping):
        return {key: filled_json(value, values) for key, value in template.items()}
    if isinstance(template, list | tuple):
        return [filled_json(value, values) for value in template]
    return template


def as_text(value: Any) -> str:
    """Return a setting as a program's argument: true and false in small letters."""
    return str(value).lower() if isinstance(value, bool) else str(value)


def values_for(
    variant: Variant, task: Task, seed: int, settings: Mapping[str, SettingValue], out: Path | None = None
) -> dict[str, Any]:
    """Return what each placeholder stands for in a run."""
    return {
        **settings,
        "prompt": task.prompt,
        "seed": seed,
        "task": task.name,
        **of_variant(variant),
        **{f"inputs[{place}]": str(path) for place, path in enumerate(task.inputs)},
        **({OUT: str(out)} if out is not None else {}),
    }


def of_variant(variant: Variant) -> dict[str, Any]:
    """Return what is known of a variant before any run of it; `python` is the interpreter that Unvek runs in."""
    return {
        INTERPRETER: sys.executable,
        "variant": variant.name,
        **({"precision": variant.precision} if variant.precision is not None else {}),
        **{f"weights[{place}]": str(path) for place, path in enumerate(variant.weights)},
        **{f"parts.{name}": str(path) for name, path in variant.parts.items()},
    }
