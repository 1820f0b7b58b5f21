"""The system's own bound on a launch's memory, where it can be had: a control group (cgroups(7)) around its processes.

The limit of a plan is kept by watching; between two looks a model could take the whole machine. The fence stands a
little further out and stops that: the system then ends the model and nothing else. A plain user can build one where
the system has handed a part of the tree of groups to him, as desktop sessions under systemd do; root can anywhere.
"""

import os
import sys
from pathlib import Path
from time import sleep

GROUPS = Path("/sys/fs/cgroup")
BEYOND_SHARE, BEYOND_BYTES = 0.1, 64 * 2**20  # how far beyond the limit the fence stands
END_FIRST = "800"  # proc(5), oom_score_adj: if the machine itself runs out, the model goes and not the desktop
REMOVE_TRIES = 20


class MemoryFence:
    """A group that one process, and all that it starts, is put into."""

    def __init__(self, folder: Path, kills_file: str):
        self._folder = folder
        self._kills_file = kills_file

    @classmethod
    def around(cls, process: int, name: str, most_bytes: int, groups: Path = GROUPS) -> "MemoryFence | None":
        """Build a fence around a process that has just started; None where the system allows none."""
        for folder, limit_file, kills_file in _places(groups, name):
            fence = cls(folder, kills_file)
            try:
                folder.mkdir()
                (folder / limit_file).write_text(str(int(most_bytes * (1 + BEYOND_SHARE)) + BEYOND_BYTES))
                (folder / "cgroup.procs").write_text(str(process))
                return fence
            except OSError:
                fence.remove()
        return None

    def has_killed(self) -> bool:
        """Whether the system has ended a process because the group held too much."""
        try:
            lines = (self._folder / self._kills_file).read_text().splitlines()
        except OSError:
            return False
        return any(line.startswith("oom_kill ") and line != "oom_kill 0" for line in lines)

    def remove(self) -> None:
        """Take the group away; it can only go when its processes have."""
        for _ in range(REMOVE_TRIES):
            try:
                self._folder.rmdir()
                return
            except FileNotFoundError:
                return
            except OSError:
                sleep(0.01)


def remove_stale_fences(groups: Path = GROUPS) -> None:
    """Take away the groups that an engine which was killed has left; one that still holds a process stays."""
    for place, _, _ in _places(groups, ""):
        for folder in place.parent.glob(f"{place.name}*"):
            try:
                folder.rmdir()
            except OSError:
                continue


def let_go_first(process: int) -> None:
    """Have the system choose this process, and what it starts, if the whole machine runs out of memory."""
    if sys.platform == "linux":
        try:
            Path(f"/proc/{process}/oom_score_adj").write_text(END_FIRST)
        except OSError:
            pass  # it has ended already


def _places(groups: Path, name: str) -> list[tuple[Path, str, str]]:
    """Return where a group could stand: (folder, file of its limit, file of its kills), for both kinds of tree."""
    try:
        lines = Path("/proc/self/cgroup").read_text().splitlines()
    except OSError:
        return []
    places = []
    for line in lines:
        _, controllers, path = line.split(":", 2)
        if controllers == "":  # the one tree of today: a group with processes can have none below it, so beside ours
            beside = (groups / path.lstrip("/")).parent if path != "/" else groups
            if _gives_memory(beside) and os.access(beside, os.W_OK):
                places.append((beside / f"unvek-{name}", "memory.max", "memory.events"))
        elif "memory" in controllers.split(","):
            below = groups / "memory" / path.lstrip("/")
            places.append((below / f"unvek-{name}", "memory.limit_in_bytes", "memory.oom_control"))
    return places


def _gives_memory(folder: Path) -> bool:
    try:
        return "memory" in (folder / "cgroup.subtree_control").read_text().split()
    except OSError:
        return False
