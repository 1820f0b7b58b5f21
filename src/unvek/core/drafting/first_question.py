"""The first question that a server is asked, and how its answer came."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from time import monotonic
from typing import Any

import httpx

from unvek.core.ask.answer import FRAMINGS, LARGEST_WHOLE_BYTES, decoded
from unvek.core.ask.framing import FramingError
from unvek.core.ask.secrets import Secrets
from unvek.core.errors import InputError
from unvek.core.plan.reading.started import VARIABLE_NAME
from unvek.core.plan.runners import EVENT_STREAM, LINES, WHOLE

ANSWERS_WITHIN_S = 120.0
LONGEST_SHOWN = 120
LONGEST_REFUSAL = 300
KEY_IS_WANTED = (401, 403)


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """What a server answered: in which framing, and its messages."""

    framing: str
    messages: Sequence[Any]


class FirstQuestion:
    """Asks a server, with the key that an environment variable of this name holds; the key is in no answer.

    InputError where the variable is none, or not set.
    """

    def __init__(self, key: str | None = None):
        if key is not None and not VARIABLE_NAME.fullmatch(key):
            raise InputError("--key-in takes an environment variable's name, such as API_KEY, and not the key itself")
        self._secrets = Secrets([key] if key else [])
        if self._secrets.missing:
            raise InputError("the environment variable that --key-in names is not set: set it to the server's key")
        self.key = key

    def ask(self, url: str, body: Any) -> Heard:
        """Ask once; InputError where there is no answer, or none that can be read."""
        until_s = monotonic() + ANSWERS_WITHIN_S
        headers = {"Accept-Encoding": "identity"}
        if self.key:
            headers["Authorization"] = f"Bearer {self._secrets.values[self.key]}"
        try:
            with httpx.Client(timeout=ANSWERS_WITHIN_S, trust_env=False) as client:
                method = "GET" if body is None else "POST"
                with client.stream(method, url, json=body, headers=headers) as answer:
                    data = bytearray()
                    for piece in answer.iter_bytes():
                        data += piece
                        if len(data) > LARGEST_WHOLE_BYTES or monotonic() > until_s:
                            break
                    said = self._secrets.hide(bytes(data))
                    if not answer.is_success:
                        raise InputError(self._refusal(url, answer, said))
                    return _heard(said, answer.headers.get("content-type", ""))
        except (httpx.HTTPError, httpx.InvalidURL, UnicodeError) as error:
            told = self._secrets.hide_text(str(error)) or type(error).__name__
            raise InputError(f"{url} can't be asked: {told}; is the server running?") from None

    def _refusal(self, url: str, answer: httpx.Response, said: bytes) -> str:
        reason = self._secrets.hide_text(answer.reason_phrase)
        words = " ".join(said[:2000].decode("utf-8", "replace").split())[:LONGEST_REFUSAL]
        told = f"{url} answered {answer.status_code} {reason}: {words}"
        if answer.status_code in KEY_IS_WANTED and not self.key:
            told += ". If it wants a key: put it into an environment variable, and name that with --key-in"
        return told


def _heard(data: bytes, sort: str) -> Heard:
    text = data.decode("utf-8-sig", "replace").strip()
    is_stream = "event-stream" in sort or re.match(r"(?:event|data|id|:)[ :]", text) is not None
    if not is_stream:
        whole = _read(text)
        if whole is not None:
            return Heard(framing=WHOLE, messages=[whole])
    framing = EVENT_STREAM if is_stream else LINES
    cut = FRAMINGS[framing]()
    try:
        messages = [*cut.feed(data + b"\n\n"), *cut.end()]
    except FramingError as error:
        raise InputError(f"the answer can't be read: {error}") from error
    read = [content for content in map(_read, messages) if content is not None]
    if not read:
        raise InputError(f"the answer holds no JSON: {quoted(text)}")
    return Heard(framing=framing, messages=read)


def _read(text: str) -> Any:
    try:
        return decoded(text.strip())
    except (ValueError, RecursionError):
        return None


def quoted(text: str) -> str:
    """Return a text in quotes, on one line and cut where it is long."""
    said = " ".join(text.split())
    return repr(said if len(said) <= LONGEST_SHOWN else said[:LONGEST_SHOWN] + "...")
