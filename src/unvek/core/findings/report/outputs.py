"""The outputs as a page shows them: all of one form, together no larger than a page may be."""

import io
from collections.abc import Callable, Sequence
from dataclasses import replace

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError
from unvek.core.findings.output_sheet.found import OutputSheet
from unvek.core.findings.report.found import ShownItem, ShownOutput
from unvek.core.judging.outputs import FRAMES, PICTURE, SOUND, TEXT, Content, JudgedOutputs
from unvek.core.logbook.store import Logbook
from unvek.core.units import bytes_words, counted

MOST_ITEMS = 12
LARGEST_BYTES = 5 * 2**20  # of all outputs; a page holds a third more, written as text
SMALLER_SIDE, SMALLER_QUALITY = 384, 80
LONGEST_TEXT = 20_000
MOST_FRAMES = 48
Progress = Callable[[int, int], None]


def shown_outputs(
    logbook: Logbook, evidence: Evidence, sheet: OutputSheet, progress: Progress
) -> tuple[tuple[ShownItem, ...], list[str]]:
    """Return the outputs of a sheet's first items as a page shows them, and what is to be said of those."""
    outputs = JudgedOutputs(KeptOutputs.of(logbook), evidence)
    told = []
    chosen = sheet.items[:MOST_ITEMS]
    if len(sheet.items) > MOST_ITEMS:
        told.append(f"Outputs of the first {MOST_ITEMS} of {len(sheet.items)} items are shown; --tasks chooses others.")
    items = []
    for column, item in enumerate(chosen):
        shown = [
            ShownOutput(variant=row.variant, form=row.form, cell=row.cells[column],
                        content=_content(outputs, row.cells[column].run))
            for row in sheet.rows
        ]  # fmt: skip
        items.append(ShownItem(item=item, outputs=tuple(shown)))
        progress(column + 1, len(chosen))
    return _fitting(items, told)


def _content(outputs: JudgedOutputs, run: int | None) -> Content | None:
    """What is shown of a run's output; None where there is none, or it is not what was made."""
    found = outputs.of_run(run) if run is not None else None
    if found is None:
        return None
    try:
        content = outputs.contents([found[1]])[0]
    except OutputError:
        return None
    if content.sort == TEXT and len(content.text) > LONGEST_TEXT:
        return replace(content, text=content.text[:LONGEST_TEXT] + " ...")
    return content


def _fitting(items: Sequence[ShownItem], told: list[str]) -> tuple[tuple[ShownItem, ...], list[str]]:
    """Make pictures smaller where all together are too large; leave out items where that does not help."""
    if _size(items) > LARGEST_BYTES:
        smaller = [
            replace(item, outputs=tuple(replace(one, content=_smaller(one.content)) for one in item.outputs))
            for item in items
        ]
        what = f"scaled down to {SMALLER_SIDE} pixels and packed with losses"
        told.append(f"Pictures are {what}: as they were made they take {bytes_words(_size(items))}.")
        items = smaller
    kept = list(items)
    while len(kept) > 1 and _size(kept) > LARGEST_BYTES:
        kept.pop()
    if _size(kept) > LARGEST_BYTES:
        return (), [*told, f"Outputs are left out: those of one item take {bytes_words(_size(kept))}."]
    if len(kept) < len(items):
        told.append(f"Outputs of {counted(len(items) - len(kept), 'more item')} are left out for want of room.")
    return tuple(kept), told


def _size(items: Sequence[ShownItem]) -> int:
    return sum(one.content.size for item in items for one in item.outputs if one.content is not None)


def _smaller(content: Content | None) -> Content | None:
    if content is None or content.sort not in (PICTURE, FRAMES, SOUND):
        return content
    if content.sort == SOUND:  # there is no smaller form of it that every browser plays
        return content
    every = max(1, -(-len(content.files) // MOST_FRAMES))
    files = [_as_smaller(file) for file in content.files[::every]]
    return replace(content, files=tuple(files), form="image/webp")


def _as_smaller(file: bytes) -> bytes:
    from PIL import Image

    with Image.open(io.BytesIO(file)) as image:
        image.thumbnail((SMALLER_SIDE, SMALLER_SIDE))
        out = io.BytesIO()
        image.save(out, "WEBP", quality=SMALLER_QUALITY)
    return out.getvalue()
