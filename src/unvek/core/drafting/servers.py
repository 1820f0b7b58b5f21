"""A draft from a server: asked once, to see how it answers and where in that the text stands."""

import json
import re
from collections.abc import Iterator, Sequence
from typing import Any

from unvek.core.ask.pointers import at, parts_of
from unvek.core.drafting.draft import (
    TEXTS,
    Ask,
    Draft,
    DraftVariant,
    Question,
    form_of,
    inline,
    names_of,
    precision_of,
    written,
)
from unvek.core.drafting.first_question import LONGEST_SHOWN, FirstQuestion, Heard, quoted
from unvek.core.errors import InputError
from unvek.core.plan.placeholders import filled_json
from unvek.core.plan.reading.servers import is_url
from unvek.core.plan.reading.shapes import CHAT, CHAT_WHOLE
from unvek.core.plan.runners import ANSWER, EVENT_STREAM, WHOLE

MOST_MODELS = 20
MOST_LEAVES, DEEPEST = 2000, 12
USUAL_BODY = '{"prompt": "{prompt}", "seed": "{seed}"}'
READ = re.compile(r"(?:prompt|input|in|read)(?:_?tokens?)?$", re.IGNORECASE)
WRITTEN = re.compile(r"(?:completion|output|out|written|generated|predicted)(?:_?(?:tokens?|n))?$", re.IGNORECASE)


def draft_of_chat(url: str, question: FirstQuestion) -> Draft:
    """Draft a plan for a server of the chat shape. InputError where it does not answer so."""
    _check(url)
    models = _models(url, question)
    named = {"model": models[0]} if models else {}
    shape, framing = CHAT, EVENT_STREAM
    heard = question.ask(url, {**_filled(CHAT["body"]), **named})
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
    lines += _key_lines(question)
    if framing == WHOLE:
        lines.append('framing = "whole"   # it answered at once')
    if models:
        lines.append('body = { model = "{model}" }   # beside the messages; a setting of each variant')
    lines += [
        "# Servers keep the beginnings of prompts: for the true time to the first token each needs a word that is new:",
        '# body = { messages = [{ role = "user", content = "{nonce} {prompt}" }] }',
    ]
    counts = "it counts its tokens" if is_told else "it tells no count of tokens: its messages are counted, as pieces"
    said = quoted(next(text for text in (texts.get(ANSWER), *texts.values()) if text))
    return Draft(
        title="Which model on this server?",
        runner="chat",
        runner_lines=lines,
        prompts=TEXTS,
        variants=_of_models(models),
        notes=[f"It answered: {said}; {counts}."],
    )


def draft_of_server(url: str, question: FirstQuestion, ask: Ask) -> Draft:
    """Draft a plan for a server whose shape is not known: what it takes is asked of the user, what it gives of it."""
    _check(url)
    said = ask(Question("Which JSON does it take? {prompt}, {seed} and settings stand in braces", USUAL_BODY))
    try:
        body = json.loads(said)
    except (ValueError, RecursionError) as error:
        raise InputError(f"the body can't be read as JSON: {error}; such as {USUAL_BODY}") from error
    heard = question.ask(url, _filled(body))
    pointer = _longest_text(heard.messages)
    if pointer is None:
        raise InputError(f"{url} answered, but no text was found in it: {_shown(heard)}")
    lines = [
        'kind = "stream"', f"url = {written(url)}", f"body = {inline(body)}",
        f"framing = {written(heard.framing)}   # sse: server-sent events; lines: a JSON value a line; whole: at once",
        f"text = {written(pointer)}   # where the text stands in each message (RFC 6901)",
        *_key_lines(question),
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
        notes=[f"It answered: {quoted(_text_at(heard, pointer))}."],
    )


def _key_lines(question: FirstQuestion) -> list[str]:
    """Name the variable that holds the key: the key itself stands in no plan."""
    if question.key is None:
        return []
    return [
        f"secrets = [{written(question.key)}]   # an environment variable; what it holds is kept and shown nowhere",
        f"headers = {{ Authorization = {written(f'Bearer {{{question.key}}}')} }}",
    ]


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
    if not is_url(url):
        raise InputError(
            f"{url!r} is no URL; give one that begins with http:// or https://, with the path that is asked"
        )


def _models(url: str, question: FirstQuestion) -> list[str]:
    """Return the models that the server lists beside its chats, if it does."""
    listing = re.sub(r"/chat(/\w+)?/?$", "/models", url)
    if listing == url:
        return []
    try:
        heard = question.ask(listing, None)
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


def _shown(heard: Heard) -> str:
    return quoted(json.dumps(heard.messages[0] if heard.messages else None))
