"""Servers as they are: chat-shaped ones, answers that come at once, jobs that are looked at and fetched, memories."""

import json
import os
import time
import unittest
from base64 import b64encode
from collections.abc import Iterator, Mapping
from typing import Any

from tests.core.run.runners.test_stream import SECRET, TO_THE_END, message
from tests.loopback import Behaviour, Loopback
from tests.support import ProjectTest, task
from unvek.core.findings.as_json import finding_as_json
from unvek.core.findings.log.whole_run import whole_run
from unvek.core.logbook.store import Logbook

PNG = b"\x89PNG\r\n\x1a\n" + b"x" * 100
WRITTEN = b64encode(PNG).decode()


def whole(content: Any) -> bytes:
    data = content if isinstance(content, bytes) else json.dumps(content).encode()
    return b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\n\r\n" % len(data) + data


def piece(**delta: Any) -> bytes:
    return b"data: " + json.dumps({"choices": [{"index": 0, "delta": delta}]}).encode() + b"\n\n"


USAGE = {
    "prompt_tokens": 40, "completion_tokens": 9, "prompt_tokens_details": {"cached_tokens": 8},
    "completion_tokens_details": {"reasoning_tokens": 3},
}  # fmt: skip


def chat(count: int, body: bytes) -> Iterator[bytes]:
    """As most local servers have it: a role first, thoughts, an answer, an empty end, the counts, a marker."""
    yield TO_THE_END + piece(role="assistant", content="")
    for text in ("let ", "me ", "think "):
        yield piece(reasoning_content=text)
    time.sleep(0.02)
    for text in ("a ", "ro", "se"):
        yield piece(content=text)
    yield piece() + b'data: {"choices": [], "usage": %s}\n\ndata: [DONE]\n\n' % json.dumps(USAGE).encode()


def untold(count: int, body: bytes) -> Iterator[bytes]:
    yield (
        TO_THE_END
        + piece(reasoning_content="hm ")
        + piece(content="one two ")
        + piece(content="three")
        + b"data: [DONE]\n\n"
    )


def never_there(count: int, body: bytes) -> Iterator[bytes]:
    yield TO_THE_END + piece(reasoning_content="hm ") + b'data: {"usage": {"completion_tokens": 1}}\n\n'


def at_once(count: int, body: bytes) -> Iterator[bytes]:
    yield whole({"choices": [{"message": {"content": "all at once", "reasoning_content": "hm"}}], "usage": USAGE})


LOOK = "job/a%2Fb%201"


def says(answer: bytes) -> Behaviour:
    return lambda count, body: iter([answer])


def job(*states: Any, **more: Any) -> dict[str, Behaviour]:
    """A server that takes a job and has another state each time that it is looked at."""
    looks = [whole({"state": state, "done": place, "of": 4, **more}) for place, state in enumerate(states, 1)]
    return {
        "take": says(whole({"id": "a/b 1", "at": LOOK})),
        LOOK: lambda count, body: iter([looks[min(count, len(looks)) - 1]]),
        "file/1.png": says(whole(PNG)),
    }


Case = tuple[str, Mapping[str, Behaviour]]  # a runner's keys, and what its server does


class Servers(ProjectTest):
    def plan(self, cases: Mapping[str, Case], **options: Any) -> None:
        """Write a plan with a variant for each case, whose runner asks at a path of its own."""
        self.server = Loopback(
            self,
            {f"{name}/{path}": does for name, (_, behaviours) in cases.items() for path, does in behaviours.items()},
        )
        runners, variants = [], []
        for name, (keys, _) in cases.items():
            url = f"http://127.0.0.1:{self.server.port}/{name}"
            head, table, rest = keys.partition("[job]")
            job = f"[runners.{name}.job]{rest}" if table else ""
            runners.append(f'[runners.{name}]\nkind = "stream"\nurl = "{url}/take"\n{head}\n{job}'.replace("URL", url))
            variants.append(f'[[variants]]\nname = "{name}"\nrunner = "{name}"\n')
        tasks = options.pop("tasks", task("t", seeds=[4], prompt='a "rose"'))
        path = self.write_plan(*runners, *variants, tasks, **options)
        path.write_text(path.read_text().replace('reference = "slow"\n', ""))

    def made(self, cases: Mapping[str, Case], expect: int = 0) -> dict[str, dict[str, Any]]:
        """Make the plan's runs, one for each case, and return them by their names."""
        self.plan(cases)
        self.unvek("run", "--plain", expect=expect)
        with Logbook.open(self.folder / "logbook") as logbook:
            return {run.variant: dict(finding_as_json(whole_run(logbook, run.number))) for run in logbook.runs()}

    def asked(self, name: str = "cards") -> list[Any]:
        """Return the bodies of the requests that took something, in their order."""
        return [json.loads(request.splitlines()[-1]) for path, request in self.server.asked if path == f"{name}/take"]


class ChatShaped(Servers):
    def test_a_chat_is_asked_and_heard_with_nothing_but_its_shape(self):
        runs = self.made({
            "cards": ('shape = "chat"\nbody = { model = "tiny" }', {"take": chat}),
            "untold": ('shape = "chat"', {"take": untold}),
            "counted": ('shape = "chat"\ncount = "tokens"', {"take": untold}),
            "thinking": ('shape = "chat"', {"take": never_there}),
            "at-once": ('shape = "chat"\nframing = "whole"', {"take": at_once}),
        })  # fmt: skip
        with self.subTest("what is asked"):
            (asked,) = self.asked()
            self.assertEqual(asked["messages"], [{"role": "user", "content": 'a "rose"'}])
            self.assertEqual((asked["model"], asked["stream"], asked["seed"]), ("tiny", True, 4))
        with self.subTest("what is heard"):
            run, measures = runs["cards"], runs["cards"]["measures"]
            self.assertEqual((run["text"], run["tokens"], run["faults"]), ("a rose", 9, []))
            self.assertEqual((measures["input.tokens"], measures["input.cached"]), (40, 8))
            self.assertEqual(measures["output.reasoning.tokens"], 3)
            self.assertAlmostEqual(measures["rate.input"], 32 / run["first_s"])
            self.assertGreater(run["phases"]["reasoning"], 0)
            self.assertEqual(set(run["phases"]), {"start", "reasoning", "answer"})
        with self.subTest("what is shown"):
            (request,) = run["requests"]
            self.assertEqual(json.loads(request["body"]), asked)
            parts = [(part["name"], part["count"], part["text"]) for part in request["parts"]]
            self.assertEqual(parts, [("reasoning", 3, "let me think ")])
            shown = self.unvek("show", str(run["run"])).stdout
            self.assertIn('"model": "tiny"', shown)
            self.assertIn("reasoning\n  let me think", shown)
        with self.subTest("what nobody counted is no token"):
            run, measures = runs["untold"], runs["untold"]["measures"]
            self.assertEqual((run["text"], run["tokens"]), ("one two three", 0))
            self.assertEqual((measures["output.pieces"], measures["output.reasoning.pieces"]), (3, 1))
            self.assertNotIn("rate.tokens", measures)
        with self.subTest("each message is a token where the plan says so"):
            run = runs["counted"]
            self.assertEqual((run["tokens"], run["measures"]["output.reasoning.tokens"]), (3, 1))
        with self.subTest("thoughts without an answer are an empty answer"):
            run = runs["thinking"]
            self.assertEqual((run["status"], run["text"], run["tokens"]), ("finished", "", 1))
        with self.subTest("an answer that comes at once has no first token"):
            run, measures = runs["at-once"], runs["at-once"]["measures"]
            self.assertNotIn("stream", self.asked("at-once")[0])
            self.assertEqual((run["text"], run["tokens"], run["first_s"]), ("all at once", 9, None))
            self.assertEqual(set(measures) & {"rate.tokens", "rate.input", "gap.median"}, set())
            self.assertAlmostEqual(measures["rate.tokens.sum"], 9 / run["time_s"])
            self.assertEqual(run["requests"][0]["parts"][0]["text"], "hm")

    def test_keys_of_the_shape_give_way_and_mistakes_are_told(self):
        keys = 'shape = "chat"\ntext = "/choices/0/text"\nbody = { messages = "{prompt}", seed = 1 }'
        run = self.made({"cards": (keys, {"take": chat})}, expect=1)["cards"]
        self.assertIn("nothing stood at /choices/0/text", run["error"])
        asked = self.asked()[0]
        self.assertEqual((asked["messages"], asked["seed"], asked["stream"]), ('a "rose"', 1, True))
        for keys, where in (
            ('shape = "chart"\ntext = "/x"', "shape"),
            ('text = { thoughts = "/x" }', "text"),
            ('text = { answer = "x" }', "text.answer"),
            ('shape = "chat"\ntokens_of = { other = "/x" }', "tokens_of.other"),
            ('text = "/x"\nfetch = ["/y"]', "fetch"),
            ('text = "/x"\nframing = "whole"\nfetch = ["y"]', "fetch"),
            ('text = "/x"\nframing = "job"\njob = { look = "x" }', "job.look"),
            ('text = "/x"\nframing = "job"\njob = { look = "URL/{job}" }', "job.name"),
            ('text = "/x"\nframing = "job"\njob = { look = "/u", state = "/s" }', "job.done"),
            ('text = "/x"\nframing = "job"\njob = { look = "/u", stat = "/s" }', "job.stat"),
        ):
            with self.subTest(keys):
                self.plan({"cards": (keys, {})})
                found = [error["where"] for error in self.result("check", expect=2)["errors"]]
                self.assertEqual(found, [f"runners.cards.{where}"])


class AtOnce(Servers):
    def test_texts_are_counted_in_words_and_pictures_are_outputs(self):
        content = {"pictures": [WRITTEN, f"data:image/png;base64,{WRITTEN}"], "seed": 3}
        runs = self.made({
            "words": ('framing = "whole"\ntext = "/text"', {"take": says(whole({"text": "a b  c"}))}),
            "pictures": ('framing = "whole"\nfetch = ["/pictures"]', {"take": says(whole(content))}),
        })  # fmt: skip
        self.assertEqual((runs["words"]["tokens"], runs["words"]["measures"]["output.words"]), (0, 3))
        outputs = [(output["path"].rpartition("/")[2], output["bytes"]) for output in runs["pictures"]["outputs"]]
        self.assertEqual(outputs, [("1.png", len(PNG)), ("2.png", len(PNG))])

    def test_what_is_no_answer_fails_and_says_why(self):
        answers = {
            "html": (whole(b"<html>"), "the answer isn't JSON"),
            "deep": (whole(b"[" * 100_000), "the answer isn't JSON"),
            "empty": (whole({"text": ""}), "nothing stood at /text"),
            "error": (whole({"error": "no pen"}), "no pen"),
            "cut": (whole({}).replace(b"Length: 2", b"Length: 9"), "cut off"),
            "large": (b"HTTP/1.1 200 OK\r\n\r\n" + b" " * (65 * 2**20), "more than 67108864 bytes"),
        }
        keys = 'framing = "whole"\ntext = "/text"'
        runs = self.made({name: (keys, {"take": says(answer)}) for name, (answer, _) in answers.items()}, expect=1)
        for name, (_, words) in answers.items():
            self.assertIn(words, runs[name]["error"])
            self.assertEqual(runs[name]["status"], "failed")


JOB = 'framing = "job"\nfetch = ["/files"]\n[job]\nname = "/id"\nlook = "URL/job/{job}"\n'
STATES = 'state = "/state"\ndone = ["ready"]\nfailed = ["broken"]\nstep = "/done"\nof = "/of"\n'


class Jobs(Servers):
    def test_a_job_is_looked_at_until_it_is_done_and_its_files_are_fetched(self):
        without = 'framing = "job"\ntext = "/say"\n[job]\nlook = "/at"\nevery = "10 ms"\n'
        looks = {LOOK: lambda count, body: iter([whole({"say": "hello"} if count > 2 else {})])}
        runs = self.made({
            "cards": (JOB + STATES, job("waiting", "painting", "ready", files=["../file/1.png"])),
            "without": (without, job("x") | looks),
        })  # fmt: skip
        run = runs["cards"]
        self.assertEqual((run["status"], run["steps"]), ("finished", 3))
        self.assertEqual([(o["path"].rpartition("/")[2], o["bytes"]) for o in run["outputs"]], [("1.png", len(PNG))])
        self.assertEqual(set(run["phases"]), {"start", "job", "fetch"})
        paths = [path.partition("/")[2] for path, _ in self.server.asked if path.startswith("cards/")]
        self.assertEqual(paths, ["take", LOOK, LOOK, LOOK, "file/1.png"])
        self.assertEqual(runs["without"]["text"], "hello", "without a state it is done when something is there")

    def test_what_goes_wrong_with_a_job_is_told_and_nobody_is_sent_elsewhere(self):
        cases = {
            "broken": (JOB, job("waiting", "broken", error="no pen"), "the job failed: broken, no pen"),
            "nothing": (JOB, job("ready"), "nothing stood at /files"),
            "elsewhere": (JOB, job("ready", files=["http://127.0.0.1:9/x"]), "sends us to another one"),
            "disk": (JOB, job("ready", files=["file:///etc/passwd"]), "sends us to another one"),
            "many": (JOB, job("ready", files=["../file/1.png"] * 101), "more than 100 files"),
            "unnamed": (JOB.replace("/id", "/no"), job("ready"), "no name of it stood at /no"),
            "placeless": (JOB.replace("URL/job/{job}", "/no"), job("ready"), "no URL to look at stood at /no"),
            "gone": (
                JOB,
                job("ready") | {LOOK: says(b"HTTP/1.1 404 Gone\r\nContent-Length: 0\r\n\r\n")},
                "looking at the job: the server answered 404",
            ),
        }
        runs = self.made({name: (keys + STATES, does) for name, (keys, does, _) in cases.items()}, expect=1)
        for name, (_, _, words) in cases.items():
            self.assertIn(words, runs[name]["error"])
            self.assertEqual(runs[name]["status"], "failed")

    def test_a_job_that_never_ends_is_ended_by_its_limit(self):
        self.plan({"cards": (JOB + STATES, job("waiting"))}, run_limit="1500 ms")
        self.unvek("run", "--plain", expect=1)
        self.assertEqual(self.log()[0]["status"], "timed-out")

    def test_a_secret_is_sent_and_is_in_no_body_that_is_kept(self):
        os.environ["API_KEY"] = SECRET
        self.addCleanup(os.environ.pop, "API_KEY")
        keys = f'body = {{ key = "{{API_KEY}}", ask = "{{prompt}}" }}\nsecrets = ["API_KEY"]\n{JOB}{STATES}'
        run = self.made({"cards": (keys, job("ready", files=["../file/1.png"]))})["cards"]
        self.assertEqual(self.asked()[0]["key"], SECRET)
        self.assertIn('"key": "[API_KEY]"', run["requests"][0]["body"])
        files = [path for path in (self.folder / "logbook").rglob("*") if path.is_file()]
        self.assertFalse([path for path in files if b"sk-very" in path.read_bytes()])


ASKS = 'text = "/pieces/0/text"\n'


class Remembering(Servers):
    """A server that answers at once what it was asked before, and takes its time for what is new."""

    def setUp(self) -> None:
        super().setUp()
        self.known: set[bytes] = set()

    def remembers(self, count: int, body: bytes) -> Iterator[bytes]:
        prompt = json.loads(body)["ask"].encode()
        time.sleep(0.005 if prompt in self.known else 0.25)
        self.known.add(prompt)
        yield TO_THE_END + message("a rose")

    def findings(self) -> dict[str, dict[str, Any]]:
        return {finding["code"]: finding for finding in self.result("audit")["findings"]}

    def test_a_first_asking_that_took_several_times_as_long_is_told_and_a_nonce_ends_it(self):
        tasks = "".join(task(f"t{n}", seeds=[1, 2], prompt=f"about {n}") for n in range(3))
        keys = 'text = "/pieces/0/text"\nbody = { ask = "%s" }'
        self.plan({
            "cards": (keys % "{prompt}", {"take": self.remembers}),
            "new": (keys % "{nonce} {prompt}", {"take": self.remembers}),
        }, tasks=tasks, rounds=2, warmups=1)  # fmt: skip
        self.unvek("run", "--plain")
        found = self.findings()["first-asking-slower"]
        self.assertEqual((found["severity"], found["variants"]), ("doubt", ["cards"]))
        self.assertIn("{nonce}", self.unvek("audit").stdout)
        asked = [body["ask"] for body in self.asked("new")]
        self.assertEqual(len(set(asked)), len(asked), asked)
        self.assertEqual({len(one.partition(" ")[0]) for one in asked}, {8})
        self.unvek("run", "--afresh", "--plain")
        everything = [body["ask"] for body in self.asked("new")]
        self.assertEqual(len(set(everything)), 2 * len(asked), "what an earlier session asked is known to the server")

    def test_a_nonce_is_the_same_for_every_variant_at_the_same_place(self):
        self.plan({"cards": (ASKS + 'body = { who = "{variant}", ask = "{nonce} {prompt}" }', {"take": self.remembers})},
                  tasks=task("a", seeds=[1, 2]), rounds=2, repeats=2, warmups=1)  # fmt: skip
        self.add_variant("quick")
        self.assertTrue([doubt for doubt in self.result("check")["doubts"] if "cards, quick ask one server" in doubt])
        self.unvek("run", "--plain")
        bodies = self.asked()
        asked = {who: [body["ask"] for body in bodies if body["who"] == who] for who in ("cards", "quick")}
        self.assertEqual(asked["cards"], asked["quick"])
        self.assertEqual(len(set(asked["cards"])), 2 * (2 * 2 + 1))

    def test_outputs_are_held_against_what_was_asked_the_same(self):
        """The server says back what it is asked: but for the nonces every variant is like the reference, always."""
        keys = ASKS + 'body = { who = "{variant}", ask = "{nonce} {prompt} {seed}" }'
        echoes = {"take": lambda count, body: iter([TO_THE_END + message(json.loads(body)["ask"])])}
        self.plan({"cards": (keys, echoes)}, tasks=task("a", seeds=[1, 2]), rounds=2, repeats=2)
        self.add_variant("quick")
        self.unvek("run", "--plain")
        self.add_variant("late")
        self.unvek("run", "--plain")
        edits = {row["variant"]: row["measures"]["edit"] for row in self.result("compare")["rows"]}
        typical = {name: edit["typical"] for name, edit in edits.items()}
        self.assertEqual(
            typical, {"cards": None, "quick": 1.0, "late": None}, "no rerun, and no other session, is alike"
        )
        self.assertEqual(
            {name: edit["drift"] for name, edit in edits.items()}, {"cards": None, "quick": 0.0, "late": None}
        )
        self.assertIn("cards is never asked the same twice", " ".join(self.unvek("compare").stdout.split()))

    def test_what_a_server_says_it_knew_is_unfair_where_variants_differ(self):
        def knows(count: int, body: bytes) -> Iterator[bytes]:
            cached = 36 if json.loads(body)["who"] == "quick" else 0
            yield TO_THE_END + message("a rose", usage={"in": 40, "out": 2, "known": cached})

        keys = ASKS + 'tokens_in = "/usage/in"\ncached = "/usage/known"\nbody = { who = "{variant}" }'
        self.plan({"cards": (keys, {"take": knows})}, tasks=task("a", seeds=[1, 2]))
        self.add_variant("quick")
        self.unvek("run", "--plain")
        found = self.findings()["prompts-known"]
        self.assertEqual((found["severity"], found["variants"]), ("unfair", ["quick"]))
        self.assertIn("quick 90 %", found["text"])

    def add_variant(self, name: str) -> None:
        path = self.folder / "plan.toml"
        path.write_text(path.read_text() + f'[[variants]]\nname = "{name}"\nrunner = "cards"\n')


if __name__ == "__main__":
    unittest.main()
