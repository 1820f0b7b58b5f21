"""The docs' pages, as they ship with Unvek, and the parts of them that are of one command."""

import re
from dataclasses import dataclass
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.plan.reading.quoting import nearest_words

# Within an installed package; and where it runs from its sources, beside these.
PLACES = (Path(__file__).parents[1] / "docs", Path(__file__).parents[3] / "docs")
OF_COMMANDS = "commands"
HEADING = re.compile(r"^## `unvek (\S+).*`$", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class Page:
    name: str
    title: str
    text: str


def pages() -> list[Page]:
    """Return every page, by name; InputError where none came along."""
    folder = next((place for place in PLACES if place.is_dir()), None)
    found = [_read(path) for path in sorted(folder.glob("*.md"))] if folder is not None else []
    if not found:
        raise InputError(
            "the docs' pages have not come along with this installation; 'unvek COMMAND --help' has the rest"
        )
    return found


def page_on(topic: str) -> Page:
    """Return a page by its name, or what the page of commands says of one; InputError names what there is."""
    found = {page.name: page for page in pages()}
    if topic in found:
        return found[topic]
    of_commands = found[OF_COMMANDS].text
    headings = list(HEADING.finditer(of_commands))
    for place, heading in enumerate(headings):
        if heading[1] == topic:
            end = headings[place + 1].start() if place + 1 < len(headings) else len(of_commands)
            return Page(topic, heading[0].lstrip("# "), of_commands[heading.start() : end])
    known = [*found, *(heading[1] for heading in headings)]
    raise InputError(f"there is no page {topic!r}; there are {', '.join(found)}, and each command"
                     + nearest_words(topic, tuple(known)))  # fmt: skip


def _read(path: Path) -> Page:
    text = path.read_text(encoding="utf-8")
    return Page(path.stem, text.partition("\n")[0].lstrip("# "), text)
