"""Every output of a sheet as a tile, with what is said of it beneath."""

from dataclasses import dataclass

from PIL import Image

from unvek.core.findings.output_sheet.found import PICTURE, SOUND, TEXT, OutputCell, OutputSheet
from unvek.core.pictures import NoPictureError, picture_size, shown_side
from unvek.show.picture.tiles.look import AIMED_SIDE, LARGEST_SIDE, Look, NoTileError
from unvek.show.picture.tiles.pictures import (
    as_colours,
    draw_picture,
    factor_for,
    frames_of,
    mark_place,
    needed_scale,
    opened,
    signed_difference,
    where_words,
    worst_place,
)
from unvek.show.picture.tiles.strips import bad_in, draw_frames, frames_words
from unvek.show.picture.tiles.texts import draw_text
from unvek.show.picture.tiles.waves import draw_sound, sound_at, sound_words


@dataclass(frozen=True, slots=True)
class Tile:
    """One output as it is drawn, and what is said of it; `why` there is no image, if there is none."""

    image: Image.Image | None
    about: str = ""
    why: str = ""


class TileDrawing:
    """Draws the outputs of one sheet, all in one scale."""

    def __init__(self, sheet: OutputSheet, look: Look):
        self._sheet, self._look = sheet, look
        cells = [cell for row in sheet.rows for cell in row.cells if cell.sort == PICTURE and len(cell.files) == 1]
        self._most = min(LARGEST_SIDE, shown_side(len(cells)))
        self._factor = factor_for(list(self._sides(cells)), look, AIMED_SIDE)
        self.scale = self._scale_of_differences() if look.difference else None

    def _sides(self, cells: list[OutputCell]) -> list[int]:
        if self._look.region is not None:
            return [max(self._look.region.width, self._look.region.height)]
        sides = []
        for path in dict.fromkeys(cell.files[0] for cell in cells):
            try:
                sides.append(min(self._most, max(picture_size(path))))
            except NoPictureError:
                continue  # said where it would stand
        return sides

    def _scale_of_differences(self) -> float:
        """Return what the ends of the colours stand for: the same in all pictures of the sheet."""
        scales = [0.0]
        for row in self._sheet.rows:
            for column, cell in enumerate(row.cells):
                theirs = self._held_against(row.variant, column)
                if cell.sort == PICTURE and len(cell.files) == 1 and theirs is not None:
                    try:
                        scales.append(needed_scale(self._difference(cell, theirs)))
                    except NoTileError:
                        continue
        return max(scales) or 1.0

    def _held_against(self, variant: str, column: int) -> OutputCell | None:
        theirs = self._sheet.of_reference(column) if variant != self._sheet.reference else None
        return theirs if theirs is not None and theirs.sort is not None else None

    def _difference(self, ours: OutputCell, theirs: OutputCell):  # type: ignore[no-untyped-def]
        pictures = (opened(cell.files[0], self._look, self._most) for cell in (ours, theirs))
        return signed_difference(*pictures)

    def tile(self, variant: str, column: int, cell: OutputCell) -> Tile:
        """Return a variant's output of an item, drawn."""
        theirs = self._held_against(variant, column)
        try:
            if cell.sort == TEXT and cell.text is not None:
                return Tile(draw_text(cell.text, theirs.text if theirs is not None else None))
            if cell.sort == SOUND:
                sound = sound_at(cell.files[0])
                return Tile(draw_sound(sound), sound_words(sound))
            if cell.sort == PICTURE:
                return self._picture(cell, theirs)
        except NoTileError as error:
            return Tile(None, why=str(error))
        return Tile(None, why=cell.missing or cell.status)

    def _picture(self, cell: OutputCell, theirs: OutputCell | None) -> Tile:
        if len(cell.files) > 1 or cell.files[0].suffix.lower() in (".gif", ".webp"):
            frames = frames_of(cell.files)
            if len(frames) > 1:
                bad = bad_in(frames)
                return Tile(draw_frames(frames, bad), frames_words(len(frames), bad))
        image = opened(cell.files[0], self._look, self._most)
        if theirs is None or theirs.sort != PICTURE or not (self._look.difference or self._look.marks_worst):
            return Tile(draw_picture(image, self._factor))
        difference = self._difference(cell, theirs)
        shown = as_colours(difference, self.scale) if self.scale is not None else image
        tile, box = draw_picture(shown, self._factor), worst_place(difference)
        if not self._look.marks_worst or box is None:
            return Tile(tile)
        mark_place(tile, box, self._factor)
        return Tile(tile, f"most in the {where_words(box, image.width, image.height)}")
