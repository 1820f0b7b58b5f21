"""A finding as JSON: one object with `unvek` (the format's version), `kind` and the finding's own fields."""

import math
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

FORMAT_VERSION = 1
_PLAIN = (str, int, bool)
_names: dict[Any, tuple[str, ...]] = {}  # the fields of each kind of finding, looked up once


def finding_as_json(finding: Any) -> dict[str, Any]:
    """Return a finding (a dataclass with a `kind`) as JSON values.

    Numbers that are not known or not finite become null. A field whose metadata say json=False is left out: it
    is there for drawing only. A long sequence may give its entries as JSON values itself, by `json_records`.
    """
    return {"unvek": FORMAT_VERSION, "kind": finding.kind, **_value(finding)}


def _value(value: Any) -> Any:
    kind = type(value)
    if value is None or kind in _PLAIN:
        return value
    if kind is float:
        return value if math.isfinite(value) else None
    if hasattr(value, "json_records"):
        return value.json_records()
    if is_dataclass(value):
        return {name: _value(getattr(value, name)) for name in _names_of(kind)}
    if isinstance(value, Mapping):
        return {str(key): _value(entry) for key, entry in value.items()}
    if isinstance(value, tuple | list):
        return [_value(entry) for entry in value]
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value


def _names_of(kind: Any) -> tuple[str, ...]:
    if kind not in _names:
        _names[kind] = tuple(field.name for field in fields(kind) if field.metadata.get("json", True))
    return _names[kind]
