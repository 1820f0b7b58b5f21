"""Has a function of a script look at outputs, one after the other: python looker.py SOCKET_FD SCRIPT FUNCTION.

Asked by JSON lines through the socket, it calls FUNCTION with what that takes by name (output, reference, out, task,
prompt, seed, expect) and answers with what it returns. Standard library only, Python 3.8 and later.
"""

import importlib.util
import inspect
import json
import socket
import sys
from pathlib import Path
from typing import Any, Callable, Dict

LONGEST_ERROR = 500


def main() -> None:
    asked = socket.socket(fileno=int(sys.argv[1]))
    asked.set_inheritable(False)
    script, name = Path(sys.argv[2]), sys.argv[3]
    sys.path[0] = str(script.parent)
    sys.argv[:] = [str(script)]
    failed, function = "", unloaded
    try:
        function = loaded(script, name)
    except BaseException as error:  # whatever the script does while it is imported, SystemExit among it
        failed = described(error)
    for line in asked.makefile("rb"):
        answer = {"error": failed} if failed else answered(function, json.loads(line))
        asked.sendall(json.dumps(answer).encode("utf-8", "replace") + b"\n")


def loaded(script: Path, name: str) -> Callable[..., Any]:
    spec = importlib.util.spec_from_file_location(script.stem, script)
    if spec is None or spec.loader is None:
        raise ImportError("%s is no Python file" % script.name)
    module = importlib.util.module_from_spec(spec)
    sys.modules[script.stem] = module
    spec.loader.exec_module(module)
    if not callable(getattr(module, name, None)):
        raise AttributeError("%s has no function %s" % (script.name, name))
    function: Callable[..., Any] = getattr(module, name)
    return function


def unloaded() -> None:
    """Stands for a function that could not be had."""


def answered(function: Callable[..., Any], about: Dict[str, Any]) -> Dict[str, Any]:
    """Call the function with what it takes of what is known."""
    try:
        about = dict(about, seed=int(about["seed"]), expect=[thing for thing in about["expect"].split("\n") if thing])
        parameters = inspect.signature(function).parameters.values()
        if not any(one.kind == one.VAR_KEYWORD for one in parameters):
            about = {one.name: about[one.name] for one in parameters if one.name in about}
        answer = plain(function(**about))
        json.dumps(answer, allow_nan=False)
        return {"answer": answer}
    except BaseException as error:
        return {"error": described(error)}


def plain(value: Any) -> Any:
    """Return numbers of other packages as Python's own."""
    if isinstance(value, dict):
        return {str(key): plain(one) for key, one in value.items()}
    return value.item() if hasattr(value, "item") else value


def described(error: BaseException) -> str:
    return ("%s: %s" % (type(error).__name__, error))[:LONGEST_ERROR]


if __name__ == "__main__":
    main()
