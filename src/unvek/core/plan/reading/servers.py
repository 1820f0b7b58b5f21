"""Reading a runner of kind "stream": what a server is asked, and where its answer stands."""

import re
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any
from urllib.parse import urlsplit

from jsonpointer import JsonPointer, JsonPointerException

from unvek.core.plan.names import NAME_WORDS, is_name
from unvek.core.plan.reading.door import Table, is_a
from unvek.core.plan.reading.quoting import shown
from unvek.core.plan.reading.shapes import SHAPES, with_shape
from unvek.core.plan.reading.started import files_named, program_of, read_secrets
from unvek.core.plan.runners import (
    ANSWER,
    CHARACTERS,
    EVENT_STREAM,
    FRAMINGS,
    JOB,
    MOST_ARRIVALS_PER_S,
    MOST_CLIENTS,
    MOST_REQUESTS,
    TOKENS,
    WHOLE,
    WORDS,
    JobAsked,
    StreamRunner,
)

MOST_RETRIES = 100
MOST_FETCHED = 100
METHODS = ("POST", "GET", "PUT")
HEADER_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")


def read_stream(name: str, entry: Table, folder: Path) -> StreamRunner:
    """Read a runner for a server, with the keys of its shape where it names one."""
    shape = entry.choice("shape", tuple(SHAPES), "")
    if shape:
        entry = entry.filled(lambda content: with_shape(content, shape))
    serve = entry.texts("serve")
    if entry.has("serve"):
        program_of(entry, "serve", serve, folder)
    if entry.has("serve") != entry.has("ready"):
        entry.problem(
            "ready" if serve else "serve",
            "nothing",
            "both serve and ready: the command that starts the server, and a URL that answers once it is ready",
        )
    framing = entry.choice("framing", FRAMINGS, EVENT_STREAM)
    fetch = _read_fetch(entry)
    texts = _read_texts(entry, needed=not fetch)
    has_tokens = entry.has("tokens_out")
    return StreamRunner(
        name=name,
        folder=folder,
        url=_read_url(entry, "url"),
        method=entry.choice("method", METHODS, METHODS[0]),
        headers=_read_headers(entry),
        body=entry.json("body"),
        framing=framing,
        text=texts.get(ANSWER, ""),
        texts_beside=MappingProxyType({which: pointer for which, pointer in texts.items() if which != ANSWER}),
        tokens_in=_read_pointer(entry, "tokens_in"),
        tokens_out=_read_pointer(entry, "tokens_out"),
        tokens_of=_read_pointers(entry.table("tokens_of"), tuple(texts)),
        cached=_read_pointer(entry, "cached"),
        count=entry.choice("count", (TOKENS, WORDS, CHARACTERS), TOKENS if has_tokens else WORDS),
        each_is_token=entry.has("count") or not has_tokens,
        fetch=fetch,
        job=_read_job(entry) if framing == JOB else None,
        retries=entry.whole("retries", 0, 0, MOST_RETRIES),
        serve=serve,
        ready=_read_url(entry, "ready") if entry.has("ready") else None,
        files=files_named(serve, folder),
        environment=entry.named_texts("environment"),
        secrets=read_secrets(entry),
        simulated=entry.true_or_false("simulated", False),
        clients=_read_numbers(entry, "clients", (int,), 1, MOST_CLIENTS),
        arrivals_per_second=_read_numbers(entry, "arrivals_per_second", (int, float), 0.001, MOST_ARRIVALS_PER_S),
        requests=entry.whole_or_none("requests", None, 1, MOST_REQUESTS),
    )


def _read_texts(entry: Table, needed: bool) -> Mapping[str, str]:
    """One pointer, which is the answer's, or several by their names, the answer's among them."""
    if not isinstance(entry.json("text"), Mapping):
        pointer = _read_pointer(entry, "text", needed=needed)
        return {} if pointer is None else {ANSWER: pointer}
    pointers = _read_pointers(entry.table("text"))
    if ANSWER not in pointers:
        entry.problem(
            "text", shown(dict(pointers)), f'a pointer, or several with names, such as {ANSWER} and "reasoning"'
        )
    return pointers


def _read_pointers(table: Table, known: tuple[str, ...] | None = None) -> Mapping[str, str]:
    """Pointers by names; of those known, where these are given."""
    for name in table.names():
        if not is_name(name) or (known is not None and name not in known):
            table.problem(name, shown(name), NAME_WORDS if known is None else "one of the texts: " + ", ".join(known))
    return {name: _read_pointer(table, name, needed=True) or "" for name in table.names() if is_name(name)}


def _read_fetch(entry: Table) -> tuple[str, ...]:
    """Pointers to files in the answer, or URLs of them."""
    wanted = f'up to {MOST_FETCHED} JSON Pointers such as "/pictures/0", or URLs that begin with http:// or https://'
    fetch = entry.texts("fetch")
    for where in fetch:
        if not (is_pointer(where) or is_url(where)) or len(fetch) > MOST_FETCHED:
            entry.problem("fetch", shown(where), wanted)
    if fetch and entry.json("framing") not in (WHOLE, JOB):
        entry.problem(
            "fetch", shown(fetch[0]), f'framing = "{WHOLE}" or "{JOB}" beside it: a stream of pieces has no files'
        )
    return fetch


def _read_job(entry: Table) -> JobAsked:
    table = entry.table("job")
    wanted = "the URL that tells how a job stands, with {job} in it, or a JSON Pointer to one in the first answer"
    look = table.text("look", wanted=wanted)
    if look and not (is_pointer(look) or is_url(look)):
        table.problem("look", shown(look), wanted)
    if "{job}" in look and not table.has("name"):
        table.problem("name", "nothing", 'a JSON Pointer to what the job is called in the first answer, such as "/id"')
    state = _read_pointer(table, "state")
    job = JobAsked(
        name=_read_pointer(table, "name"),
        look=look,
        state=state,
        done=table.texts("done"),
        failed=table.texts("failed"),
        every_s=table.duration_s("every", None),
        step=_read_pointer(table, "step"),
        of=_read_pointer(table, "of"),
    )
    if state is not None and not job.done:
        table.problem("done", "nothing", 'what stands at state once the job is done, such as ["finished"]')
    table.close()
    return job


def _read_url(entry: Table, key: str) -> str:
    wanted = "a URL that begins with http:// or https://"
    url = entry.text(key, wanted=wanted)
    if url and not is_url(url):
        entry.problem(key, shown(url), wanted)
    return url


def is_url(text: str) -> bool:
    try:
        split = urlsplit(text)
        return split.scheme in ("http", "https") and bool(split.hostname)
    except ValueError:
        return False


def is_pointer(text: str) -> bool:
    try:
        JsonPointer(text)
    except JsonPointerException:
        return False
    return True


def _read_headers(entry: Table) -> Mapping[str, str]:
    headers = entry.named_texts("headers")
    for name, value in headers.items():
        if not HEADER_NAME.fullmatch(name) or not value.isprintable():
            entry.problem(f"headers.{name}", shown(value), "a header of one line of printable characters")
    return headers


def _read_pointer(entry: Table, key: str, needed: bool = False) -> str | None:
    wanted = 'a JSON Pointer (RFC 6901) such as "/pieces/0/text"'
    if not needed and not entry.has(key):
        return None
    value = entry.text(key, wanted=wanted)
    if value and not is_pointer(value):
        entry.problem(key, shown(value), wanted)
    return value


def _read_numbers(entry: Table, key: str, kinds: tuple[type, ...], low: float, high: float) -> tuple[Any, ...]:
    """One number, or a list of different ones to be varied."""
    if not entry.has(key):
        return ()
    value = entry.json(key)
    numbers = value if isinstance(value, list) else [value]
    if (
        not numbers
        or len(set(map(str, numbers))) < len(numbers)
        or any(not is_a(number, kinds) or not low <= number <= high for number in numbers)
    ):
        what = "a whole number" if kinds == (int,) else "a number"
        entry.problem(key, shown(value), f"{what} from {low:g} to {high:g}, or a list of different ones")
        return ()
    return tuple(numbers)
