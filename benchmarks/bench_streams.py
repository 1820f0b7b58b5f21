"""Are many streams at once stamped truly? 64 of 200 tokens a second each, against a server that notes when it sends.

The error is the stamp less the moment just before the server's own write: it holds the server's write, the system's
way from one process to the other, and what the asking process took to get to it. The promise is a median under 1 ms,
with no token lost, and gaps whose median is the server's.
"""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from common import UNVEK, result

STREAMS, TOKENS_PER_S, TOKENS = 64, 200, 600
PROMISED_MS = 1.0
SERVER = """
import asyncio, json, sys, time

COUNT, RATE = int(sys.argv[2]), float(sys.argv[3])

async def answer(reader, writer):
    head = (await reader.readuntil(b"\\r\\n\\r\\n")).lower()
    if head.startswith(b"get"):
        writer.write(b"HTTP/1.1 200 OK\\r\\nContent-Length: 0\\r\\n\\r\\n")
        writer.close()
        return
    length = int(head.split(b"content-length:")[1].split()[0])
    seed = json.loads(await reader.readexactly(length))["seed"]
    writer.write(b"HTTP/1.1 200 OK\\r\\nTransfer-Encoding: chunked\\r\\n\\r\\n")
    sent, began = [], time.monotonic() + 0.5 + seed % 64 / RATE / 64
    for place in range(COUNT):
        await asyncio.sleep(max(0.0, began + place / RATE - time.monotonic()))
        data = b'data: {"pieces": [{"text": "w%d "}]}\\n\\n' % place
        sent.append(time.monotonic_ns())
        writer.write(b"%x\\r\\n%s\\r\\n" % (len(data), data))
    writer.write(b"0\\r\\n\\r\\n")
    await writer.drain()
    with open("sent-%d.json" % seed, "w") as file:
        json.dump(sent, file)
    writer.close()

async def main():
    async with await asyncio.start_server(answer, "127.0.0.1", int(sys.argv[1]), backlog=1000) as server:
        await server.serve_forever()

asyncio.run(main())
"""
PLAN = """
[schedule]
rounds = 1
repeats = 1
warmups = 0
[runners.server]
kind = "stream"
url = "http://127.0.0.1:{{port}}/"
body = {{ seed = "{{seed}}" }}
text = "/pieces/0/text"
count = "tokens"
serve = ["{{python}}", "server.py", "{{port}}", "{tokens}", "{rate}"]
ready = "http://127.0.0.1:{{port}}/"
clients = {clients}
requests = {clients}
[[variants]]
name = "server"
[[tasks]]
name = "t"
prompt = "p"
"""


def main() -> None:
    print(
        f"stamps of streams at {TOKENS_PER_S} tokens a second each; promised: a median error under {PROMISED_MS:g} ms"
    )
    for clients in (1, 16, STREAMS):
        with tempfile.TemporaryDirectory() as name:
            measure(Path(name), clients)


def measure(folder: Path, clients: int) -> None:
    (folder / "server.py").write_text(SERVER)
    (folder / "plan.toml").write_text(PLAN.format(clients=clients, tokens=TOKENS, rate=TOKENS_PER_S))
    subprocess.run([*UNVEK, "run", "--plain"], cwd=folder, stderr=subprocess.DEVNULL, check=False)
    (row,) = result(folder, "log")["rows"]
    stamps: dict[int, list[int]] = {}
    for path in (folder / "logbook" / "journal").glob("*.jsonl"):
        for line in path.read_text().splitlines():
            event = json.loads(line)
            if event.get("event") == "token":
                stamps.setdefault(event["stream"], []).append(event["at_ns"])
    sent = {stream: json.loads((folder / f"sent-{stream - 1}.json").read_text()) for stream in stamps}
    whole = all(len(stamps[stream]) == len(sent[stream]) == TOKENS for stream in sent) and len(sent) == clients
    errors_ms = np.concatenate([np.subtract(stamps[s], sent[s]) for s in sorted(sent)]) / 1e6
    gaps_ms = np.concatenate([np.diff(stamps[s]) for s in stamps]) / 1e6
    true_gaps_ms = np.concatenate([np.diff(sent[s]) for s in sent]) / 1e6
    middle, most, largest = np.quantile(errors_ms, [0.5, 0.99, 1.0])
    slow_gap_ms, true_slow_gap_ms = np.quantile(gaps_ms, 0.99), np.quantile(true_gaps_ms, 0.99)
    print(f"   {clients:>2} streams, {row['status']}, {'no token lost' if whole else 'TOKENS LOST'}")
    print(f"      error {middle:.2f} ms in the middle, {most:.2f} at 99 %, {largest:.2f} at most")
    print(
        f"      gaps {np.median(gaps_ms):.3f} ms in the middle, the server's own {np.median(true_gaps_ms):.3f}; ",
        end="",
    )
    print(f"at 99 % {slow_gap_ms:.2f} and {true_slow_gap_ms:.2f}")
    if not whole or (clients == STREAMS and middle > PROMISED_MS):
        sys.exit(1)


if __name__ == "__main__":
    main()
