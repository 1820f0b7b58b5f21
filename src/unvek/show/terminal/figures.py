"""Figures as a result shows them: in the unit of their column, with as many digits as the interval supports."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from rich.text import Text

from unvek.core.units import PLACES, decimals_for, ratio_decimals, times_words
from unvek.show.palette import FORM_COLOURS, FORM_MARKS, WARNING
from unvek.show.terminal.console import clean

UNKNOWN = "–"


@dataclass(frozen=True, slots=True)
class Scale:
    """What a column's values are divided by to be read, and the unit's name then."""

    unit: str
    divisor: float


def scale_for(unit: str, values: Iterable[float | None]) -> Scale:
    """Return the unit in which a column of values reads best: one for all its rows."""
    largest = max((abs(value) for value in values if value is not None), default=0.0)
    match unit:
        case "s":
            return Scale("ms", 1e-3) if largest < 1 else Scale("s", 1.0)
        case "B":
            return next(
                Scale(name, size)
                for name, size in (("GiB", 2.0**30), ("MiB", 2.0**20), ("KiB", 2.0**10), ("B", 1.0))
                if largest >= size or size == 1
            )
        case _:
            return Scale(unit, 1.0)


def figure(value: float | None, low: float | None, high: float | None, scale: Scale) -> str:
    """Word a value with the digits that its interval supports."""
    if value is None:
        return UNKNOWN
    d = scale.divisor
    decimals = decimals_for(value / d, None if low is None else low / d, None if high is None else high / d)
    rounded = round(value / d, decimals) or 0.0  # never "-0"
    if value and not rounded and decimals == PLACES:
        return f"{value / d:.1g}"  # a divergence of 3e-07 is not none at all
    return f"{rounded:.{decimals}f}"


def speed_figures(ratio: float, low: float | None, high: float | None) -> tuple[str, str]:
    """Word a time ratio as how many times as fast, and its interval."""
    if low is None or high is None:
        return times_words(1 / ratio), ""
    factor, slowest, fastest = 1 / ratio, 1 / high, 1 / low
    decimals = 2 if factor < 10 else 1
    return f"{factor:.{decimals}f}x", f"{slowest:.{decimals}f} to {fastest:.{decimals}f}"


def ratio_figures(ratio: float, low: float | None, high: float | None) -> tuple[str, str]:
    """Word a ratio to the reference, and its interval."""
    if low is None or high is None:
        return times_words(ratio), ""
    decimals = ratio_decimals(low, high)
    return f"{ratio:.{decimals}f}x", f"{low:.{decimals}f} to {high:.{decimals}f}"


def variant_text(name: str, form: str) -> Text:
    """A variant's name behind its form's mark."""
    return Text.assemble((FORM_MARKS[form], FORM_COLOURS[form]), " ", clean(name))


def marks(numbers: Iterable[int]) -> Text:
    """The small raised numbers that point to the sentences under a table."""
    raised = " ".join(str(number) for number in numbers).translate(str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return Text(raised, style=f"bold {WARNING}")


def warning_text(text: str) -> Text:
    return Text(text, style=f"bold {WARNING}")


def settings_words(settings: Mapping[str, object]) -> str:
    return ", ".join(f"{clean(name)} {clean(value)}" for name, value in settings.items())


def item_words(task: str, seed: int, varied: Mapping[str, object]) -> str:
    """Word what a run is of, whatever the variant: "violet, seed 3, steps 8"."""
    return ", ".join(filter(None, (clean(task), f"seed {seed}", settings_words(varied))))


def unit_suffix(unit: str) -> str:
    """What a record's field name ends in to carry the unit."""
    return {"s": "_s", "B": "_bytes", "dB": "_db"}.get(unit, "")
