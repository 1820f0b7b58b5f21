"""What is heard of a process, without the secrets that it was given: before anything is kept of it, or shown."""

from collections.abc import Mapping
from typing import Any

from unvek.core.ask.secrets import HidingTextStream, Secrets
from unvek.core.run.events.event import Event, made_event


class Hearing:
    """Takes secrets out of the events of one run after the other.

    What is written comes piece by piece, and no piece need hold a secret for the whole to hold it: what might become
    one is held back, and comes with a later piece.
    """

    def __init__(self, secrets: Secrets):
        self._secrets = secrets
        self._texts: dict[tuple[int, str | None], HidingTextStream] = {}

    def heard(self, events: list[Event]) -> list[Event]:
        if not self._secrets:
            return events
        return [clean for event in events for clean in self._without_secrets(event)]

    def rest(self, at_ns: int) -> list[Event]:
        """Return what was held back of the run's text: for its end."""
        held = {part: text.rest() for (number, part), text in self._texts.items() if number == 0}
        self._texts = {}
        return [
            made_event("text", at_ns, text=rest, **({} if part is None else {"part": part, "n": 0, "stream": 1}))
            for part, rest in held.items()
            if rest
        ]

    def _without_secrets(self, event: Event) -> list[Event]:
        kind, fields = event.kind, event.fields
        if kind in ("token", "text"):
            number = fields.get("stream") or 0
            # A run has one text: of its own tokens, or of its first answer's.
            place = (number if number > 1 else 0, fields.get("part"))
            stream = self._texts.setdefault(place, self._secrets.text_stream())
            text = fields.get("text") or ""
            clean = stream.feed(text)
            return [event if clean == text else _changed(event, {**fields, "text": clean})]
        hidden = self._secrets.hide_in(fields) if fields else fields
        clean_event = event if hidden == fields else _changed(event, hidden)
        if kind == "began":
            self._texts = {}
        return [*self.rest(event.at_ns), clean_event] if kind == "ended" else [clean_event]


def _changed(event: Event, fields: Mapping[str, Any]) -> Event:
    # A program's exit code is a field and no part of the line (program_run.py).
    line = {name: value for name, value in fields.items() if name != "exit_code"}
    return made_event(event.kind, event.at_ns, **line)._replace(fields=fields)
