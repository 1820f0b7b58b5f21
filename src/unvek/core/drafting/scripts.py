"""A draft from a model script: its settings, its weights, an interpreter that has what it imports."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from unvek.core.drafting.draft import (
    ONE_PROCESS,
    OTHER_PYTHON,
    PICTURES,
    TEXTS,
    Ask,
    Draft,
    DraftVariant,
    Question,
    path_from,
    second_to,
    written,
)
from unvek.core.drafting.interpreters import interpreter_for
from unvek.core.drafting.weight_files import variants_of, weights_near
from unvek.core.errors import InputError
from unvek.core.plan.script_sight import TAKES, Needed, ScriptSight, call_of, sight_of
from unvek.core.units import parse_value

GUESSES: Mapping[str, Any] = {
    "steps": 8, "width": 256, "height": 256, "size": 256, "guidance": 2.0, "temperature": 0, "frames": 16, "batch": 1,
    "most": 128, "tokens": 128, "length": 128,
}  # fmt: skip


def draft_of_script(script: Path, folder: Path, ask: Ask) -> Draft:
    """Draft a plan for a script. InputError where it is none that Unvek can run."""
    sight = _seen(script)
    python, lacks = interpreter_for(script, folder)
    settings = {name: _setting(name, default, script, ask) for name, default in sight.settings.items()}
    variants = _variants(sight, settings, script, folder)
    lines = [
        ONE_PROCESS,
        f"script = {written(path_from(folder, script))}",
    ]
    notes = []
    if python is not None:
        lines.append(f"python = {written(python)}   # it has what the script imports")
        notes.append(f"{script.name} runs in {python}, which has what it imports.")
    else:
        lines.append(OTHER_PYTHON)
    if lacks:
        notes.append(
            f"No Python that was found here has {', '.join(lacks)}: put python = ... under [runners] in the plan."
        )
    is_text = bool({"token", "text"} & sight.reports.keys())
    return Draft(
        title=f"Which {script.stem}?", runner=script.stem, runner_lines=lines, variants=variants,
        prompts=TEXTS if is_text else PICTURES, notes=notes,
        to_fill=[f"weights of {v.name}" for v in variants if v.asks_for_weights and not v.weights],
    )  # fmt: skip


def _seen(script: Path) -> ScriptSight:
    try:
        sight = sight_of(script)
    except FileNotFoundError as error:
        raise InputError(f"there is no script {script}") from error
    except SyntaxError as error:
        raise InputError(f"{script.name}:{error.lineno}: {error.msg}: it is no Python file that can be read") from error
    except (OSError, ValueError) as error:
        raise InputError(f"{script} can't be read as a script: {error}") from error
    missing = [call_of(name) for name in TAKES if sight.is_missing(name)]
    if missing:
        raise InputError(
            f"{script.name} has no {' and no '.join(missing)}, which Unvek calls. Put your code into these functions "
            "('unvek init weights FILE...' writes a script to fill in), or run it as it is: 'unvek init program -- "
            f"python {script.name} ...'"
        )
    return sight


def _setting(name: str, default: Any, script: Path, ask: Ask) -> Any:
    if default is not Needed and isinstance(default, str | int | float | bool):
        return default
    guess = GUESSES.get(name, 1)
    said = ask(Question(f"{script.name} asks for the setting {name!r}; which value", str(guess)))
    return parse_value(said)


def _variants(sight: ScriptSight, settings: Mapping[str, Any], script: Path, folder: Path) -> list[DraftVariant]:
    asks = "weights" in sight.attributes
    files = weights_near(script.parent) if asks else []
    if files:
        return variants_of(files, folder, settings)
    first = DraftVariant(name="full", settings=settings, asks_for_weights=asks)
    return [first, second_to(first)]
