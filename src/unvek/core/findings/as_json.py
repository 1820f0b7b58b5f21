"""A finding as JSON: one object with `unvek` (the format's version), `kind` and the finding's own fields."""

import json
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any

FORMAT_VERSION = 1
LONG = 2000  # rows, from which on nobody reads them
_PLAIN = (str, int, bool)
_names: dict[Any, tuple[str, ...]] = {}  # the fields of each kind of finding, looked up once


def finding_as_json(finding: Any) -> dict[str, Any]:
    """Return a finding (a dataclass with a `kind`) as JSON values.

    Numbers that are not known or not finite become null. A field whose metadata say json=False is left out: it
    is there for drawing only.
    """
    return {"unvek": FORMAT_VERSION, "kind": finding.kind, **_value(finding)}


def json_pieces(finding: Any) -> Iterator[str]:
    """Yield the text of a finding as JSON, piece by piece.

    Indented for people to read, as long as anybody could: it takes ten times as long to write. A long sequence that
    gives its entries as JSON values itself (`json_blocks`: by column, so many at a time) is never held whole.
    """
    long = next((name for name in _names_of(type(finding)) if _is_long(getattr(finding, name))), None)
    if long is None:
        content = finding_as_json(finding)
        yield _as_text(content, indent=2 if len(content.get("rows", ())) <= LONG else None)
    else:
        yield _as_text({"unvek": FORMAT_VERSION, "kind": finding.kind})[:-1]
        for name in _names_of(type(finding)):
            value = getattr(finding, name)
            yield f', "{name}": '
            yield from _pieces_of(value) if name == long else [_as_text(_value(value))]
        yield "}"


def _is_long(value: Any) -> bool:
    return hasattr(value, "json_blocks") and len(value) > LONG


def _pieces_of(value: Any) -> Iterator[str]:
    between = ""
    yield "["
    for block in value.json_blocks():
        yield between + _as_text(records_of(block))[1:-1]
        between = ", "
    yield "]"


def _as_text(value: Any, indent: int | None = None) -> str:
    return json.dumps(value, indent=indent, allow_nan=False)


def _value(value: Any) -> Any:
    kind = type(value)
    if value is None or kind in _PLAIN:
        return value
    if kind is float:
        return value if math.isfinite(value) else None
    if hasattr(value, "json_blocks"):
        return [record for block in value.json_blocks() for record in records_of(block)]
    if is_dataclass(value):
        return {name: _value(getattr(value, name)) for name in _names_of(kind)}
    if isinstance(value, Mapping):
        return {str(key): _value(entry) for key, entry in value.items()}
    if isinstance(value, tuple | list):
        return [_value(entry) for entry in value]
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value


def records_of(columns: Mapping[str, Sequence[Any]]) -> list[dict[str, Any]]:
    """Return rows that are given by column."""
    return [dict(zip(columns, values, strict=True)) for values in zip(*columns.values(), strict=True)]


def _names_of(kind: Any) -> tuple[str, ...]:
    if kind not in _names:
        _names[kind] = tuple(field.name for field in fields(kind) if field.metadata.get("json", True))
    return _names[kind]
