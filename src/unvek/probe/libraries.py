"""How many threads the number libraries of a process work with, as they say themselves: a script may have set that.

Standard library only, Python 3.8 and later. Only what is loaded already is asked.
"""

import ctypes
import re
import sys
from typing import Any, Callable, Dict, List, Tuple

# Shared libraries by a part of their file's name, each with the functions that may tell; the first that is there does.
ASKED: Tuple[Tuple[str, Tuple[str, ...]], ...] = (
    ("openblas", ("openblas_get_num_threads", "openblas_get_num_threads64_", "scipy_openblas_get_num_threads",
                  "scipy_openblas_get_num_threads64_")),
    ("mkl_rt", ("MKL_Get_Max_Threads",)),
    ("blis", ("bli_thread_get_num_threads",)),
    ("gomp", ("omp_get_max_threads",)),
    ("iomp5", ("omp_get_max_threads",)),
    ("libomp", ("omp_get_max_threads",)),
)  # fmt: skip
MAPS = "/proc/self/maps"
LIBRARY = re.compile(r"/[^\n]*?/?([^/\n]+\.so[^/\n]*)$", re.MULTILINE)
MOST_LIBRARIES = 20


class ThreadsOfLibraries:
    """Looks for libraries when something was imported, and asks those that were found at any time."""

    def __init__(self) -> None:
        self._asked: Dict[str, Callable[[], Any]] = {}

    def look(self) -> None:
        """Find the libraries that are loaded now; none where the system does not tell of them."""
        try:
            with open(MAPS) as file:
                paths = sorted({found[0] for found in LIBRARY.finditer(file.read())})
        except OSError:
            paths = []
        for path in paths:
            for part, functions in ASKED:
                if part in path.rpartition("/")[2] and len(self._asked) < MOST_LIBRARIES:
                    self._add(part, path, functions)
        torch = sys.modules.get("torch")
        if callable(getattr(torch, "get_num_threads", None)):
            self._asked["torch"] = torch.get_num_threads  # type: ignore[union-attr]

    def _add(self, name: str, path: str, functions: Tuple[str, ...]) -> None:
        try:
            library = ctypes.CDLL(path)
        except OSError:
            return
        for function in functions:
            found = getattr(library, function, None)
            if found is not None:
                self._asked.setdefault(name, found)
                return

    def counts(self) -> Dict[str, str]:
        """Return how many threads each library works with, by its name."""
        counts: List[Tuple[str, str]] = []
        for name, ask in self._asked.items():
            try:
                count = int(ask())
            except Exception:  # a library in a state of its own must not end a run
                continue
            if 0 < count < 100_000:
                counts.append(("threads of " + name, str(count)))
        return dict(counts)
