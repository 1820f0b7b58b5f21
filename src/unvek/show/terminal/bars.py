"""One mark a step, its height the step's time, so that a slow step is seen."""

from collections.abc import Sequence
from itertools import pairwise

EIGHTHS = "▁▂▃▄▅▆▇█"


def step_bars(times_s: Sequence[float], width: int) -> str:
    """Return a mark a step; where there are more steps than columns, a mark stands for the slowest of its share."""
    if not times_s:
        return ""
    if len(times_s) > width:
        edges = [round(place * len(times_s) / width) for place in range(width + 1)]
        times_s = [max(times_s[start:end]) for start, end in pairwise(edges)]
    top = max(times_s)
    return "".join(EIGHTHS[round(max(0.0, time) / top * (len(EIGHTHS) - 1)) if top > 0 else 0] for time in times_s)
