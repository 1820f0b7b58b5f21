"""How a sheet is to be looked at."""

from dataclasses import dataclass

from unvek.core.errors import InputError

LARGEST_SIDE, AIMED_SIDE = 512, 140  # of one picture on the sheet


@dataclass(frozen=True, slots=True)
class Region:
    """A part of a picture, in its own pixels from the upper left."""

    x: int
    y: int
    width: int
    height: int

    @classmethod
    def parsed(cls, text: str) -> "Region":
        """Return the region that "x,y,w,h" means; InputError for another text."""
        parts = [part.strip() for part in text.split(",")]
        if len(parts) != 4 or not all(part.isascii() and part.isdecimal() and len(part) < 7 for part in parts):
            raise InputError(f"region {text!r} can't be read; give x,y,w,h in pixels, such as 12,8,24,24")
        region = cls(*map(int, parts))
        if not region.width or not region.height:
            raise InputError(f"region {text!r} is empty; give x,y,w,h in pixels, such as 12,8,24,24")
        return region

    def lies_in(self, width: int, height: int) -> bool:
        return self.x + self.width <= width and self.y + self.height <= height

    @property
    def box(self) -> tuple[int, int, int, int]:
        return self.x, self.y, self.x + self.width, self.y + self.height


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """zoom: how much to enlarge pictures; None: to about AIMED_SIDE. With `difference` the others show what they differ
    by from the reference's. marks_worst: where a picture differs most there is a frame around that place.
    """

    zoom: int | None = None
    region: Region | None = None
    difference: bool = False
    marks_worst: bool = False


AS_IT_IS = Look()


class NoTileError(Exception):
    """Why an output can't be drawn."""
