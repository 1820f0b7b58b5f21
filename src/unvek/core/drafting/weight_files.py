"""A draft from weights: a variant for each file or folder, and a script to fill in."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from unvek.core.drafting.draft import (
    ONE_PROCESS,
    OTHER_PYTHON,
    PICTURES,
    Draft,
    DraftVariant,
    form_of,
    names_of,
    path_from,
    precision_of,
)
from unvek.core.errors import InputError
from unvek.core.plan.model_folder import FolderError, files_of

ENDINGS = (".safetensors", ".gguf", ".npz", ".onnx", ".pt", ".pth", ".bin", ".ckpt", ".h5")
FOLDER_SIGN = "config.json"  # in a folder that is a model
MOST = 40
SCRIPT = "model.py"
TEMPLATE = '''"""How a model is loaded and run, for Unvek: fill in the two functions.

This file runs in a process of its own, in the interpreter that the plan names. Nothing of Unvek is installed there.
"""


def load(variant):
    """Open the weights. Called once a process; what it returns is handed to every run.

    Also known: variant.name, variant.form, variant.precision, variant.settings, variant.parts.
    """
    path = variant.weights[0]
    raise NotImplementedError("fill in load() in model.py: open %s" % path)  # FILL IN


def run(model, job, probe):
    """Make one output for job.prompt, with job.seed and job.settings. What it raises fails this run alone.

    A picture, step by step:

        for _ in range(steps):
            model.step()
            probe.step(of=steps)              # stamped here, beside the model
        picture.save(job.out / "picture.png") # job.out is a folder for what this run makes
        probe.output(job.out / "picture.png")

    A text, token by token:

        probe.tokens_in(len(prompt_tokens))
        for token in model.generate(job.prompt):
            probe.token(token)
    """
    raise NotImplementedError("fill in run() in model.py")  # FILL IN
'''


def draft_of_weights(paths: Sequence[Path], folder: Path) -> Draft:
    """Draft a plan with a variant for each of these files and folders; the largest is the reference."""
    sizes = {path: _bytes(path) for path in dict.fromkeys(paths)}
    if len(sizes) > MOST:
        raise InputError(f"{len(sizes)} files: a variant for each is more than {MOST}; name those to be compared")
    ordered = sorted(sizes, key=lambda path: -sizes[path])
    return Draft(
        title="Which of these weights?", runner="model", variants=variants_of(ordered, folder, {}), prompts=PICTURES,
        runner_lines=[
            ONE_PROCESS,
            f'script = "{SCRIPT}"   # FILL IN the two functions',
            OTHER_PYTHON,
        ],
        files={SCRIPT: TEMPLATE},
        to_fill=[f"load() and run() in {SCRIPT}"],
    )  # fmt: skip


def variants_of(paths: Sequence[Path], folder: Path, settings: Mapping[str, Any]) -> list[DraftVariant]:
    """Return a variant for each file or folder of weights, named and guessed by what it is called."""
    names = names_of([path.stem if path.is_file() else path.name for path in paths])
    return [
        DraftVariant(
            name=name, form=form_of(path.name), precision=precision_of(path.name), weights=(path_from(folder, path),),
            settings=settings,
        )
        for name, path in zip(names, paths, strict=True)
    ]  # fmt: skip


def weights_near(folder: Path) -> list[Path]:
    """Return what looks like weights in a folder or one folder below it, the largest first."""
    places = [folder, *(path for path in sorted(folder.iterdir()) if path.is_dir() and not path.name.startswith("."))]
    found: dict[Path, int] = {}
    for place in places:
        if place != folder and (place / FOLDER_SIGN).is_file():
            inside = [place]
        else:
            try:
                inside = [path for path in sorted(place.iterdir()) if path.suffix.lower() in ENDINGS and path.is_file()]
            except OSError:
                continue
        found.update({path: _bytes(path) for path in inside})
    return sorted(found, key=lambda path: -found[path])[:MOST]


def _bytes(path: Path) -> int:
    try:
        return sum(file.stat().st_size for file in files_of(path))
    except FileNotFoundError as error:
        raise InputError(f"there is no file or folder {path}") from error
    except FolderError as error:
        raise InputError(f"{path} is {error}") from error
    except OSError as error:
        raise InputError(f"{path} can't be looked at: {error.strerror}") from error
