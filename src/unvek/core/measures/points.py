"""How much of a thing that a task expects is there: the words for it, and the numbers that they stand for."""

from collections.abc import Mapping
from types import MappingProxyType

POINTS: Mapping[str, float] = MappingProxyType({"there": 1.0, "partly": 0.5, "missing": 0.0})
POINT_WORDS: Mapping[float, str] = MappingProxyType({value: words for words, value in POINTS.items()})
NOT_JUDGED = "not yet judged"
