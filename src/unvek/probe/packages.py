"""What a model's process has imported: packages with their versions, and the script's own modules with their digests.

Standard library only, Python 3.8 and later.
"""

import hashlib
import os
import sys
from importlib import metadata
from pathlib import Path
from typing import Any, Dict, Optional, Set

MOST_PACKAGES, MOST_MODULES = 300, 100
LONGEST_VERSION = 80
THREAD_VARIABLES = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "VECLIB_MAXIMUM_THREADS",
                    "NUMEXPR_NUM_THREADS")  # fmt: skip
OURS = ("_unvek_probe", "_unvek_packages", "_unvek_libraries")


class LoadedPackages:
    """Looks at the imported modules again and again; what was found once is not looked up twice."""

    def __init__(self, script: Path, libraries: Any = None):
        """libraries tells the threads of number libraries (libraries.py)."""
        self._libraries = libraries
        self._threads: Dict[str, str] = {}
        self._script = script.resolve()
        self._before: Set[str] = set(sys.modules)  # the worker's own
        self._seen: Set[str] = set()
        self._versions: Dict[str, Optional[str]] = {}
        self._modules: Dict[str, str] = {}

    def news(self) -> Optional[Dict[str, Any]]:
        """Return everything found so far where something has come since the last time, else None."""
        fresh = set(sys.modules) - self._seen
        threads = self._threads_now(bool(fresh))
        if not fresh and threads == self._threads:
            return None
        self._seen |= fresh
        before = len(self._versions), len(self._modules), self._threads
        self._threads = threads
        standard = getattr(sys, "stdlib_module_names", self._before)
        for name in sorted(fresh):
            top = name.partition(".")[0]
            if top in standard or top in self._versions or name in OURS or top.startswith("__"):
                continue
            file = getattr(sys.modules.get(name), "__file__", None)
            if file is None and not hasattr(sys.modules.get(name), "__path__"):
                continue  # made within another module
            if file is not None and self._is_own(file):
                self._digest(file)
            elif "." not in name and not top.startswith("_") and len(self._versions) < MOST_PACKAGES:
                self._versions[top] = version_of(top)
        now = len(self._versions), len(self._modules), self._threads
        if now == before and before[:2] != (0, 0):
            return None
        return {"versions": self._heaviest_first(), "modules": dict(self._modules), "threads": threads}

    def _threads_now(self, look: bool) -> Dict[str, str]:
        """Return what the environment asks for, and what the libraries work with."""
        threads = {name: os.environ[name] for name in THREAD_VARIABLES if name in os.environ}
        if self._libraries is not None:
            if look:
                self._libraries.look()
            threads.update(self._libraries.counts())
        return threads

    def _heaviest_first(self) -> Dict[str, Optional[str]]:
        """Return the versions, those of packages with the most modules first: what a model runs on is large."""
        sizes: Dict[str, int] = {}
        for name in sys.modules:
            top = name.partition(".")[0]
            sizes[top] = sizes.get(top, 0) + 1
        return dict(sorted(self._versions.items(), key=lambda item: (-sizes.get(item[0], 0), item[0])))

    def _is_own(self, file: str) -> bool:
        """Whether a module lies beside the script or below it, and isn't installed there."""
        try:
            inside = Path(file).resolve().relative_to(self._script.parent)
        except (ValueError, OSError):
            return False
        return "site-packages" not in inside.parts and "dist-packages" not in inside.parts

    def _digest(self, file: str) -> None:
        if Path(file).resolve() == self._script:
            return  # the engine has its digest already
        if len(self._modules) < MOST_MODULES:
            try:
                self._modules[str(Path(file).resolve())] = hashlib.sha256(Path(file).read_bytes()).hexdigest()
            except OSError:
                pass  # made in memory, or gone again


def version_of(name: str) -> Optional[str]:
    """Return a package's version by its metadata or by its own word; None where neither says."""
    try:
        return metadata.version(name)[:LONGEST_VERSION]
    except Exception:  # no such distribution, or its metadata are broken
        said = getattr(sys.modules.get(name), "__version__", None)
        return str(said)[:LONGEST_VERSION] if isinstance(said, (str, int, float)) else None
