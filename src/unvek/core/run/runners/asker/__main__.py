"""python -m unvek.core.run.runners.asker REQUESTS_FD WAKE_FD RING_FD: asked by pipe, tells through shared memory."""

import asyncio
import gc
import json
import os
import sys
from time import monotonic_ns
from typing import Any

import httpx
import uvloop

from unvek.core.ask.question import Question
from unvek.core.ask.secrets import Secrets
from unvek.core.plan.runners import JobAsked
from unvek.core.run.runners.asker.load import Load, make_run
from unvek.core.run.runners.asker.telling import Teller
from unvek.probe.probe import EventRing
from unvek.probe.worker import EVENTS_VERSION, die_with_parent

READY_EVERY_S = 0.02
READY_TIMEOUT_S = 5.0


def main() -> None:
    requests_fd, wake_fd, ring_fd = (int(argument) for argument in sys.argv[1:4])
    die_with_parent()
    teller = Teller(EventRing(ring_fd, wake_fd))
    teller.tell("ready", version=EVENTS_VERSION, pid=os.getpid())
    gc.collect()
    gc.freeze()  # what the libraries have made stays; a collection that goes through it would delay a stamp
    with os.fdopen(requests_fd, "rb") as requests:
        for line in iter(requests.readline, b""):
            request = json.loads(line)
            if request["do"] == "load":
                asyncio.run(_await_ready(request["ready"], request["began_ns"], teller))
            else:
                _run(request["question"], request["load"], teller)


async def _await_ready(url: str | None, began_ns: int, teller: Teller) -> None:
    """Ask until the server answers well; the engine ends this where it takes too long."""
    async with httpx.AsyncClient(timeout=READY_TIMEOUT_S, trust_env=False) as client:
        while url is not None:
            try:
                async with client.stream("GET", url) as response:
                    if response.is_success:
                        break
            except httpx.HTTPError:
                pass  # not yet
            await asyncio.sleep(READY_EVERY_S)
    teller.tell("loaded", began_ns=began_ns)
    teller.wake()


def _run(question: dict[str, Any], load: dict[str, Any], teller: Teller) -> None:
    job = JobAsked(**question["job"]) if question["job"] is not None else None
    asked = Question(**{**question, "secrets": Secrets(question["secrets"]), "job": job})
    try:
        status, error = uvloop.run(make_run(Load(question=asked, **load), teller))
    except (ValueError, KeyError, TypeError, OSError, httpx.HTTPError, httpx.InvalidURL) as failure:
        # A URL or a header that can't be made of what was filled in.
        teller.tell("began")
        status, error = "failed", asked.secrets.hide_text(f"the request can't be sent: {failure}")
    ended_ns = monotonic_ns()
    teller.tell("ended", ended_ns, status=status, **({"error": error} if error else {}))
    teller.wake()


if __name__ == "__main__":
    main()
