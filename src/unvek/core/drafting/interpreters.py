"""Which interpreter a script is for: one that has what it imports."""

import ast
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

ASK_S = 20.0
MISSING = (
    "import sys, importlib.util as u\n"
    "def there(n):\n    try: return u.find_spec(n) is not None\n    except Exception: return False\n"
    "print('\\n'.join(n for n in sys.argv[1:] if not there(n)))"
)


def imports_of(script: Path) -> list[str]:
    """Return the packages that a script imports, without the standard library's and those beside it."""
    tree = ast.parse(script.read_bytes(), str(script))
    names: dict[str, None] = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            names.update(dict.fromkeys(alias.name.partition(".")[0] for alias in node.names))
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            names[node.module.partition(".")[0]] = None
    beside = {path.stem for path in script.parent.iterdir() if path.suffix == ".py" or path.is_dir()}
    return [name for name in names if name not in sys.stdlib_module_names and name not in beside]


def interpreter_for(script: Path, folder: Path) -> tuple[str | None, list[str]]:
    """Return an interpreter that has what a script imports (None: ours), and what the best one still lacks."""
    wanted = imports_of(script)
    best: tuple[str | None, list[str]] = (None, _missing(sys.executable, wanted))
    for python in _candidates(script, folder) if best[1] else ():
        lacks = _missing(python, wanted)
        if len(lacks) < len(best[1]):
            best = (python, lacks)
    return best


def _candidates(script: Path, folder: Path) -> Iterator[str]:
    near = (script.parent.absolute(), folder.absolute(), Path.cwd())
    environments = [os.environ.get("VIRTUAL_ENV"), os.environ.get("CONDA_PREFIX")]
    environments += [str(place / name) for place in near for name in (".venv", "venv")]
    found = [str(Path(one) / "bin" / "python") for one in environments if one]
    yield from dict.fromkeys(python for python in found if os.access(python, os.X_OK))
    yield "python3"


def _missing(python: str, names: list[str]) -> list[str]:
    """Return which of these packages an interpreter does not have; all of them where it can't be asked."""
    if not names:
        return []
    try:
        asked = subprocess.run(
            [python, "-I" if python == sys.executable else "-s", "-c", MISSING, *names],
            capture_output=True, text=True, timeout=ASK_S, check=True, stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, subprocess.SubprocessError):
        return names
    return [name for name in asked.stdout.split() if name in names]
