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
OURS = ("_unvek_probe", "_unvek_packages")


class LoadedPackages:
    """Looks at the imported modules again and again; what was found once is not looked up twice."""

    def __init__(self, script: Path):
        self._script = script.resolve()
        self._before: Set[str] = set(sys.modules)  # the worker's own
        self._seen: Set[str] = set()
        self._versions: Dict[str, Optional[str]] = {}
        self._modules: Dict[str, str] = {}

    def news(self) -> Optional[Dict[str, Any]]:
        """Return everything found so far where something has come since the last time, else None."""
        fresh = set(sys.modules) - self._seen
        if not fresh:
            return None
        self._seen |= fresh
        count = len(self._versions), len(self._modules)
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
        if (len(self._versions), len(self._modules)) == count and count != (0, 0):
            return None
        threads = {name: os.environ[name] for name in THREAD_VARIABLES if name in os.environ}
        return {"versions": dict(self._versions), "modules": dict(self._modules), "threads": threads}

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
