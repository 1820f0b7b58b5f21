"""A finding as JSON: one object with `unvek` (the format's version), `kind` and the finding's own fields."""

import math
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

FORMAT_VERSION = 1


def finding_as_json(finding: Any) -> dict[str, Any]:
    """Return a finding (a dataclass with a `kind`) as JSON values.

    Numbers that are not known or not finite become null. A field whose metadata say json=False is left out: it
    is there for drawing only.
    """
    return {"unvek": FORMAT_VERSION, "kind": finding.kind, **_value(finding)}


def _value(value: Any) -> Any:
    if is_dataclass(value):
        return {
            field.name: _value(getattr(value, field.name))
            for field in fields(value)
            if field.metadata.get("json", True)
        }
    if isinstance(value, Mapping):
        return {str(key): _value(entry) for key, entry in value.items()}
    if isinstance(value, tuple | list):
        return [_value(entry) for entry in value]
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value
