"""What a server is asked: a request with placeholders, and where in its answer the text stands."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import httpx

from unvek.core.ask.secrets import Secrets
from unvek.core.plan.placeholders import NONCE, filled, filled_json
from unvek.core.plan.runners import JobAsked

NONCE_LENGTH = 8  # letters and digits
LONGEST_BODY = 4000  # characters of a body that are kept
HEADERS = (("Accept-Encoding", "identity"), ("Connection", "close"), ("User-Agent", "unvek"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """One question. texts, by their names, tokens_in, tokens_out, cached and tokens_of are JSON Pointers into the
    messages of the answer; fetch are pointers to files in it, or URLs of them.

    values are what the placeholders stand for, a seed among them, and under `nonce` what each request's own is drawn
    from. retries is how often it is sent again where the server refuses it for now.
    """

    url: str
    method: str
    headers: Mapping[str, str]
    body: Any
    framing: str
    texts: Mapping[str, str]
    tokens_in: str | None
    tokens_out: str | None
    retries: int
    secrets: Secrets
    values: Mapping[str, Any]
    cached: str | None = None
    tokens_of: Mapping[str, str] = field(default_factory=dict)
    fetch: Sequence[str] = ()
    job: JobAsked | None = None

    @property
    def shown_url(self) -> str:
        """The URL without what was filled in: that may be secret, or long."""
        return self.url[:200]

    def of_request(self, seed: int, place: int) -> "Question":
        """Return the question of a request: with this seed in the place of its own, and a nonce that no other has."""
        nonce = hashlib.sha256(f"{self.values.get(NONCE)}/{place}".encode()).hexdigest()[:NONCE_LENGTH]
        return replace(self, values={**self.values, "seed": seed, NONCE: nonce})

    @property
    def filling(self) -> Mapping[str, Any]:
        """What placeholders stand for, secrets among them."""
        return {**self.values, **self.secrets.values}

    @property
    def looked_at(self) -> str:
        """Where an answer was looked for, in words."""
        return " or ".join((*self.texts.values(), *self.fetch))

    @property
    def asked_url(self) -> str:
        """The URL that is asked."""
        return str(httpx.URL(filled(self.url, self.filling)))

    def request(self) -> httpx.Request:
        body = filled_json(self.body, self.filling) if self.body is not None else None
        return self.request_to(self.asked_url, self.method, body)

    def request_to(self, url: str, method: str = "GET", body: Any = None) -> httpx.Request:
        """Return a request to a URL of the same server, with the question's headers."""
        headers = {name: filled(value, self.filling) for name, value in self.headers.items()}
        given = {name.lower() for name in headers}
        headers |= {name: value for name, value in HEADERS if name.lower() not in given}
        return httpx.Request(method, url, headers=headers, json=body)

    def body_shown(self) -> str | None:
        """Return the body as it is sent, without secrets and within bounds; None where there is none."""
        if self.body is None:
            return None
        text = self.secrets.hide_text(json.dumps(filled_json(self.body, self.filling), ensure_ascii=False))
        if len(text) <= LONGEST_BODY:
            return text
        half = LONGEST_BODY // 2
        return f"{text[:half]} ... {len(text) - 2 * half} characters more ... {text[-half:]}"
