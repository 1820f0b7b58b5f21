"""A model that is a folder: which files in it are the model."""

import os
from collections.abc import Iterator
from pathlib import Path

MOST_FILES = 2000
LEFT_OUT = "__pycache__"  # beside every name with a dot before it: what loading leaves there is no part of a model


class FolderError(ValueError):
    """A folder that can't be taken as a model; the text says why, in words that follow its name."""


def files_of(path: Path) -> tuple[Path, ...]:
    """Return the files that a path stands for: itself, or those in the folder and in the folders in it, in order.

    Links are followed, a folder is gone through once. Raises FolderError where nothing is in it, a link leads
    nowhere or the files are too many, and OSError where it may not be looked into.
    """
    if not path.is_dir():
        return (path,)
    files = []
    for file in _walk(path):
        if not file.exists():
            raise FolderError(f"a folder with a link to nothing ({file.relative_to(path)})")
        if file.is_file():  # what else a folder may hold, such as a socket, has no content
            files.append(file)
        if len(files) > MOST_FILES:
            raise FolderError(f"a folder with more than {MOST_FILES} files")
    if not files:
        raise FolderError("a folder with no files in it")
    return tuple(sorted(files))


def _walk(folder: Path) -> Iterator[Path]:
    def refuse(error: OSError) -> None:
        raise error

    seen: set[tuple[int, int]] = set()
    for at, folders, names in os.walk(folder, followlinks=True, onerror=refuse):
        status = os.stat(at)
        if (status.st_dev, status.st_ino) in seen:  # by a link: once is enough, and a circle has no end
            folders.clear()
            continue
        seen.add((status.st_dev, status.st_ino))
        folders[:] = sorted(name for name in folders if _is_of_model(name))
        yield from (Path(at, name) for name in names if _is_of_model(name))


def _is_of_model(name: str) -> bool:
    return not name.startswith(".") and name != LEFT_OUT
