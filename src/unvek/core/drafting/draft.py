"""What a draft is, and the plan that is written of it."""

import os
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from unvek.core.errors import InputError
from unvek.core.plan.names import LONGEST_NAME

PLAN = "plan.toml"
ONE_PROCESS = "# A process kept for a round: load(variant) is called once, run(model, job, probe) for each run."
OTHER_PYTHON = '# python = "path/to/your/environment/bin/python"   # if it is to run in another than Unvek\'s'
PICTURES = (
    "a violet flower with six petals on night ground, one leaf",
    "a rose flower with five petals on meadow ground, no leaf",
)
TEXTS = (
    "Write a care card for a fern that stands in half shade.",
    "Name three plants for a dry, sunny wall, and say why.",
)
QUANTIZED = re.compile(
    r"(?<![a-z0-9])(?:(?:int|uint|w|q|nf|fp)[23468]|[23468][-_ ]?bit)(?![a-z0-9])|quant|(?:three|four|eight)[-_ ]?bit",
    re.IGNORECASE,
)
DISTILLED = re.compile(r"distil|few[-_ ]?steps?", re.IGNORECASE)
TUNED = re.compile(r"tuned|adapter", re.IGNORECASE)
PRECISION = re.compile(r"(?<![a-z0-9])(bf16|fp?16|fp?32|fp8)(?![0-9])", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Question:
    """Something that can't be known, and what is taken where nobody answers."""

    text: str
    guess: str


Ask = Callable[[Question], str]


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftVariant:
    """A variant as it is written down; is_example: as a comment, to be taken up or not."""

    name: str
    form: str = "full"
    precision: str | None = None
    weights: Sequence[str] = ()
    settings: Mapping[str, Any] = field(default_factory=dict)
    comment: str = ""
    is_example: bool = False
    asks_for_weights: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """A plan to be written: its runner's lines, its variants, prompts; and files to be written beside it.

    to_fill says what has to be filled in before it runs; notes what was seen and should be known.
    """

    title: str
    runner: str
    runner_lines: Sequence[str]
    variants: Sequence[DraftVariant]
    prompts: Sequence[str]
    seeds: Sequence[int] = (1, 2)
    files: Mapping[str, str] = field(default_factory=dict)
    to_fill: Sequence[str] = ()
    notes: Sequence[str] = ()

    def text(self) -> str:
        """Return the plan, with comments that say what each part is for."""
        return "\n".join((*self._head(), *self._runner(), *self._variants(), *self._tasks(), *_MORE)) + "\n"

    def _head(self) -> list[str]:
        reference = next((variant.name for variant in self.variants if not variant.is_example), "full")
        return [
            "# A plan for Unvek: what is run, how often, and against what it is held. 'unvek check' says what's wrong.",
            f"title = {written(self.title)}",
            f"reference = {written(reference)}   # the variant that the others are held against",
            "",
            "[schedule]",
            "rounds = 3      # fresh starts of every variant's process: intervals come from these",
            "repeats = 2     # runs of each prompt and seed in a round",
            "warmups = 1     # first runs of each process, which count in no result",
            "",
            "[limits]",
            'run = "10 min"  # a run that takes longer is ended; also: stall, memory, tokens, output',
            "",
        ]

    def _runner(self) -> list[str]:
        return [f"[runners.{key(self.runner)}]", *self.runner_lines, ""]

    def _variants(self) -> list[str]:
        lines = []
        for variant in self.variants:
            own = [f"# {variant.comment}"] if variant.comment else []
            own += ["[[variants]]", f"name = {written(variant.name)}"]
            own.append(f"form = {written(variant.form)}   # full, quantized, distilled, tuned or mixed")
            if variant.precision:
                own.append(f"precision = {written(variant.precision)}")
            if variant.weights:
                own.append(f"weights = {written(list(variant.weights))}")
            elif variant.asks_for_weights:
                own.append("weights = []   # FILL IN: the model's files, or the folder that it is")
            if variant.settings:
                own.append(f"settings = {inline(variant.settings)}")
            lines += [*(f"# {line}" if variant.is_example and not line.startswith("#") else line for line in own), ""]
        return lines

    def _tasks(self) -> list[str]:
        lines = ["# Prompts of your own: as many as your question needs. Under six tell little of quality."]
        for number, prompt in enumerate(self.prompts, 1):
            seeds = f"seeds = {written(list(self.seeds))}"
            lines += ["[[tasks]]", f'name = "prompt-{number}"', f"prompt = {written(prompt)}", seeds, ""]
        return lines


_MORE = (
    "# Outputs are held against the reference's by what suits them: pictures by SSIM, texts by their edits. To choose:",
    "# [[measures]]",
    '# name = "likeness"',
    '# kind = "ssim"',
    "",
    "# To see where more stops paying, vary a setting, then 'unvek curve steps':",
    "# [vary]",
    "# steps = [2, 4, 8, 20]",
)


def written(value: Any) -> str:
    """Return a value as TOML has it."""
    import tomlkit  # here: nothing else writes TOML

    return str(tomlkit.item(value).as_string())


def inline(value: Any) -> str:
    """Return JSON as TOML has it in one line; it has no null, and such a key is left out."""
    if isinstance(value, Mapping):
        parts = [f"{key(str(name))} = {inline(one)}" for name, one in value.items() if one is not None]
        return f"{{ {', '.join(parts)} }}"
    if isinstance(value, list):
        return f"[{', '.join(inline(one) for one in value if one is not None)}]"
    return written(value)


def key(name: str) -> str:
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else written(name)


def write_draft(draft: Draft, folder: Path) -> list[Path]:
    """Write the plan and what belongs to it into a folder, and return the files. InputError where one is there."""
    files = {PLAN: draft.text(), **draft.files}
    there = [name for name in files if (folder / name).exists() or (folder / name).is_symlink()]
    if there:
        raise InputError(
            f"{', '.join(there)} in {folder} is there already and is not overwritten; name another folder with --in"
        )
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        with open(folder / name, "x", encoding="utf-8") as file:
            file.write(text)
    return [folder / name for name in files]


def form_of(name: str) -> str:
    """Guess a variant's form by how its files are called."""
    found = {
        form
        for form, sign in (("quantized", QUANTIZED), ("distilled", DISTILLED), ("tuned", TUNED))
        if sign.search(name)
    }
    return "mixed" if len(found) > 1 else found.pop() if found else "full"


def precision_of(name: str) -> str | None:
    """Guess what a variant computes in by how its files are called."""
    found = PRECISION.search(name)
    if found is None:
        return None
    said = found[1].lower()
    return said if said.startswith(("b", "fp")) else f"fp{said[1:]}"


def second_to(first: DraftVariant) -> DraftVariant:
    """Return something that a first variant can be held against: half its steps, or an example to be filled in."""
    steps = first.settings.get("steps")
    if isinstance(steps, int) and steps > 1:
        return replace(
            first, name="fewer-steps", settings={**first.settings, "steps": max(1, steps // 2)},
            comment="The same with half the steps: what would that cost?",
        )  # fmt: skip
    return replace(
        first, name="other", form="quantized", is_example=True, precision=None,
        comment="What the first is held against, with other weights or settings:",
    )  # fmt: skip


def names_of(stems: Sequence[str]) -> list[str]:
    """Return a name for each variant from those of its files: without what all have in common, each only once."""
    words = [re.split(r"(?<=[-_.])", stem) for stem in stems]
    shared = 0
    while len(words) > 1 and all(len(own) > shared + 1 for own in words) and len({own[shared] for own in words}) == 1:
        shared += 1
    found: dict[str, None] = {}
    for own in words:
        plain = re.sub(r"[^A-Za-z0-9._-]+", "-", "".join(own[shared:])).strip("._-")[: LONGEST_NAME - 3] or "model"
        name, number = plain, 1
        while name in found:
            number += 1
            name = f"{plain}-{number}"
        found[name] = None
    return list(found)


def path_from(folder: Path, path: Path) -> str:
    """Return a path as a plan in a folder names it."""
    near = os.path.relpath(path.absolute(), folder.absolute())
    return str(path.absolute()) if near.startswith(os.path.join("..", "..")) else near
