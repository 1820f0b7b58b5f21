"""Quantities: parsing "30 s", "12 GiB" and "3 %", and wording them again.

Inside Unvek a time is in seconds and a size in bytes, as their names say (`_s`, `_bytes`); only here do they
become text. How speed is worded is decided in one place, `speed_words`.
"""

import math
import re
from collections.abc import Mapping, Sequence
from contextlib import suppress

SECONDS: Mapping[str, float] = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0}
BYTES: Mapping[str, float] = {"B": 1, "KiB": 2**10, "MiB": 2**20, "GiB": 2**30, "kB": 1e3, "MB": 1e6, "GB": 1e9}
_CLOCK = re.compile(r"(?:(\d{1,4}):)?(\d{1,3}):(\d{1,2}(?:\.\d+)?)")  # 0:31, 1:02:03.5
_PARTS = re.compile(r"\s*([\d.]+\s*[a-zµ]+)", re.IGNORECASE)  # 1 min 2 s
_QUANTITY = re.compile(r"\s*([0-9]+(?:\.[0-9]+)?)\s*([A-Za-z%]*)\s*")
# What is told beyond these can't be, or can't be worked with: a ratio or a square of it would be no number.
LARGEST_NUMBER, SMALLEST_NUMBER, LONGEST_S, SHORTEST_S = 1e100, 1e-100, 1e10, 1e-12
NO_CURRENCY = "¤"  # the sign for a currency that nobody has named
_CURRENCY = re.compile(r"[A-Z]{3}|[$€£¥¤₹₩]")
PLACES = 6  # the most decimals that any figure is shown with


def is_0_or_within(number: float, least: float, most: float) -> bool:
    """Whether a number is 0, or its size lies within bounds."""
    return number == 0 or least <= abs(number) <= most


def is_currency(unit: str) -> bool:
    """Whether a unit is money: a code of ISO 4217, or a sign."""
    return _CURRENCY.fullmatch(unit) is not None


def by_thousand(currency: str) -> str:
    """The unit of what a thousand cost: small sums are read by it."""
    return f"{currency} per 1,000"


def parse_duration(text: str) -> float:
    """Return seconds for a text such as "30 s", "1.5 min" or "200 ms".

    Raises ValueError, saying what would be right, for another text or where the unit is missing.
    """
    return _parse(text, SECONDS, 'a duration with its unit, such as "30 s", "200 ms", "10 min" or "2 h"')


def parse_written_time(text: str) -> float | None:
    """Return the seconds of a time as people write it: 0:31, 1:02:03.5, 31 s, 1 min 2 s; None where it is not so.

    ValueError where it begins so, and has a unit that there is not.
    """
    if (clock := _CLOCK.fullmatch(text.strip())) is not None:
        hours, minutes, seconds = (float(part or 0) for part in clock.groups())
        return 3600 * hours + 60 * minutes + seconds
    if not _PARTS.match(text) or _PARTS.sub("", text).strip():
        return None
    try:
        return sum(parse_duration(part) for part in _PARTS.findall(text))
    except ValueError as error:
        raise ValueError('seconds, such as 31, "0:31" or "1 min 2 s"') from error


def parse_bytes(text: str) -> int:
    """Return bytes for a text such as "12 GiB" or "500 MB"; ValueError as for parse_duration."""
    return round(_parse(text, BYTES, 'a size with its unit, such as "12 GiB" or "500 MB"'))


def parse_value(text: str) -> int | float | bool | str:
    """Return a number, or true or false, where the text is one."""
    if text in ("true", "false"):
        return text == "true"
    for kind in (int, float):
        with suppress(ValueError):
            return kind(text)
    return text


def parse_share(text: str) -> float:
    """Return the share for a percentage such as "3 %", above 0 and below 100; ValueError as for parse_duration."""
    wanted = 'a percentage above 0 and below 100, such as "3 %" or "0.5 %"'
    share = _parse(text, {"%": 0.01}, wanted)
    if not 0 < share < 1:
        raise ValueError(wanted)
    return share


def _parse(text: str, units: Mapping[str, float], wanted: str) -> float:
    found = _QUANTITY.fullmatch(text)
    if not found or found[2] not in units:
        raise ValueError(wanted)
    return float(found[1]) * units[found[2]]


def duration_words(seconds: float) -> str:
    """Word a stretch of time for reading: "44 us", "45 ms", "3.2 s", "4 min 10 s", "2 h 05 min"."""
    if 0 < seconds < 0.0009995:
        return f"{seconds * 1e6:.3g} us"
    if seconds < 0.9995:
        return f"{seconds * 1000:.3g} ms"
    if seconds < 9.95:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 120:
        return f"{whole} s"
    if whole < 2 * 3600:
        return f"{whole // 60} min {whole % 60:02} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02} min"


def range_words(low_s: float, high_s: float) -> str:
    """Word a range of time, once where both ends read the same."""
    low, high = duration_words(low_s), duration_words(high_s)
    if low == high:
        return low
    low_number, _, low_unit = low.partition(" ")
    high_number, _, high_unit = high.partition(" ")
    return f"{low_number} to {high_number} {low_unit}" if low_unit == high_unit else f"{low} to {high}"


def bytes_words(size: float) -> str:
    """Word a size: "911 KiB", "38.2 MiB"."""
    for unit in ("B", "KiB", "MiB", "GiB"):
        if size < 1000 or unit == "GiB":
            break
        size /= 1024
    return f"{size:.0f} {unit}" if size >= 100 or unit == "B" else f"{size:.1f} {unit}"


def counted(number: int, name: str) -> str:
    """Word a number of things: "1 run", "3 runs"."""
    return f"{number} {name}{'' if number == 1 else 's'}"


def few_of(names: Sequence[object], most: int) -> str:
    """Word the first few of many: "3, 4, 5 and 13 more"."""
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(map(str, names[:most])) + more


def speed_words(time_ratio: float, reference: str = "", decimals: int | None = None) -> str:
    """Word how fast something is against a reference, named or not, from its time over the reference's.

    The only place in Unvek that words speed: a label in 36 ms against one in 50 ms
    is "1.39x as fast (28 % less time)", never "a third faster". decimals: as many as its column has, if it has one.
    """
    change = round(abs(time_ratio - 1) * 100)
    against = f" as {reference}" if reference else ""
    times = times_words(1 / time_ratio) if decimals is None else f"{1 / time_ratio:.{decimals}f}x"
    less = f"{change} % {'less' if time_ratio < 1 else 'more'} time" if change else "the same time"
    return f"{times} as fast{against} ({less})"


def times_words(factor: float) -> str:
    """Word a factor to three digits: "1.39x", "9.31x", "12.4x"."""
    return f"{factor:.{max(0, 2 - max(0, math.floor(math.log10(factor))))}f}x"


def drift_words(drift: float) -> str:
    """Word a drift; below 0 an output is more like the reference's than the reference's own rerun is."""
    return f"{round(drift, 2) or 0.0:.2f}"  # never "-0.00"


def probability_words(probability: float) -> str:
    """Word a probability; nothing that is drawn is ever certain."""
    return ">0.99" if probability > 0.99 else "<0.01" if probability < 0.01 else f"{probability:.2f}"


def ratio_decimals(low: float, high: float) -> int:
    """Return how many decimals of a ratio its interval supports: two at least, four at most."""
    return max(2, min(4, decimals_for((low + high) / 2, low, high)))


def decimals_for(value: float, low: float | None, high: float | None) -> int:
    """Return how many decimals an interval supports: down to the first digit of its half-width.

    One more where the value would else show less than two digits: 0.11 that may be 0.4 is no "0". Without an interval
    three digits of the value are shown; where the interval has no width, four.
    """
    if low is None or high is None or not math.isfinite(high - low):
        return _decimals(abs(value), digits=3)
    half_width = (high - low) / 2
    finest = _decimals(abs(value), digits=4)
    if half_width <= 0:
        return finest
    supported = _decimals(half_width, digits=1)
    return min(max(supported, min(supported + 1, _decimals(abs(value), digits=2))), finest)


def _decimals(size: float, digits: int) -> int:
    if size == 0:
        return 0
    return min(PLACES, max(0, digits - 1 - math.floor(math.log10(size))))
