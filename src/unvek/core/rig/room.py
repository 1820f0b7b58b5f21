"""How much memory there is for a model on this machine: its accelerator's, where it has one, or its own."""

from dataclasses import dataclass

from unvek.core.plan.model import RigWanted
from unvek.core.rig.present import accelerators_present
from unvek.core.units import bytes_words


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """The memory that a model has: this machine's, an accelerator's, or as much as somebody named.

    words say whose it is; free is what was left of it when it was looked at, None where that is not shown.
    """

    words: str
    bytes: int
    free_bytes: int | None


def machine_room(wanted: RigWanted | None = None) -> Room:
    """Look at this machine. wanted: what a plan says of it, such as a stand-in for an accelerator."""
    import psutil  # here: whoever only names a room needs no look

    with accelerators_present(wanted or RigWanted()) as present:
        memories = [(one.facts.memory_bytes, one.facts) for one in present.accelerators if one.facts.memory_bytes]
        if memories:
            size, facts = max(memories, key=lambda one: one[0] or 0)
            assert size is not None
            simulated = " (simulated)" if facts.simulated else ""
            return Room(words=f"the {bytes_words(size)} of {facts.name}{simulated}", bytes=size, free_bytes=None)
    memory = psutil.virtual_memory()
    return Room(words=f"this machine's {bytes_words(memory.total)}", bytes=memory.total, free_bytes=memory.available)
