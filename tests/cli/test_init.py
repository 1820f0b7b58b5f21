"""A first plan from what there is: written by the program, run as it is, and compared."""

import json
import os
import subprocess
import tomllib
import unittest
from collections.abc import Iterator, Mapping
from typing import Any
from unittest import mock

import psutil

from tests.core.run.runners.test_chat_and_jobs import at_once, chat, piece, says, whole
from tests.core.run.runners.test_stream import TO_THE_END, message
from tests.loopback import Loopback
from tests.support import ProjectTest, called
from unvek.core.drafting.draft import form_of, names_of, precision_of, written
from unvek.core.drafting.interpreters import imports_of, interpreter_for

SCRIPT = """
import helper
def load(variant):
    return open(variant.weights[0], "rb").read() if variant.weights else b"none"
def run(model, job, probe):
    settings = job.settings
    for _ in range(settings["steps"]):
        probe.step(of=settings["steps"])
    guidance = settings.get("guidance", 2.0)
    probe.output(("%s %s %s" % (job.prompt, job.seed, guidance)).encode(), "words.txt")
"""
PROGRAM = """#!/usr/bin/env python3
import argparse, sys
asked = argparse.ArgumentParser(description="Paints {braces}.")
asked.add_argument("--steps", type=int, default=4)
asked.add_argument("--seed", type=int, required=True)
asked.add_argument("-o", "--out", required=True)
asked.add_argument("--weights")
asked.add_argument("words")
given = asked.parse_args()
for step in range(given.steps):
    print(f"step {step + 1}/{given.steps}", flush=True)
with open(given.out, "w") as file:
    file.write(f"{given.words} {given.seed} {given.weights}")
"""


class Drafts(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("helper.py", "")

    def init(self, *arguments: str, expect: int = 0) -> str:
        return self.unvek("init", *arguments, expect=expect).stderr

    def drafted(self, folder: str = ".") -> Mapping[str, Any]:
        return tomllib.loads((self.folder / folder / "plan.toml").read_text())

    def outputs(self) -> dict[str, str]:
        runs = [self.result("show", str(row["run"])) for row in self.log()]
        return {
            f"{run['variant']} {run['task']} {run['seed']}": (self.folder / "logbook" / run["outputs"][0]["path"]).read_text()
            for run in runs if run["status"] == "finished"
        }  # fmt: skip

    def run_and_compare(self, *, quickly: bool = True) -> list[str]:
        """Do what the newcomer is told to do next; return which variants are compared."""
        if quickly:
            plan = self.folder / "plan.toml"
            plan.write_text(plan.read_text().replace("rounds = 3", "rounds = 1").replace("repeats = 2", "repeats = 1"))
        self.assertTrue(self.result("check")["ok"])
        self.unvek("run", "--plain")
        return [row["variant"] for row in self.result("compare")["rows"] if row["finished"]]


class OfScripts(Drafts):
    def test_a_script_is_run_with_its_settings_and_half_its_steps(self):
        self.write("model.py", SCRIPT.replace("variant.weights", "variant.parts"))
        said = self.init("script", "model.py")
        self.assertIn("model.py asks for the setting 'steps'; which value: 8, which is a guess.", said)
        plan = self.drafted()
        self.assertEqual(
            [v["settings"] for v in plan["variants"]], [{"steps": 8, "guidance": 2.0}, {"steps": 4, "guidance": 2.0}]
        )
        (self.folder / "model.py").write_text(
            SCRIPT.replace('if variant.weights else b"none"', "").replace(
                'open(variant.weights[0], "rb").read()', "b''"
            )
        )
        self.assertEqual(self.run_and_compare(), ["full", "fewer-steps"])
        self.assertIn("a violet flower with six petals on night ground, one leaf 1 2.0", self.outputs().values())

    def test_weights_beside_it_are_a_variant_each_the_largest_first(self):
        self.write("model.py", SCRIPT)
        (self.folder / "models").mkdir()
        for name, size in (("rose-8bit.safetensors", 40), ("rose-fp16.safetensors", 80), ("rose.txt", 5)):
            self.write(f"models/{name}", "w" * size)
        (self.folder / "tiny").mkdir()
        self.write("tiny/config.json", "{}")
        self.write("tiny/w.bin", "w" * 10)
        self.init("script", "model.py")
        variants = self.drafted()["variants"]
        self.assertEqual([(v["name"], v["form"], v.get("precision"), v["weights"]) for v in variants], [
            ("rose-fp16", "full", "fp16", ["models/rose-fp16.safetensors"]),
            ("rose-8bit", "quantized", None, ["models/rose-8bit.safetensors"]), ("tiny", "full", None, ["tiny"]),
        ])  # fmt: skip
        self.assertEqual(self.drafted()["reference"], "rose-fp16")

    def test_what_is_no_script_is_told_and_nothing_is_overwritten(self):
        for name, text, words in (
            ("none.py", None, "there is no script none.py"),
            ("bad.py", "def load(:\n", "bad.py:1: "),
            ("empty.py", "x = 1\n", "empty.py has no load(variant) and no run(model, job, probe), which Unvek calls"),
        ):
            if text is not None:
                self.write(name, text)
            self.assertIn(words, self.init("script", name, expect=2))
            self.assertFalse((self.folder / "plan.toml").exists())
        self.write("plan.toml", "mine")
        self.write("good.py", SCRIPT)
        self.assertIn("plan.toml in . is there already", self.init("script", "good.py", expect=2))
        self.assertEqual((self.folder / "plan.toml").read_text(), "mine")
        self.init("script", "good.py", "--in", "new/place")
        self.assertEqual(self.drafted("new/place")["runners"]["good"]["script"], str(self.folder / "good.py"))
        self.assertIn("init script takes one", self.init("script", "good.py", "other.py", expect=2))

    def test_an_interpreter_that_has_what_it_imports_is_found(self):
        script = self.write("wants.py", "import os, helper, nowhere_else.part\nfrom numpy import array\n")
        self.assertEqual(imports_of(script), ["nowhere_else", "numpy"])
        self.assertEqual(interpreter_for(script, self.folder), (None, ["nowhere_else"]))
        subprocess.run(["python3", "-m", "venv", "--without-pip", str(self.folder / ".venv")], check=True)
        site = next((self.folder / ".venv" / "lib").glob("python*/site-packages"))
        for name in ("nowhere_else", "numpy"):
            (site / f"{name}.py").write_text("")
        self.assertEqual(interpreter_for(script, self.folder), (str(self.folder / ".venv" / "bin" / "python"), []))


class OfPrograms(Drafts):
    def program(self, text: str = PROGRAM, name: str = "paint") -> None:
        path = self.write(name, text)
        path.chmod(0o755)

    def test_a_command_becomes_a_plan_of_its_settings_prompt_seed_weights_and_output(self):
        self.program()
        self.write("full.bin", "w")
        self.init("program", "--", "./paint", "--steps", "6", "--weights=full.bin", "-o", "rose.txt", "a {red} rose")
        plan = self.drafted()
        self.assertEqual(plan["runners"]["paint"]["command"], [
            "./paint", "--steps", "{steps}", "--weights={weights[0]}", "-o", "{out}/rose.txt", "{prompt}", "--seed", "{seed}",
        ])  # fmt: skip
        self.assertEqual(plan["tasks"][0]["prompt"], "a {red} rose")
        self.assertEqual(self.run_and_compare(), ["full", "fewer-steps"])
        self.assertEqual(self.outputs()["full prompt-1 2"], f"a {{red}} rose 2 {self.folder / 'full.bin'}")
        self.assertEqual({row["steps"] for row in self.log()}, {6, 3})

    def test_a_forgotten_separator_is_told(self):
        self.program()
        said = self.init("program", "./paint", "--steps", "6", expect=2)
        self.assertIn("unvek init program -- ./paint --steps 6", said)
        self.assertIn("such program", self.init("program", "--", "./none", expect=2))

    def test_one_that_tells_nothing_or_without_end_is_not_waited_for(self):
        self.program("#!/bin/sh\nwhile :; do echo chatter chatter chatter; done\n", "chatters-on-and-on")
        self.init("program", "--", "./chatters-on-and-on", "--n", "3")
        plan = self.drafted()["runners"]["chatters-on-and-on"]
        self.assertEqual((plan["command"], plan["answer"]), (["./chatters-on-and-on", "--n", "3"], "printed"))
        commands = [" ".join(process.info["cmdline"] or ()) for process in psutil.process_iter(["cmdline"])]
        self.assertFalse([command for command in commands if "chatters-on-and-on" in command])


class OfWeights(Drafts):
    def test_each_file_is_a_variant_and_the_script_says_where_to_fill_in(self):
        for name, size in (("lily-4bit.bin", 3), ("lily-full.bin", 9)):
            self.write(name, "w" * size)
        said = self.init("weights", "lily-4bit.bin", "lily-full.bin", "--in", "plan")
        self.assertIn("To be filled in first: load() and run() in model.py.", said)
        variants = self.drafted("plan")["variants"]
        self.assertEqual([(v["name"], v["form"], v["weights"]) for v in variants],
                         [("full", "full", ["../lily-full.bin"]), ("4bit", "quantized", ["../lily-4bit.bin"])])  # fmt: skip
        done = called("check", "--one-step", folder=self.folder / "plan")
        self.assertEqual(done.returncode, 1)
        self.assertIn("fill in load() in model.py", done.stdout)
        for what, words in (
            ("none.bin", "there is no file or folder none.bin"),
            ("empty", "a folder with no files in it"),
        ):
            (self.folder / "empty").mkdir(exist_ok=True)
            self.assertIn(words, self.init("weights", what, "--in", "other", expect=2))


def lists(count: int, body: bytes) -> Iterator[bytes]:
    yield whole({"data": [{"id": "lily"}, {"id": "lily-4bit"}, {"id": 3}, "x"]})


def streams(count: int, body: bytes) -> Iterator[bytes]:
    asked = json.loads(body)
    yield (
        TO_THE_END + message(f"you asked {asked['ask']}: ") + message("a rose") + message("", usage={"in": 5, "out": 9})
    )


class OfServers(Drafts):
    def serve(self, **behaviours: Any) -> str:
        self.server = Loopback(self, {name.replace("_", "/"): does for name, does in behaviours.items()})
        return f"http://127.0.0.1:{self.server.port}"

    def test_a_chat_is_asked_and_its_models_are_variants(self):
        url = self.serve(models=lists, chat=chat)
        said = self.init("chat", f"{url}/chat")
        self.assertIn("It answered: 'a rose'; it counts its tokens.", said)
        plan = self.drafted()
        self.assertEqual([(v["name"], v["form"], v["settings"]) for v in plan["variants"]],
                         [("lily", "full", {"model": "lily"}), ("lily-4bit", "quantized", {"model": "lily-4bit"})])  # fmt: skip
        self.assertEqual(self.run_and_compare(), ["lily", "lily-4bit"])
        asked = [json.loads(request.splitlines()[-1]) for path, request in self.server.asked if path == "chat"]
        self.assertEqual({body["model"] for body in asked}, {"lily", "lily-4bit"})

    def test_one_that_answers_at_once_is_asked_so(self):
        url = self.serve(chat=at_once, models=says(b"HTTP/1.1 404 None\r\nContent-Length: 0\r\n\r\n"))
        self.init("chat", f"{url}/chat")
        self.assertEqual(self.drafted()["runners"]["chat"]["framing"], "whole")
        self.assertEqual(self.run_and_compare(), ["full"])

    def test_a_key_is_sent_and_stands_nowhere(self):
        key = "nursery-key-0123456789"

        def tells_it(count: int, body: bytes) -> Iterator[bytes]:
            yield TO_THE_END + piece(content=f"your key is {key}") + b"data: [DONE]\n\n"

        shut = says(f"HTTP/1.1 401 Not with {key}\r\nContent-Length: {len(key)}\r\n\r\n{key}".encode())
        url = self.serve(chat=tells_it, shut=shut, models=lists)
        self.enterContext(mock.patch.dict(os.environ, NURSERY_KEY=key))
        self.assertIn("--key-in", self.init("chat", f"{url}/shut", expect=2))
        for name, words in (("NURSERY_KEY", "401 Not with [NURSERY_KEY]: [NURSERY_KEY]"), ("NO_KEY", "not set"),
                            (f"{key} ", "not the key itself")):  # fmt: skip
            said = self.init("chat", f"{url}/shut", "--key-in", name, expect=2)
            self.assertIn(words, said)
            self.assertNotIn(key, said)
        said = self.init("chat", f"{url}/chat", "--key-in", "NURSERY_KEY")
        self.assertIn("It answered: 'your key is [NURSERY_KEY]'", said)
        self.assertNotIn(key, said + (self.folder / "plan.toml").read_text())
        self.run_and_compare()
        sent = [request for path, request in self.server.asked if path in ("chat", "models")]
        self.assertTrue(all(f"authorization: bearer {key}".encode() in request.lower() for request in sent))
        self.assertFalse(
            [
                path
                for path in (self.folder / "logbook").rglob("*")
                if path.is_file() and key.encode() in path.read_bytes()
            ]
        )
        self.assertIn("for a server or a chat", self.init("script", "helper.py", "--key-in", "NURSERY_KEY", expect=2))

    def test_a_server_of_another_shape_is_read_from_its_first_answer(self):
        url = self.serve(cards=lambda n, body: streams(n, body if b"ask" in body else b'{"ask": 1}'))
        self.init("server", f"{url}/cards")
        runner = self.drafted()["runners"]["server"]
        self.assertEqual((runner["framing"], runner["text"]), ("sse", "/pieces/0/text"))
        self.assertEqual((runner["tokens_in"], runner["tokens_out"]), ("/usage/in", "/usage/out"))
        self.assertEqual(runner["body"], {"prompt": "{prompt}", "seed": "{seed}"})
        self.assertEqual(self.run_and_compare(), ["full"])

    def test_what_does_not_answer_is_told_and_hostile_answers_break_nothing(self):
        deep = says(whole(b"[" * 100_000))
        url = self.serve(
            deep=deep, html=says(whole(b"<html>\x1b[31m")), busy=says(b"HTTP/1.1 503 Down\r\nContent-Length: 2\r\n\r\nno"),
            cut=says(TO_THE_END + b"data: {"), other=says(whole({"x": 1})), closed=says(b""),
            wide=says(whole({"/~": [{str(n): "x"} for n in range(5000)]})),
        )  # fmt: skip
        for kind in ("chat", "server"):
            for name, words in (
                ("deep", ""), ("html", ""), ("busy", "answered 503 Down: no"), ("cut", ""), ("closed", "can't be asked"),
                ("other", "in no chat's shape" if kind == "chat" else "no text was found"),
            ):  # fmt: skip
                with self.subTest(kind=kind, name=name):
                    said = self.init(kind, f"{url}/{name}", expect=2)
                    self.assertIn(words, said)
                    self.assertNotIn("\x1b", said)
            for url_of_none in ("localhost:1/x", "http://[::1/x", "http://"):
                self.assertIn("is no URL", self.init(kind, url_of_none, expect=2))
            self.assertIn("can't be asked", self.init(kind, "http://127.0.0.1:9/x", expect=2))
        self.init("server", f"{url}/wide")
        self.assertEqual(self.drafted()["runners"]["server"]["text"], "/~1~0/0/0")


class Names(unittest.TestCase):
    def test_forms_precisions_and_names_are_guessed_from_file_names(self):
        for name, form, precision in (
            ("lily-q4.bin", "quantized", None), ("lily-int8", "quantized", None), ("lily-4-bit", "quantized", None),
            ("lily-fp16", "full", "fp16"), ("lily_BF16", "full", "bf16"), ("lily-f32", "full", "fp32"),
            ("distilled-4bit", "mixed", None), ("lily-tuned", "tuned", None), ("w2v", "full", None), ("v8", "full", None),
            ("lily-fp8", "quantized", "fp8"), ("iq48", "full", None),
        ):  # fmt: skip
            self.assertEqual((form_of(name), precision_of(name)), (form, precision), name)
        self.assertEqual(names_of(["rose-full", "rose-8bit"]), ["full", "8bit"])
        self.assertEqual(names_of(["rose", "rose-8bit"]), ["rose", "rose-8bit"])
        self.assertEqual(names_of(["a/b c", "a/b?c", "---"]), ["a-b-c", "a-b-c-2", "model"])
        self.assertTrue(all(len(name) <= 40 for name in names_of(["x" * 200, "x" * 201])))

    def test_whatever_is_written_is_read_again(self):
        for value in ('a "quoted" \\ text', "two\nlines", "\x7f\x00\x1b", "\U0001f33f", "'''", 3, 2.5, True, ["a", 1]):
            self.assertEqual(tomllib.loads(f"v = {written(value)}")["v"], value)


if __name__ == "__main__":
    unittest.main()
