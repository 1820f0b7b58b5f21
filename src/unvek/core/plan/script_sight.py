"""What can be seen of a model script without running it: its functions, what it asks for, what it reports."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

LARGEST_SCRIPT = 4 * 2**20
LOAD, RUN = "load", "run"
TAKES = {LOAD: ("variant",), RUN: ("model", "job", "probe")}  # what each is called with
SETTINGS = "settings"


def call_of(name: str) -> str:
    """Return how Unvek calls one of these functions, in words."""
    return f"{name}({', '.join(TAKES[name])})"


class Needed:
    """Stands for the value of a setting that a script can't do without."""


@dataclass(frozen=True, slots=True)
class Function:
    """A function at the top of a script: how many arguments it takes, at least and at most (None: any number)."""

    line: int
    least: int
    most: int | None
    is_async: bool

    def takes(self, count: int) -> bool:
        return self.least <= count and (self.most is None or count <= self.most)


@dataclass(frozen=True, slots=True)
class ScriptSight:
    """What was seen. functions has None for names whose meaning is not seen; has_others: there may be more names.

    settings are those that are asked for by name, each with the value that the script takes where there is none.
    reports are the probe's attributes that run() uses, each with its first line; hands_probe_on: others may use it.
    """

    functions: dict[str, Function | None]
    has_others: bool
    settings: dict[str, Any]
    reports: dict[str, int]
    hands_probe_on: bool
    attributes: frozenset[str]  # every attribute that is used anywhere, such as `weights`

    def is_missing(self, name: str) -> bool:
        return name not in self.functions and not self.has_others


def sight_of(path: Path) -> ScriptSight:
    """Look at a script. Raises SyntaxError where it is none for this interpreter, OSError or ValueError unreadable."""
    with open(path, "rb") as file:
        data = file.read(LARGEST_SCRIPT + 1)
    if len(data) > LARGEST_SCRIPT:
        raise ValueError(f"more than {LARGEST_SCRIPT} bytes")
    try:
        tree = ast.parse(data, str(path))
    except (RecursionError, MemoryError) as error:
        raise ValueError("too deep to be looked at") from error
    functions, has_others = _functions(tree)
    probe = _probe_name(tree)
    return ScriptSight(
        functions=functions,
        has_others=has_others,
        settings=_settings(tree),
        reports=_reports(tree, probe),
        hands_probe_on=probe is None or any(_is_handed_on(node, probe) for node in ast.walk(tree)),
        attributes=frozenset(node.attr for node in ast.walk(tree) if isinstance(node, ast.Attribute)),
    )


def _functions(tree: ast.Module) -> tuple[dict[str, Function | None], bool]:
    """Return the names at the top of a script, and whether there may be others."""
    found: dict[str, Function | None] = {}
    has_others = False
    for node in _at_top(tree.body):
        match node:
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                found[node.name] = _function(node)
            case ast.ClassDef():
                found[node.name] = None
            case ast.Import() | ast.ImportFrom():
                names = [alias.asname or alias.name.partition(".")[0] for alias in node.names]
                has_others |= "*" in names
                found.update(dict.fromkeys(names))
            case ast.Assign() | ast.AnnAssign():
                targets = node.targets if isinstance(node, ast.Assign) else [node.target]
                found.update(dict.fromkeys(name for target in targets for name in _names_in(target)))
            case ast.Expr() if isinstance(node.value, ast.Call):
                has_others |= not {"exec", "globals"}.isdisjoint(_names_in(node))
    return found, has_others


def _names_in(node: ast.AST) -> Iterator[str]:
    return (name.id for name in ast.walk(node) if isinstance(name, ast.Name))


def _at_top(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """Yield the statements at the top, those within if, try and with among them."""
    for node in body:
        yield node
        for field in ("body", "orelse", "finalbody"):
            inner = getattr(node, field, None)
            if isinstance(node, ast.If | ast.Try | ast.With | ast.For | ast.While) and inner:
                yield from _at_top(inner)
        for handler in getattr(node, "handlers", ()):
            yield from _at_top(handler.body)


def _function(node: ast.FunctionDef | ast.AsyncFunctionDef) -> Function | None:
    if node.decorator_list:
        return None  # it may take anything then
    of = node.args
    positional = len(of.posonlyargs) + len(of.args)
    needs_names = any(default is None for default in of.kw_defaults)
    least = positional - len(of.defaults)
    return Function(
        line=node.lineno,
        least=least if not needs_names else 1000,  # it can't be called without names
        most=None if of.vararg is not None else positional,
        is_async=isinstance(node, ast.AsyncFunctionDef),
    )


def _settings(tree: ast.Module) -> dict[str, Any]:
    """Return the settings that are asked for by a name that stands there."""
    names = {
        target.id
        for node in ast.walk(tree)
        if isinstance(node, ast.Assign) and _is_settings(node.value, frozenset())
        for target in node.targets
        if isinstance(target, ast.Name)
    }
    found: dict[str, Any] = {}
    for node in ast.walk(tree):
        match node:
            case ast.Subscript(value=value, slice=ast.Constant(value=str(key))) if _is_settings(value, names):
                found[key] = Needed
            case ast.Call(func=ast.Attribute(value=value, attr="get"), args=[ast.Constant(value=str(key)), *rest]):
                if _is_settings(value, names):
                    found.setdefault(key, _literal(rest[0]) if rest else None)
    return found


def _is_settings(node: ast.expr, names: frozenset[str] | set[str]) -> bool:
    is_attribute = isinstance(node, ast.Attribute) and node.attr == SETTINGS
    return is_attribute or (isinstance(node, ast.Name) and node.id in names)


def _literal(node: ast.expr) -> Any:
    try:
        return ast.literal_eval(node)
    except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
        return None


def _run_node(tree: ast.Module) -> ast.FunctionDef | None:
    return next((n for n in _at_top(tree.body) if isinstance(n, ast.FunctionDef) and n.name == RUN), None)


def _probe_name(tree: ast.Module) -> str | None:
    """Return what run() calls its probe; None where that is not seen."""
    run = _run_node(tree)
    arguments = [*run.args.posonlyargs, *run.args.args] if run is not None else []
    place = TAKES[RUN].index("probe")
    return arguments[place].arg if len(arguments) > place else None


def _reports(tree: ast.Module, probe: str | None) -> dict[str, int]:
    found: dict[str, int] = {}
    for node in ast.walk(_run_node(tree) or ast.Module([], [])):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == probe:
            found.setdefault(node.attr, node.lineno)
    return found


def _is_handed_on(node: ast.AST, probe: str) -> bool:
    """Whether the probe itself goes somewhere: into a call, or under another name."""
    given: list[ast.expr | None]
    match node:
        case ast.Call():
            given = [*node.args, *(keyword.value for keyword in node.keywords)]
        case ast.Assign() | ast.Return():
            given = [node.value]
        case ast.Lambda():
            given = [node.body]
        case ast.Tuple() | ast.List():
            given = [*node.elts]
        case _:
            return False
    return any(isinstance(one, ast.Name) and one.id == probe for one in given)
