"""Where a logbook is: a folder alone, or a team's database with a folder on this machine beside it.

A plan that goes to a team's logbook leaves a note in the folder beside it, so that the commands that read find it.
"""

import hashlib
import os
import tomllib
from dataclasses import dataclass
from pathlib import Path

from unvek.core.errors import InputError, LogbookError
from unvek.core.held_folder import file_rights_in, open_plain
from unvek.core.logbook.folder import DATABASE_NAME, FOLDER_NAME
from unvek.core.plan.addresses import checked_address, is_address, is_same_database, without_secrets
from unvek.core.plan.model import Plan

TEAM_FOLDER = "team"  # within the folder beside a plan: what this machine has of a team's logbook
NOTE = "team.toml"  # within the folder beside a plan: where its runs went
LARGEST_NOTE = 2**16  # bytes


@dataclass(frozen=True, slots=True)
class Place:
    """The folder of a logbook, and the address of its database where that is a team's: None, it lies in the folder."""

    folder: Path
    address: str | None = None

    @property
    def name(self) -> str:
        """What the logbook is called in what a user reads: never with a password."""
        return str(self.folder) if self.address is None else without_secrets(self.address)

    @property
    def beside(self) -> Path:
        """The folder that the plan lies in, where there is one."""
        is_within = self.is_team and self.folder.name == TEAM_FOLDER
        return (self.folder.parent if is_within else self.folder).absolute().parent

    @property
    def is_team(self) -> bool:
        return self.address is not None


def place_beside(plan: Plan, given: str | Path | None = None) -> Place:
    """Return where the runs of a plan go: as a user gave it, as the plan says, where they went, the folder beside it.

    A note that the plan itself had left by naming a logbook leads nowhere any more once it names none.
    """
    beside = plan.folder / FOLDER_NAME
    where = str(given) if given is not None else plan.logbook
    if where is None:
        noted = _noted(beside)
        return Place(beside / TEAM_FOLDER, noted.address) if noted is not None and not noted.by_plan else Place(beside)
    if is_address(where):
        return Place(beside / TEAM_FOLDER, checked_address(where))
    return Place(Path(where))


def place_named(text: str | Path) -> Place:
    """Return the place that a user has named, for commands that know of no plan."""
    if not is_address(str(text)):
        return Place(Path(text))
    address = checked_address(str(text))
    try:
        found = find_place(Path.cwd())
    except LogbookError:
        found = None
    if found is not None and found.address is not None and is_same_database(found.address, address):
        return Place(found.folder, address)
    return Place(_cache_of(address), address)


def find_place(start: Path) -> Place:
    """Return the logbook of this folder or the nearest one above it; LogbookError where there is none.

    Where a plan's runs went to a team's logbook last, it is that one.
    """
    for folder in (start.absolute(), *start.absolute().parents):
        beside = folder / FOLDER_NAME
        noted = _noted(beside)
        if noted is not None:
            return Place(beside / TEAM_FOLDER, noted.address)
        if (beside / DATABASE_NAME).is_file():
            return Place(beside)
    raise LogbookError(
        f"there is no {FOLDER_NAME}/ in {start.absolute()} or above it; make one with 'unvek run PLAN', or say where "
        "it is with --logbook"
    )


def leave_note(place: Place, plan: Plan) -> bool:
    """Have all commands find the place to which a plan's runs go now, if it is beside the plan.

    Return whether it is noted now for the first time that they go to a team's logbook.

    A password is never noted: the database's client library asks its own file, or the environment, for it.
    """
    is_beside = place.folder.name == (TEAM_FOLDER if place.is_team else FOLDER_NAME)
    note = (place.folder.parent if place.is_team else place.folder) / NOTE
    if not is_beside or note.parent.name != FOLDER_NAME:
        return False
    if place.address is None:
        note.unlink(missing_ok=True)
        return False
    noting = Noted(without_secrets(place.address), by_plan=plan.logbook == place.address)
    noted = _noted(note.parent)
    if noted == noting:
        return False
    text = f"# The runs of the plan beside this folder go to this database; unvek reads it here.\n{_toml(noting)}"
    making = note.with_name(f"{NOTE}.{os.getpid()}")
    with open(os.open(making, os.O_WRONLY | os.O_CREAT | os.O_EXCL, file_rights_in(note.parent)), "w") as file:
        file.write(text)
    making.replace(note)
    return noted is None


def runs_left_behind(place: Place) -> Path | None:
    """Return the folder beside a plan that has runs of its own, where the plan's runs go to a team's logbook now."""
    beside = place.folder.parent
    is_there = place.is_team and place.folder.name == TEAM_FOLDER and (beside / DATABASE_NAME).is_file()
    return beside if is_there else None


@dataclass(frozen=True, slots=True)
class Noted:
    """What a note says: where runs go, and whether the plan says so itself."""

    address: str
    by_plan: bool


def _toml(noting: Noted) -> str:
    import tomlkit  # here: who has no team starts without it

    return tomlkit.dumps({"database": noting.address, "said_by_plan": noting.by_plan})


def _noted(folder: Path) -> Noted | None:
    """Return what a note says; None where there is no note. LogbookError where it can't be read."""
    note = folder / NOTE
    try:
        with os.fdopen(open_plain(note), "rb") as file:
            content = tomllib.loads(file.read(LARGEST_NOTE).decode())
        found = content["database"]
        if not isinstance(found, str) or not is_address(found):
            raise ValueError("it names no database")
        return Noted(checked_address(found), content.get("said_by_plan") is True)
    except (FileNotFoundError, NotADirectoryError):
        return None
    except (OSError, ValueError, KeyError, InputError) as error:
        raise LogbookError(
            f"{note} can't be read ({error}); remove it, or say with --logbook where runs are"
        ) from error


def _cache_of(address: str) -> Path:
    """Return this machine's folder of a team's logbook for who has no plan beside it."""
    from platformdirs import user_cache_path

    digest = hashlib.sha256(without_secrets(address).encode()).hexdigest()[:16]
    return user_cache_path("unvek") / "teams" / digest


def as_place(where: Place | Path) -> Place:
    return where if isinstance(where, Place) else Place(where)
