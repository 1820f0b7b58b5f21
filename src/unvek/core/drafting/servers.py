"""A draft from a server: asked once, to see how it answers and where in that the text stands."""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from time import monotonic
from typing import Any
from urllib.parse import urlsplit

import httpx

from unvek.core.ask.answer import LARGEST_WHOLE_BYTES, decoded
from unvek.core.ask.framing import EventStream, FramingError, MessageLines
from unvek.core.ask.pointers import at, parts_of
from unvek.core.drafting.draft import (
    TEXTS,
    Ask,
    Draft,
    DraftVariant,
    Question,
    form_of,
    names_of,
    precision_of,
    written,
)
from unvek.core.errors import InputError
from unvek.core.plan.placeholders import filled_json
from unvek.core.plan.reading.shapes import CHAT, CHAT_WHOLE
from unvek.core.plan.runners import ANSWER, EVENT_STREAM, LINES, WHOLE

ANSWERS_WITHIN_S = 120.0
MOST_MODELS = 20
MOST_LEAVES, DEEPEST = 2000, 12
LONGEST_SHOWN = 120
USUAL_BODY = '{"prompt": "{prompt}", "seed": "{seed}"}'
READ = re.compile(r"(?:prompt|input|in|read)(?:_?tokens?)?$", re.IGNORECASE)
WRITTEN = re.compile(r"(?:completion|output|out|written|generated|predicted)(?:_?(?:tokens?|n))?$", re.IGNORECASE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """What a server answered: in which framing, and its messages."""

    framing: str
    messages: Sequence[Any]


def draft_of_chat(url: str) -> Draft:
    """Draft a plan for a server of the chat shape. InputError where it does not answer so."""
    _check(url)
    models = _models(url)
    named = {"model": models[0]} if models else {}
    shape, framing = CHAT, EVENT_STREAM
    heard = _asked(url, {**_filled(CHAT["body"]), **named})
    if heard.framing == WHOLE:
        shape, framing = CHAT_WHOLE, WHOLE
    texts = {part: _text_at(heard, pointer) for part, pointer in shape["text"].items()}
    if not any(texts.values()):
        raise InputError(f"{url} answered, but in no chat's shape: {_shown(heard)}. Try 'unvek init server {url}'")
    is_told = any(at(message, parts_of(shape["tokens_out"])) is not None for message in heard.messages)
    lines = [
        'kind = "stream"',
        f"url = {written(url)}",
        'shape = "chat"   # messages in, choices out: docs/server.md has its keys',
    ]
    if framing == WHOLE:
        lines.append('framing = "whole"   # it answered at once')
    if models:
        lines.append('body = { model = "{model}" }   # beside the messages; a setting of each variant')
    lines += [
        "# Servers keep the beginnings of prompts: for the true time to the first token each needs a word that is new:",
        '# body = { messages = [{ role = "user", content = "{nonce} {prompt}" }] }',
    ]
    counts = "it counts its tokens" if is_told else "it tells no count of tokens: its messages are counted, as pieces"
    said = _quoted(next(text for text in (texts.get(ANSWER), *texts.values()) if text))
    return Draft(
        title="Which model on this server?",
        runner="chat",
        runner_lines=lines,
        prompts=TEXTS,
        variants=_of_models(models),
        notes=[f"It answered: {said}; {counts}."],
    )


def draft_of_server(url: str, ask: Ask) -> Draft:
    """Draft a plan for a server whose shape is not known: what it takes is asked of the user, what it gives of it."""
    _check(url)
    said = ask(Question("Which JSON does it take? {prompt}, {seed} and settings stand in braces", USUAL_BODY))
    try:
        body = json.loads(said)
    except (ValueError, RecursionError) as error:
        raise InputError(f"the body can't be read as JSON: {error}; such as {USUAL_BODY}") from error
    heard = _asked(url, _filled(body))
    pointer = _longest_text(heard.messages)
    if pointer is None:
        raise InputError(f"{url} answered, but no text was found in it: {_shown(heard)}")
    lines = [
        'kind = "stream"', f"url = {written(url)}", f"body = {_inline(body)}",
        f"framing = {written(heard.framing)}   # sse: server-sent events; lines: a JSON value a line; whole: at once",
        f"text = {written(pointer)}   # where the text stands in each message (RFC 6901)",
    ]  # fmt: skip
    for name, sign in (("tokens_in", READ), ("tokens_out", WRITTEN)):
        counted = _count(heard.messages, sign)
        if counted is not None:
            lines.append(f"{name} = {written(counted)}")
    return Draft(
        title="Which model on this server?",
        runner="server",
        runner_lines=lines,
        prompts=TEXTS,
        variants=_of_models([]),
        notes=[f"It answered: {_quoted(_text_at(heard, pointer))}."],
    )


def _of_models(models: Sequence[str]) -> list[DraftVariant]:
    if not models:
        return [
            DraftVariant(
                name="full",
                comment="The server as it stands; another one, or another model on it, is what to hold it against.",
            ),
            DraftVariant(name="other", form="quantized", is_example=True, settings={"model": "its name"}),
        ]
    return [
        DraftVariant(name=name, form=form_of(model), precision=precision_of(model), settings={"model": model})
        for name, model in zip(names_of(models), models, strict=True)
    ]


def _check(url: str) -> None:
    split = urlsplit(url)
    if split.scheme not in ("http", "https") or not split.hostname:
        raise InputError(
            f"{url!r} is no URL; give one that begins with http:// or https://, with the path that is asked"
        )


def _models(url: str) -> list[str]:
    """Return the models that the server lists beside its chats, if it does."""
    listing = re.sub(r"/chat(/\w+)?/?$", "/models", url)
    if listing == url:
        return []
    try:
        heard = _asked(listing, None)
    except InputError:
        return []  # it has no list, or another one
    content = heard.messages[0]
    listed = content.get("data") if isinstance(content, dict) else None
    named = [one.get("id") for one in listed if isinstance(one, dict)] if isinstance(listed, list) else []
    return [name for name in named if isinstance(name, str) and 0 < len(name) <= LONGEST_SHOWN][:MOST_MODELS]


def _filled(body: Any) -> Any:
    """Return a body as a first question has it; a placeholder that nobody knows yet stays as it is."""
    values = _Known({"prompt": TEXTS[0], "seed": 1, "nonce": "a1b2c3d4"})
    return filled_json(body, values)


class _Known(dict[str, Any]):
    def __missing__(self, name: str) -> str:
        return f"{{{name}}}"


def _asked(url: str, body: Any) -> Heard:
    """Ask once; InputError where there is no answer, or none that can be read."""
    until_s = monotonic() + ANSWERS_WITHIN_S
    try:
        with httpx.Client(timeout=ANSWERS_WITHIN_S, trust_env=False) as client:
            method = "GET" if body is None else "POST"
            with client.stream(method, url, json=body, headers={"Accept-Encoding": "identity"}) as answer:
                data = bytearray()
                for piece in answer.iter_bytes():
                    data += piece
                    if len(data) > LARGEST_WHOLE_BYTES or monotonic() > until_s:
                        break
                if not answer.is_success:
                    said = " ".join(data[:2000].decode("utf-8", "replace").split())[:300]
                    raise InputError(f"{url} answered {answer.status_code} {answer.reason_phrase}: {said}")
                return _heard(bytes(data), answer.headers.get("content-type", ""))
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise InputError(f"{url} can't be asked: {error or type(error).__name__}; is the server running?") from error


def _heard(data: bytes, sort: str) -> Heard:
    text = data.decode("utf-8-sig", "replace").strip()
    is_stream = "event-stream" in sort or re.match(r"(?:event|data|id|:)[ :]", text) is not None
    if not is_stream:
        whole = _read(text)
        if whole is not None:
            return Heard(framing=WHOLE, messages=[whole])
    framing = EVENT_STREAM if is_stream else LINES
    cut = EventStream() if is_stream else MessageLines()
    try:
        messages = [*cut.feed(data + b"\n\n"), *cut.end()]
    except FramingError as error:
        raise InputError(f"the answer can't be read: {error}") from error
    read = [content for content in map(_read, messages) if content is not None]
    if not read:
        raise InputError(f"the answer holds no JSON: {_quoted(text)}")
    return Heard(framing=framing, messages=read)


def _read(text: str) -> Any:
    try:
        return decoded(text.strip())
    except (ValueError, RecursionError):
        return None


def _leaves(content: Any, where: str = "", depth: int = 0) -> Iterator[tuple[str, Any]]:
    """Yield each value that is neither a table nor a list, with the JSON Pointer to it."""
    if depth > DEEPEST:
        return
    if isinstance(content, dict):
        for name, value in content.items():
            yield from _leaves(value, f"{where}/{str(name).replace('~', '~0').replace('/', '~1')}", depth + 1)
    elif isinstance(content, list):
        for place, value in enumerate(content[:10]):
            yield from _leaves(value, f"{where}/{place}", depth + 1)
    else:
        yield where, content


def _longest_text(messages: Sequence[Any]) -> str | None:
    """Return the pointer at which the messages say most, and not the same each time."""
    said: dict[str, list[str]] = {}
    for message in messages[:MOST_LEAVES]:
        for where, value in _leaves(message):
            if isinstance(value, str) and value and where:
                said.setdefault(where, []).append(value)
    changing = {where: texts for where, texts in said.items() if len(messages) < 3 or len(set(texts)) > 1}
    return max(changing, key=lambda where: sum(map(len, changing[where])), default=None)


def _count(messages: Sequence[Any], sign: re.Pattern[str]) -> str | None:
    """Return the pointer to a count of tokens, as its name tells; the last message is where it stands."""
    for message in reversed(messages):
        for where, value in _leaves(message):
            if type(value) is int and sign.search(where.rpartition("/")[2]):
                return where
    return None


def _text_at(heard: Heard, pointer: str) -> str:
    parts = parts_of(pointer)
    return "".join(text for message in heard.messages if isinstance(text := at(message, parts), str))


def _inline(value: Any) -> str:
    """Return JSON as TOML has it in one line."""
    if isinstance(value, Mapping):
        return (
            "{ "
            + ", ".join(f"{written(str(name))} = {_inline(one)}" for name, one in value.items() if one is not None)
            + " }"
        )
    if isinstance(value, list):
        return "[" + ", ".join(_inline(one) for one in value if one is not None) + "]"
    return written(value)


def _shown(heard: Heard) -> str:
    return _quoted(json.dumps(heard.messages[0] if heard.messages else None))


def _quoted(text: str) -> str:
    said = " ".join(text.split())
    return repr(said if len(said) <= LONGEST_SHOWN else said[:LONGEST_SHOWN] + "...")
