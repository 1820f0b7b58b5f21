"""What a run asks of a server, as the engine sends it, and how one request of it is made."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import httpx

from unvek.core.plan.placeholders import filled, filled_json
from unvek.core.run.secrets import Secrets

LONGEST_SHOWN = 600  # characters of what went wrong


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """One run: the request with its placeholders, how its answer is read, and how many are sent when."""

    url: str
    method: str
    headers: Mapping[str, str]
    body: Any
    framing: str
    text: str
    tokens_in: str | None
    tokens_out: str | None
    count: str
    retries: int
    secrets: Secrets
    values: Mapping[str, Any]
    clients: int
    arrivals_per_second: float | None
    requests: int

    @property
    def shown_url(self) -> str:
        """The URL without what was filled in: that may be secret, or long."""
        return self.url[:200]

    def request(self, place: int) -> httpx.Request:
        """Return the request of this place; each asks with a seed of its own, counted on from the run's."""
        values = {**self.values, "seed": self.values["seed"] + place - 1, **self.secrets.values}
        headers = {name: filled(value, values) for name, value in self.headers.items()}
        given = {name.lower() for name in headers}
        for name, value in (("Accept-Encoding", "identity"), ("Connection", "close"), ("User-Agent", "unvek")):
            if name.lower() not in given:
                headers[name] = value
        body = filled_json(self.body, values) if self.body is not None else None
        return httpx.Request(self.method, filled(self.url, values), headers=headers, json=body)
