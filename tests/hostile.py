"""Texts that would do something if they were taken for more than texts: seeded, so that a failure can be made again."""

import random
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

from unvek.core.findings.report.anonymous import OWN_NAMES

PARTS = (
    "<script>window.hit = 1</script>", "</script><script>window.hit = 1</script>", "<img src=x onerror='window.hit = 1'>",
    '" onmouseover="window.hit = 1', "' autofocus onfocus='window.hit = 1", "<svg onload=window.hit=1><script>window.hit=1</script></svg>",
    "javascript:window.hit=1", "<iframe srcdoc='<script>parent.hit = 1</script>'></iframe>", "{{ 7 * 7 }}{% raw %}", "${window.hit = 1}",
    "<!-- ", " -->", "]]>", "<style>*{display:none}</style>", "<base href=http://example.invalid/>", "&lt;b&gt;&amp;", "\u202e\u2066\u200b",
    "\x1b[31m\x1b]0;t\x07", "\x00", "<a href='javascript:window.hit=1'>x</a>", "<meta http-equiv=refresh content=0>", "$\\frac{1}{$", "%s{0}",
)  # fmt: skip
# What stands for itself in a page: ids, classes, words that Unvek chose.
OWN = OWN_NAMES | frozenset((
    "quality", "asked", "setting", "sort", "severity", "better", "files", "digest", "version", "made", "started", "answer", "over", "by", "source", "id", "kind", "uris", "needs",
))  # fmt: skip


def hostile_text(rng: random.Random) -> str:
    return "".join(rng.choice(PARTS) for _ in range(rng.randint(1, 4)))


def with_hostile_texts(value: Any, rng: random.Random, share: float = 1.0) -> Any:
    """Return a finding in which so many of its texts are hostile ones."""
    return _changed(value, lambda text: text + hostile_text(rng) if rng.random() < share else text)


def _changed(value: Any, change: Callable[[str], str]) -> Any:
    if isinstance(value, str):
        return change(value)
    if is_dataclass(value) and not isinstance(value, type):
        names = [field.name for field in fields(value) if field.init and field.name not in OWN]
        return replace(value, **{name: _changed(getattr(value, name), change) for name in names})
    if isinstance(value, Mapping):
        return {key: _changed(entry, change) for key, entry in value.items()}
    if isinstance(value, tuple | list):
        return type(value)(_changed(entry, change) for entry in value)
    return value
