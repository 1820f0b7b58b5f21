"""Servers, well-behaved and hostile: real ones on the loopback, asked by the built program."""

import html
import json
import os
import time
import unittest
from base64 import b64encode
from collections.abc import Iterator
from itertools import pairwise
from typing import Any, ClassVar
from urllib.parse import quote

import psutil

from tests.loopback import Behaviour, Loopback
from tests.support import ProjectTest, is_alive, task, variant
from unvek.core.findings.as_json import finding_as_json
from unvek.core.findings.log.whole_run import whole_run
from unvek.core.logbook.store import Logbook

OK = b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n"
TO_THE_END = OK + b"\r\n"
CHUNKED = OK + b"Transfer-Encoding: chunked\r\n\r\n"
SECRET = "sk-very/secret&4711"


def message(text: str, **more: Any) -> bytes:
    return b"data: " + json.dumps({"pieces": [{"text": text}], **more}).encode() + b"\n\n"


def chunk(data: bytes) -> bytes:
    return b"%x\r\n%s\r\n" % (len(data), data)


def well_formed(count: int, body: bytes) -> Iterator[bytes]:
    """Everything that the standard allows, in pieces of three bytes."""
    text = (
        b"\xef\xbb\xbf: a comment\n\nevent: piece\nid: 7\nretry: 10\n" + message("one ")
        + b'data: {"pieces":\r\ndata:[{"text": "two "}]}\r\n\r\n'
        + b'data: {"pieces": [{"text": "three"}]}\r\rdatabase: no\rdata\r\r'
        + message("", usage={"in": 5, "out": 9}) + b"data: that is all\n\n"
    )  # fmt: skip
    yield CHUNKED
    for start in range(0, len(text), 3):
        yield chunk(text[start : start + 3])
    yield b"0\r\nTrailer: x\r\n\r\n"


def timed(count: int, body: bytes) -> Iterator[bytes]:
    yield CHUNKED
    time.sleep(0.1)
    for place in range(11):
        yield chunk(message(f"t{place} "))
        time.sleep(0.02)
    yield chunk(message("", usage={"in": 3, "out": 11})) + b"0\r\n\r\n"


def refused_once(count: int, body: bytes) -> Iterator[bytes]:
    if count % 2:
        yield b"HTTP/1.1 429 Too Many Requests\r\nRetry-After: 0\r\nContent-Length: 4\r\n\r\nbusy"
    else:
        yield TO_THE_END + message("at last")


def refused(count: int, body: bytes) -> Iterator[bytes]:
    yield b"HTTP/1.1 503 Down\r\nContent-Length: 30000\r\n\r\n" + b"\x1b[31mno" * 3000


def endless(piece: bytes) -> Behaviour:
    def behave(count: int, body: bytes) -> Iterator[bytes]:
        yield TO_THE_END
        while True:
            yield piece

    return behave


def one(*pieces: bytes) -> Behaviour:
    return lambda count, body: iter(pieces)


def echo(count: int, body: bytes) -> Iterator[bytes]:
    yield TO_THE_END + message(f"you said {SECRET}") + message("", error=f"and again {SECRET}")


def tells_all(count: int, body: bytes) -> Iterator[bytes]:
    """A page of errors that says the question back, in the forms of a URL, of HTML and of JSON."""
    written = (
        quote(SECRET, safe=""),
        html.escape(SECRET),
        json.dumps(SECRET).replace("/", "\\/"),
        b64encode(SECRET.encode()).decode(),
    )
    page = "<pre>GET /?key={}</pre><b>{}</b>{} Basic {}".format(*written)
    yield b"HTTP/1.1 400 Bad %s\r\nContent-Length: %d\r\n\r\n" % (SECRET.encode(), len(page)) + page.encode()


BEHAVIOURS: dict[str, Behaviour] = {
    "well-formed": well_formed,
    "timed": timed,
    "lines": one(b'HTTP/1.1 200 OK\r\nContent-Length: 60\r\n\r\n{"pieces": [{"text": "a b"}]}\n{"pieces": [{"text": " c d"}]}'),
    "continues": one(b"HTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 103 Early Hints\r\nLink: x\r\n\r\n" + TO_THE_END + message("whole")),
    "continues-slowly": one(b"HTTP/1.1 100 Con", b"tinue\r\n\r\nHTTP", TO_THE_END[4:], message("whole")),
    "continues-only": one(b"HTTP/1.1 100 Continue\r\n\r\n"),
    "tells-all": tells_all,
    "refused-once": refused_once,
    "refused": refused,
    "cut-chunked": one(CHUNKED, chunk(message("half a "))),
    "cut-event": one(TO_THE_END, message("half a "), b'data: {"pieces'),
    "long": one(TO_THE_END, message("\U0001f33f" * 20_000)),
    "latin": one(TO_THE_END, b'data: {"pieces": [{"text": "caf\xe9 \xff"}]}\n\n'),
    "codes": one(TO_THE_END, message("\x1b[2J\x1b[31mred \x9b5A\x07 \x1b]0;title\x07 done\r\rover")),
    "packed": one(OK + b"Content-Encoding: gzip\r\n\r\n", b"\x1f\x8b" + b"x" * 1000),
    "moved": one(b"HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\n\r\n"),
    "no-http": one(b"SSH-2.0-nothing\r\n\r\n"),
    "no-text": one(TO_THE_END, b'data: {"other": 1}\n\n'),
    "not-json": one(TO_THE_END, b"data: {oops\n\n" * 5, message("and on")),
    "bad-chunk": one(CHUNKED, b"zz\r\nhello\r\n"),
    "error-inside": one(TO_THE_END, message("so far "), b'data: {"error": {"message": "the pen broke"}}\n\n'),
    "endless-line": endless(b"x" * 65536),
    "endless-head": lambda count, body: iter([b"HTTP/1.1 200 OK\r\n"] + [b"X-Y: " + b"y" * 60000 + b"\r\n"] * 100),
    "endless-comments": endless(b": still here\n" * 10),
    "endless-tokens": endless(message("on and on ")),
    "large-event": one(TO_THE_END, b'data: {"pieces": [{"text": "' + b"z" * 10_000_000 + b'"}]}\n\n'),
    "many-lines": one(TO_THE_END, b"data: x\n" * 2_000_000 + b"\n"),
    "nested": one(TO_THE_END, b"data: " + b"[" * 200_000 + b"\n\n", message("survived")),
    "echo": echo,
}  # fmt: skip

RUNNER = """
[runners.{name}]
kind = "stream"
url = "http://127.0.0.1:{port}/{{do}}"
body = {{ ask = "{{prompt}}", seed = "{{seed}}", note = "say: {{prompt}} {{{{x}}}}" }}
framing = "{framing}"
text = "/pieces/0/text"
tokens_in = "/usage/in"
tokens_out = "/usage/out"
{more}
"""


class Streams(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.server = Loopback(self, BEHAVIOURS)

    def plan(self, *behaviours: str, more: str = "", framing: str = "sse", vary: str = "", **options: Any) -> None:
        """Write a plan with one variant, whose server does one thing after the other."""
        self.write_plan(
            RUNNER.format(name="cards", port=self.server.port, framing=framing, more=more),
            variant("slow") + 'runner = "cards"\n',
            '[[tasks]]\nname = "t"\nprompt = "a \\"rose\\""\nseeds = [4]\n',
            f"[vary]\ndo = {json.dumps(behaviours)}\n{vary}",
            **options,
        )

    def runs(self, expect: int = 0) -> dict[str, dict[str, Any]]:
        """Make the runs, and return the last of each behaviour, whole."""
        self.unvek("run", "--plain", expect=expect)
        return self.made()

    def made(self) -> dict[str, dict[str, Any]]:
        with Logbook.open(self.folder / "logbook") as logbook:
            runs = [finding_as_json(whole_run(logbook, run.number)) for run in logbook.runs()]
        return {run["provenance"]["settings"]["do"]: run for run in runs}


NO_ANSWERS = {
    "cut-chunked": "cut off", "cut-event": "cut off in the middle", "packed": "gzip", "no-http": "",
    "no-text": "nothing stood at /pieces/0/text", "bad-chunk": "no number", "error-inside": "the pen broke",
    "endless-head": "", "endless-line": "a line of more than", "large-event": "more than 1048576 bytes",
    "many-lines": "an event of more than",
}  # fmt: skip


class Asked(Streams):
    """One plan of all behaviours that need nothing else; its runs are made once, and looked at test by test."""

    _made: ClassVar[tuple[dict[str, dict[str, Any]], list[tuple[str, bytes]]] | None] = None

    def setUp(self) -> None:
        super().setUp()
        if Asked._made is None:
            self.plan("well-formed", "timed", "latin", "not-json", "nested", "long", *NO_ANSWERS)
            Asked._made = self.runs(expect=1), self.server.asked
        self.of, self.asked = Asked._made

    def test_an_event_stream_is_read_as_the_standard_has_it(self):
        run = self.of["well-formed"]
        self.assertEqual((run["status"], run["text"], run["tokens"]), ("finished", "one two three", 9))
        self.assertEqual(run["measures"]["input.tokens"], 5)
        self.assertEqual(run["faults"], [])
        path, request = self.asked[0]
        self.assertEqual(path, "well-formed")
        self.assertEqual(
            json.loads(request.splitlines()[-1]), {"ask": 'a "rose"', "seed": 4, "note": 'say: a "rose" {x}'}
        )

    def test_times_are_those_of_the_tokens(self):
        run = self.of["timed"]
        # The server rests before each token: none can have come sooner.
        self.assertTrue(
            all(at_s >= 0.1 + 0.02 * n for n, at_s in enumerate(run["piece_times_s"])), run["piece_times_s"]
        )
        self.assertAlmostEqual(run["first_s"], run["piece_times_s"][0] - run["requests"][0]["due_s"])
        self.assertAlmostEqual(
            run["measures"]["rate.tokens"], 10 / (run["piece_times_s"][10] - run["piece_times_s"][0])
        )
        self.assertAlmostEqual(run["measures"]["rate.input"], 3 / run["first_s"])
        self.assertEqual(len(run["piece_times_s"]), 11)
        self.assertLess(max(run["piece_times_s"]), run["time_s"])

    def test_what_is_no_answer_fails_and_says_why(self):
        for name, words in NO_ANSWERS.items():
            with self.subTest(name):
                self.assertEqual(self.of[name]["status"], "failed")
                self.assertIn(words, self.of[name]["error"])
        self.assertEqual(self.of["cut-chunked"]["text"], "half a ")

    def test_what_is_odd_is_read_as_far_as_it_goes(self):
        self.assertEqual({self.of[name]["status"] for name in ("latin", "not-json", "nested", "long")}, {"finished"})
        self.assertEqual((self.of["long"]["text"], self.of["long"]["faults"]), ("\U0001f33f" * 20_000, []))
        self.assertEqual(self.of["latin"]["text"], "caf\ufffd \ufffd")
        self.assertEqual([kind for kind, _ in self.of["latin"]["faults"]], ["encoding"])
        self.assertEqual([kind for kind, _ in self.of["not-json"]["faults"]], ["not-json"])
        self.assertEqual(self.of["nested"]["text"], "survived")


class Answers(Streams):
    def test_without_a_token_count_words_or_characters_are_counted_and_named_so(self):
        self.plan("lines", framing="lines")
        self.set_counting("")
        run = self.runs()["lines"]
        self.assertEqual((run["text"], run["tokens"], run["measures"]["output.words"]), ("a b c d", 0, 4))
        self.set_counting('count = "characters"\n')
        run = self.runs()["lines"]
        self.assertEqual(run["measures"]["output.characters"], 7)
        self.assertNotIn("rate.tokens", run["measures"])

    def set_counting(self, line: str) -> None:
        plan = (self.folder / "plan.toml").read_text()
        plan = "\n".join(x for x in plan.splitlines() if not x.startswith(("tokens_", "count")))
        self.write("plan.toml", plan.replace('text = "/pieces', f'{line}text = "/pieces'))

    def test_what_comes_before_an_answer_in_its_packet_is_passed_over(self):
        self.plan("continues", "continues-slowly", "continues-only")
        runs = self.runs(expect=1)
        for name in ("continues", "continues-slowly"):
            self.assertEqual((runs[name]["status"], runs[name]["text"]), ("finished", "whole"), runs[name]["error"])
        self.assertEqual(runs["continues-only"]["status"], "failed")

    def test_refusals_are_told_by_code_and_retries_are_never_hidden(self):
        self.plan("refused-once", "refused", "moved", more="retries = 1")
        runs = self.runs(expect=1)
        self.assertEqual(runs["refused-once"]["status"], "finished")
        self.assertEqual([kind for kind, _ in runs["refused-once"]["faults"]], ["http-429"])
        self.assertEqual(runs["refused-once"]["measures"]["count.retries"], 1)
        self.assertIn("the server answered 503 Down", runs["refused"]["error"])
        self.assertEqual([kind for kind, _ in runs["refused"]["faults"]], ["http-503"] * 2)
        self.assertIn("302", runs["moved"]["error"])
        self.assertEqual(sum(path == "moved" for path, _ in self.server.asked), 1)

    def test_nobody_there_is_told(self):
        self.plan("timed")
        self.write("plan.toml", (self.folder / "plan.toml").read_text().replace(f":{self.server.port}/", ":9/"))
        self.assertIn("http://127.0.0.1:9/", self.runs(expect=1)["timed"]["error"])


class Hostility(Streams):
    def test_no_answer_outlasts_the_limits_or_takes_the_memory(self):
        self.plan("endless-comments", stall_limit="2 s", run_limit="1 min")
        self.assertEqual(self.runs(expect=1)["endless-comments"]["status"], "stalled")
        # What ends of itself is not held to a short time: on a machine that has no time for it, it would say nothing.
        self.plan("endless-tokens", "endless-line", "large-event", "many-lines", limits="tokens = 2000")
        started = self.start("run", "--plain")
        highest = 0
        while started.poll() is None:
            try:
                highest = max(
                    [highest, *(c.memory_info().rss for c in psutil.Process(started.pid).children(recursive=True))]
                )
            except psutil.Error:
                pass
            time.sleep(0.05)
        runs = self.made()
        self.assertEqual(runs["endless-tokens"]["status"], "over-limit")
        self.assertEqual({runs[name]["status"] for name in ("endless-line", "large-event", "many-lines")}, {"failed"})
        self.assertLess(highest, (64 + 64) * 2**20)  # the asking process with its libraries has half of this at rest

    def test_no_text_of_a_server_reaches_the_terminal_as_a_control_code(self):
        self.plan("codes", "refused")
        self.unvek("run", "--plain", expect=1)
        for command in (("show", "1"), ("show", "2"), ("log",), ("compare",), ("try", "--set", "do=codes")):
            done = self.unvek(*command)
            shown = done.stdout + done.stderr
            self.assertFalse([c for c in shown if (c < " " and c not in "\n\t") or "\x7f" <= c < "\xa0"], shown)
        self.assertIn("red", self.unvek("show", "1").stdout)

    def test_a_page_of_errors_tells_no_secret_in_any_form(self):
        os.environ["API_KEY"] = SECRET
        self.addCleanup(os.environ.pop, "API_KEY")
        self.plan("tells-all", more='secrets = ["API_KEY"]\n[runners.cards.headers]\nAuthorization = "{API_KEY}"')
        error = self.runs(expect=1)["tells-all"]["error"]
        self.assertEqual(error.count("[API_KEY]"), 5, error)
        for path in (self.folder / "logbook").rglob("*"):
            if path.is_file():
                for part in (b"sk-very", b"ret&4711", b"%264711", b"amp;4711", b64encode(SECRET.encode())[3:16]):
                    self.assertNotIn(part, path.read_bytes(), path)

    def test_a_secret_is_sent_and_kept_nowhere(self):
        self.plan("echo", more='secrets = ["API_KEY"]\n[runners.cards.headers]\nAuthorization = "Bearer {API_KEY}"')
        told = self.unvek("run", expect=1).stderr
        self.assertIn("the environment has no API_KEY", told)
        os.environ["API_KEY"] = SECRET
        self.addCleanup(os.environ.pop, "API_KEY")
        told = self.unvek("run", "--afresh", expect=1)
        self.assertIn(f"Bearer {SECRET}".encode(), self.server.asked[-1][1])
        shown = told.stdout + told.stderr + self.unvek("show", "2").stdout + self.unvek("log", "--as", "json").stdout
        self.assertIn("you said [API_KEY]", shown)
        self.assertNotIn(SECRET, shown)
        files = [path for path in (self.folder / "logbook").rglob("*") if path.is_file()]
        self.assertGreater(len(files), 2)
        self.assertFalse([path for path in files if SECRET.encode() in path.read_bytes()])


class Clients(Streams):
    def test_each_client_asks_again_when_it_is_answered(self):
        self.plan("timed", vary="clients = [1, 3]\n", more="requests = 6")
        self.unvek("run", "--plain")
        self.assertGreaterEqual(self.server.most_at_once, 3)  # it hears of an end late; the clients' times are exact
        alone, three = (self.result("show", str(row["run"])) for row in self.log())
        self.assertEqual([row["varied"]["clients"] for row in (alone, three)], [1, 3])
        asked = sorted(alone["requests"], key=lambda request: request["sent_s"])
        self.assertTrue(all(later["sent_s"] >= earlier["ended_s"] for earlier, later in pairwise(asked)))
        self.assertAlmostEqual(three["measures"]["rate.tokens.sum"], 66 / three["time_s"])
        self.assertEqual((three["tokens"], three["measures"]["requests.failed"]), (66, 0))
        for client in range(3):
            mine = [request for request in three["requests"] if request["client"] == client]
            self.assertEqual(len(mine), 2)
            self.assertGreaterEqual(mine[1]["sent_s"], mine[0]["ended_s"])
        asked = sorted(json.loads(request.splitlines()[-1])["seed"] for _, request in self.server.asked[6:])
        self.assertEqual(asked, [4, 5, 6, 7, 8, 9])  # every request asks for something else

    def test_requests_at_set_times_are_timed_from_when_they_were_due(self):
        self.plan("timed", more="arrivals_per_second = 20\nrequests = 8")
        run = self.runs()["timed"]
        due = [request["due_s"] for request in run["requests"]]
        for place, due_s in enumerate(due):
            self.assertAlmostEqual(due_s, place / 20, places=6)
        self.assertGreater(self.server.most_at_once, 3)
        self.assertTrue(all(request["sent_s"] >= request["due_s"] - 1e-6 for request in run["requests"]))

    def test_failures_of_some_requests_do_not_fail_the_run_and_are_counted(self):
        self.plan("refused-once", more="clients = 2\nrequests = 4")
        run = self.runs()["refused-once"]
        self.assertEqual((run["status"], run["measures"]["requests.failed"]), ("finished", 0.5))
        self.assertEqual(sorted(str(request["code"]) for request in run["requests"]), ["200", "200", "429", "429"])
        self.assertIn("HTTP 429: 2", self.unvek("show", "1").stdout)


SERVE = """
import http.server, os, sys, time
if sys.argv[2] == "exits":
    sys.exit("no weights here")
if sys.argv[2] == "hangs":
    time.sleep(600)
held = bytearray(b"x") * (40 * 2**20)
class Handler(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        self.send_response(200); self.end_headers()
    def do_POST(self):
        if sys.argv[2] == "dies":
            os._exit(9)
        self.send_response(200); self.end_headers()
        self.wfile.write(b'data: {"pieces": [{"text": "hello"}]}\\n\\n')
    def log_message(self, *_): pass
print("serving", os.getpid(), flush=True)
http.server.HTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
"""


LIMITS = {"hangs": 'stall = "1500 ms"'}


class OwnServer(Streams):
    def serve(self, *behaviours: str, **options: Any) -> None:
        self.write("serve.py", SERVE)
        more = 'serve = ["{python}", "serve.py", "{port}", "{do}"]\nready = "http://127.0.0.1:{port}/{do}"'
        self.write_plan(
            RUNNER.format(name="cards", port="{port}", framing="sse", more=more),
            *(
                variant(name, do=name) + f'runner = "cards"\nlimits = {{ {LIMITS.get(name, "")} }}\n'
                for name in ("slow", *behaviours)
            ),
            task(seeds=[1]),
            **options,
        )

    def test_it_is_started_measured_and_ended(self):
        self.serve(rounds=2)
        run = self.runs()["slow"]
        self.assertEqual((run["status"], run["text"]), ("finished", "hello"))
        self.assertGreater(run["machine"]["memory_peak_bytes"], 40 * 2**20)
        self.assertLess(run["machine"]["memory_peak_bytes"], 120 * 2**20)
        self.assertGreater(run["load_s"], 0.02)
        self.assertIn("serve.py", " ".join(run["provenance"]["script"]))
        pids = [int(log.read_text().split()[1]) for log in (self.folder / "logbook" / "logs").iterdir()]
        self.assertEqual((len(pids), [is_alive(pid) for pid in pids]), (2, [False, False]))

    def test_one_that_fails_is_told_and_the_rest_goes_on(self):
        self.serve("exits", "dies", "hangs")
        runs = self.runs(expect=1)
        self.assertEqual({name: run["status"] for name, run in runs.items()},
                         {"slow": "finished", "exits": "failed", "dies": "failed", "hangs": "stalled"})  # fmt: skip
        self.assertIn("exit code 1", runs["exits"]["error"])
        logs = [log.read_text() for log in (self.folder / "logbook" / "logs").iterdir()]
        self.assertIn("no weights here\n", logs)


if __name__ == "__main__":
    unittest.main()
