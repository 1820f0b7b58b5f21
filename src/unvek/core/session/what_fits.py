"""Will each variant fit this machine? Said before anything runs, from the headers of its weights."""

from collections.abc import Iterator
from pathlib import Path

from unvek.core.plan.model import Plan, Variant
from unvek.core.plan.model_folder import files_of
from unvek.core.rig.room import Room, machine_room
from unvek.core.units import bytes_words, few_of
from unvek.core.weights.formats.contents import WeightsError
from unvek.core.weights.layers import Context
from unvek.core.weights.weighing import weigh

MOST_NAMED = 5
Size = tuple[int, Context | None]  # bytes of weights, and how the model keeps what it has read


def room_doubts(plan: Plan, room: Room | None = None) -> list[str]:
    """Say which variants' weights are more than this machine or their limits have room for, or leave none for context.

    room: another than this machine's own. What a model works in is not in it, so that no doubt is no promise.
    """
    if not any(variant.models for variant in plan.variants):
        return []
    room = room or machine_room(plan.rig)
    sizes: dict[Path, Size] = {}
    too_large: dict[str, list[str]] = {}
    for variant in plan.variants:
        for words in _doubts_of(variant, room, sizes):
            too_large.setdefault(words, []).append(variant.name)
    return [f"{few_of(names, MOST_NAMED)}: {words}" for words, names in too_large.items()]


def _doubts_of(variant: Variant, room: Room, sizes: dict[Path, Size]) -> Iterator[str]:
    for path in variant.models:
        if path not in sizes:
            sizes[path] = _size(path)
    found = [sizes[path] for path in variant.models]
    weights_bytes = sum(size for size, _ in found)
    contexts = [(one.bytes_at(one.longest), one.longest) for _, one in found if one is not None and one.longest]
    context_bytes, longest = max(contexts, default=(0, 0))
    words = bytes_words(weights_bytes)
    if weights_bytes > room.bytes:
        yield f"the weights take {words}, more than {room.words}. 'unvek weigh --fits' says what would fit."
    elif weights_bytes + context_bytes > room.bytes:
        yield (f"the weights take {words} and a context of {longest} tokens {bytes_words(context_bytes)}, together "
               f"more than {room.words}: shorter ones may fit. 'unvek weigh --fits' says which.")  # fmt: skip
    limit = variant.limits.memory_bytes
    if limit is not None and weights_bytes > limit:
        yield f"the weights take {words}, more than the limit of {bytes_words(limit)}, at which every run would end."


def _size(path: Path) -> Size:
    """Return what a model's weights take; of a file that is no weights file that is known, what the file does."""
    try:
        weighed = weigh(path, None)
    except WeightsError:
        try:
            return sum(file.stat().st_size for file in files_of(path)), None
        except (OSError, ValueError):
            return 0, None
    return weighed.data_bytes, weighed.context
