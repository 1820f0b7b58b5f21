"""What a server is asked: a request with placeholders, and where in its answer the text stands."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import httpx

from unvek.core.ask.secrets import Secrets
from unvek.core.plan.placeholders import filled, filled_json

HEADERS = (("Accept-Encoding", "identity"), ("Connection", "close"), ("User-Agent", "unvek"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """One question. text, tokens_in and tokens_out are JSON Pointers into the messages of the answer.

    values are what the placeholders stand for, a seed among them; retries is how often it is sent again where the
    server refuses it for now.
    """

    url: str
    method: str
    headers: Mapping[str, str]
    body: Any
    framing: str
    text: str
    tokens_in: str | None
    tokens_out: str | None
    retries: int
    secrets: Secrets
    values: Mapping[str, Any]

    @property
    def shown_url(self) -> str:
        """The URL without what was filled in: that may be secret, or long."""
        return self.url[:200]

    def request(self, seed: int) -> httpx.Request:
        """Return the request, with this seed in the place of the question's own."""
        values = {**self.values, "seed": seed, **self.secrets.values}
        headers = {name: filled(value, values) for name, value in self.headers.items()}
        given = {name.lower() for name in headers}
        headers |= {name: value for name, value in HEADERS if name.lower() not in given}
        body = filled_json(self.body, values) if self.body is not None else None
        return httpx.Request(self.method, filled(self.url, values), headers=headers, json=body)
