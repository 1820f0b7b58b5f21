"""The demo: Alder Row, a plant nursery, and the small models that paint and write for it. All of it is made up."""

import shutil
from pathlib import Path

import unvek.probe
from unvek.core.errors import InputError

PROJECT = Path(__file__).with_name("project")
PLAN = "plan.toml"
FILES = (
    PLAN, "painter.py", "bract.py", "weights.py", "accelerator.toml", "accelerator_painter.py", "sprig.py", "writer.py",
    "write_card.py", "card_server.py", "plants.csv", "given-card.txt", "cards.toml", "served.toml", "faults.toml",
    "ways.toml", "steps.toml", "clips.toml", "clip_painter.py", "chimes.toml", "chimer.py", "check_card.py",
    "variety.toml", "judged.toml", "judge_server.py", "judge_label.py",
)  # fmt: skip
STAND_IN = Path(unvek.probe.__file__).with_name("simulated_accelerator.py")
MODELS = "models"


def lay_out(folder: Path, quick: bool) -> Path:
    """Copy the demo project into a folder, made where there is none; return its plan.

    A folder that holds the project already is left as it is, so that a user's changes stay. InputError where
    the folder holds something else.
    """
    plan = folder / PLAN
    if plan.is_file():
        return plan
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise InputError(f"{folder} holds something else already; name a folder that is empty or not there yet")
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copytree(PROJECT / MODELS, folder / MODELS)
    for name in FILES[1:]:
        shutil.copyfile(PROJECT / name, folder / name)
    shutil.copyfile(STAND_IN, folder / STAND_IN.name)
    text = (PROJECT / PLAN).read_text(encoding="utf-8")
    plan.write_text(quickened(text) if quick else text, encoding="utf-8")
    return plan


def quickened(plan: str) -> str:
    """Return the demo's plan with one task and one repeat; the rounds stay, since intervals are made of them."""
    before, _, rest = plan.partition('[[tasks]]\nname = "amber-eight"')
    return before.replace("repeats = 2 ", "repeats = 1 ") + rest[rest.index("[[measures]]") :]
