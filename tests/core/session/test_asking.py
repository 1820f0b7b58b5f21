"""Programs and scripts that look at outputs: what they say is kept, whatever else they do."""

import json
import os
import sqlite3
import unittest
from pathlib import Path

from tests.core.session.test_measuring import WRITER
from tests.support import QUICK, SLOW, ProjectTest, is_alive, task
from unvek.core.session.measuring.crew import cores

HEAD = "import json, os, subprocess, sys, time\nfrom pathlib import Path\n"
COUNT = 'name = "look"\nkind = "program"\ncommand = ["{python}", "look.py", "{output}"]\n'


class Asked(ProjectTest):
    """Four runs of two variants, of which a program says what a test has it say."""

    measure = COUNT
    program = ""

    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", WRITER)
        self.tables = (SLOW, QUICK, task() + 'expect = ["a flower", "a leaf"]\n')
        self.write_plan(*self.tables)
        self.have_runs()
        self.seen = self.folder / "seen.txt"

    def asked(self, program: str, measure: str = COUNT, name: str = "look.py", **also: str) -> dict:
        """Have a program looked at outputs with, and return what `measure` says of it."""
        self.write(name, HEAD + f"SEEN = Path({str(self.seen)!r})\n" + program)
        self.write_plan(*self.tables, f"[[measures]]\n{measure}")
        self.said = self.unvek("measure")
        return {row["name"]: row for row in self.result("measure")["rows"]}

    def why(self, program: str, measure: str = COUNT, name: str = "look.py") -> str:
        """Return why there is no value of any run, where that is for one and the same reason."""
        reasons = {one["why"] for row in self.asked(program, measure, name).values() for one in row["without"]}
        self.assertEqual(len(reasons), 1, reasons)
        return reasons.pop()

    def of(self, variant: str, name: str) -> object:
        rows = {row["variant"]: row for row in self.result("compare")["rows"]}
        return rows[variant]["measures"][name]["typical"]


class Programs(Asked):
    def test_an_object_of_numbers_is_a_measure_for_each(self):
        found = self.asked(
            'data = Path(sys.argv[1]).read_bytes()\nprint(json.dumps({"size": len(data), "is.large": len(data) > 9}))'
        )
        self.assertEqual(
            {name: row["value_count"] for name, row in found.items()}, {"look.is.large": 4, "look.size": 4}
        )
        self.assertEqual(self.of("quick", "look.size"), 13 + 36 * 12)
        self.assertEqual(self.of("quick", "look.is.large"), 1)
        run = self.result("show", "1")
        asked = {name: value for name, value in run["measures"].items() if name.startswith("look")}
        self.assertEqual(asked, {"look.is.large": 1.0, "look.size": 445.0})
        origins = {one["origin"] for one in run["measurements"] if one["name"] in asked}
        self.assertEqual(origins, {"program"})
        self.assertEqual(self.result("measure")["worked_out"], 0, "it was asked once, and is not asked again")

    def test_it_gets_what_its_command_names_and_next_to_no_environment(self):
        os.environ |= {"API_KEY": "hush", "HTTPS_PROXY": "http://nobody", "http_proxy": "http://nobody"}
        self.addCleanup(lambda: [os.environ.pop(name) for name in ("API_KEY", "HTTPS_PROXY", "http_proxy")])
        measure = (
            'name = "look"\nkind = "program"\ncommand = ["{python}", "look.py", "{output}", "{reference}", "{task}", '
            '"{prompt}", "{seed}", "{out}", "{{}}"]\n'
        )
        self.asked(
            "with SEEN.open('a') as file: file.write(json.dumps([sys.argv[1:], dict(os.environ), os.getcwd(), "
            "sorted(map(str, Path('.').rglob('*.ppm')))]) + '\\n')\n"
            "Path(sys.argv[1]).write_bytes(b'mine'); Path('litter').mkdir(); Path('litter/more').write_text('x')\n"
            "print(json.dumps({'same': Path(sys.argv[2]).read_bytes() == b'mine'}))",
            measure,
        )
        for line in self.seen.read_text().splitlines():
            words, surroundings, folder, files = json.loads(line)
            self.assertEqual(words[2:5] + words[6:], ["violet", "a violet flower", words[4], "{}"])
            self.assertIn(words[4], ("1", "2"))
            self.assertTrue(all(Path(word).is_relative_to(folder) for word in (words[0], words[1], words[5])))
            self.assertEqual(files, ["out/label.ppm", "output/label.ppm", "reference/label.ppm"])
            self.assertFalse({"API_KEY", "HTTPS_PROXY", "http_proxy", "USER"} & set(surroundings))
            self.assertEqual((surroundings["HOME"], surroundings["TMPDIR"]), (folder, folder))
            self.assertFalse(Path(folder).exists(), "the scratch folder has gone")
        self.assertNotIn("changed", {one["state"] for one in self.result("show", "1")["outputs"]})
        self.assertEqual(self.of("quick", "look.same"), 0)
        self.assertIsNotNone(
            self.result("compare")["rows"][1]["measures"]["look.same"], "held against the reference, it is a likeness"
        )

    def test_the_exit_code_may_be_the_verdict(self):
        found = self.asked(
            "seed = int(sys.argv[2])\nif seed == 2: print('line one', file=sys.stderr); sys.exit('no such thing')\n"
            "sys.exit(1 if b'\\x15' in Path(sys.argv[1]).read_bytes()[12:20] else 0)",
            'name = "look"\nkind = "program"\ncommand = ["{python}", "look.py", "{output}", "{seed}"]\npass = true\n',
        )
        self.assertEqual(found["look"]["value_count"], 4)
        self.assertEqual([self.result("show", run)["measures"]["look"] for run in "24"], [0.0, 0.0])
        found = self.asked(
            "if sys.argv[1] == '2': print('line one'); sys.exit(3)",
            'name = "look"\nkind = "program"\ncommand = ["{python}", "look.py", "{seed}"]\npass = true\n',
        )
        self.assertEqual({one["why"] for one in found["look"]["without"]},
                         {"its program ended with exit code 3: line one"})  # fmt: skip
        self.assertEqual(found["look"]["value_count"], 2)
        self.assertIn(
            "look has no value of slow (1 of 2 runs), quick (1 of 2 runs): its program ended",
            self.unvek("audit").stdout,
        )

    def test_what_is_no_answer_is_no_value_with_the_reason(self):
        for program, why in (
            ("print('five')", "its program printed no JSON object: five"),
            ("print('[1, 2]')", "its answer is no number, and no object of numbers"),
            ("print('{}')", "its answer is no number, and no object of numbers"),
            ("print('{\"a\": NaN}')", 'its program printed no JSON object: {"a": NaN}'),
            ("print('{\"a\": 1e999}')", "its program printed no JSON object"),
            ("print('{\"a\": ' + '9' * 5000 + '}')", "its program printed no JSON object"),
            ("print('{\"a\": 1e300}')", "it came to 1e+300, which is no such number"),
            ('print(\'{"a": "5"}\')', "its answer has no number under a"),
            ("print('{\"a/b\": 5}')", "its answer has a number under 'a/b', which can't be part of a name"),
            ("print(json.dumps({'k%d' % n: n for n in range(99)}))", "its answer has 99 numbers; at most 32 are kept"),
            ("print('[' * 9000)", "its program printed no JSON object"),
            ("print('x' * 300000)", "it printed more than 64.0 KiB"),
            ("raise ValueError('no \\x1b[31mpetals')", "its program ended with exit code 1: ValueError: no"),
            ("os.kill(os.getpid(), 11)", "its program ended with signal 11"),
        ):
            with self.subTest(program):
                said = self.why(program)
                self.assertTrue(said.startswith(why), said)
                self.assertNotIn("\x1b", said)

    def test_it_is_kept_within_its_bounds_with_all_that_it_starts(self):
        bounds = COUNT + 'memory_limit = "100 MiB"\ntime_limit = '
        child = 'subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"], start_new_session=True)'
        note = f"child = {child}\nwith SEEN.open('a') as file: file.write('%d\\n' % child.pid)\n"
        for program, why in (
            (note + "time.sleep(600)", "it took longer than 600 ms"),
            (
                note + "print('{\"a\": 1}', flush=True); os.close(1); os.close(2); time.sleep(600)",
                "it took longer than 600 ms",
            ),
            (note + "held = [bytearray(b'x') * 2**20 for _ in range(900)]; time.sleep(9)", "it took more than 100 MiB"),
            (note + "sys.exit(9)", "its program ended with exit code 9"),
            (note + "while True: os.write(2, b'y' * 65536)", "it printed more than 64.0 MiB"),
        ):
            with self.subTest(program[len(note) :]):
                self.assertTrue(
                    self.why(program, bounds + ('"600 ms"' if "600" in why else '"60 s"')).startswith(why),
                    self.said.stdout,
                )
        children = [int(pid) for pid in self.seen.read_text().split()]
        self.assertGreater(len(children), 4)
        self.assertFalse([pid for pid in children if is_alive(pid)])

    def test_outputs_that_are_the_same_are_looked_at_once(self):
        self.write_plan(*self.tables, rounds=3)
        self.unvek("run")
        self.asked("with SEEN.open('a') as file: file.write('x')\nprint('{\"a\": 1}')")
        self.assertEqual(self.seen.read_text(), "xxxx", "two seeds of two variants, in three rounds")
        self.unvek("run")
        self.write_plan(*self.tables, f"[[measures]]\n{COUNT}", rounds=4)
        self.unvek("run")
        self.assertEqual(self.result("measure")["rows"][0]["value_count"], 16)
        self.assertEqual(self.seen.read_text(), "xxxx", "what a new run has made was known already")

    def test_what_it_is_made_of_tells_its_values_apart(self):
        self.asked("print('{\"a\": 1}')")
        self.assertEqual(self.of("quick", "look.a"), 1)
        self.write("look.py", "print('{\"a\": 2}')")
        self.assertEqual(self.of("quick", "look.a"), 1, "what is known stays what it was")
        self.assertIn("measures are those of", self.unvek("measure").stderr)
        self.assertEqual(self.of("quick", "look.a"), 2)
        os.remove(self.folder / "look.py")
        with sqlite3.connect(self.folder / "logbook" / "runs.sqlite") as database:
            database.execute("delete from measurements")
        said = self.unvek("compare").stdout
        self.assertEqual(self.of("quick", "look.a"), None, said)
        self.assertIn("look.py is not the file any more that this measure is made of", " ".join(said.split()))
        self.assertNotIn("Outputs of", said)
        self.assertIn("can't open file 'look.py'", self.unvek("measure").stdout)

    def test_what_came_to_no_value_is_tried_again_when_asked(self):
        program = "if not SEEN.exists(): sys.exit(5)\nprint('{\"a\": 7}')"
        self.assertIn("exit code 5", self.why(program))
        self.seen.write_text("")
        self.assertEqual(self.result("measure")["worked_out"], 0)
        again = self.result("measure", "--again")
        self.assertEqual([(row["name"], row["value_count"], row["without"]) for row in again["rows"]],
                         [("look.a", 4, [])])  # fmt: skip
        self.assertEqual(self.of("quick", "look.a"), 7)

    def test_one_that_kills_what_measures_is_found_out_and_the_others_go_on(self):
        if cores() == 1:
            self.skipTest("one core: nothing is measured in processes of their own")
        killer = (
            "parent = lambda pid: int(Path('/proc/%d/stat' % pid).read_text().rsplit(')', 1)[1].split()[1])\n"
            "above = parent(parent(os.getpid()))\n"
            "if sys.argv[2] == '4' and b'multiprocessing' in Path('/proc/%d/cmdline' % above).read_bytes():\n"
            "    os.kill(above, 9); time.sleep(30)\n"
            "time.sleep(0.4)\nprint('{\"a\": %s}' % sys.argv[2])"
        )
        self.tables = (SLOW, QUICK, task(seeds=range(6)))
        self.write_plan(*self.tables)
        self.unvek("run")
        found = self.asked(killer, COUNT.replace('"{output}"', '"{output}", "{seed}"'))
        reasons = {one["why"] for one in found["look.a"]["without"]}
        self.assertEqual(reasons, {"the process that measured it was killed, or ran out of memory"})
        self.assertEqual(found["look.a"]["value_count"], 10)


class Scripts(Asked):
    measure = 'name = "look"\nkind = "script"\nscript = "taste.py"\n'

    def taste(self, program: str, also: str = "") -> dict:
        return self.asked(program, self.measure + also, "taste.py")

    def test_a_function_is_loaded_once_a_core_and_gives_a_number_or_several(self):
        all_cores = os.sched_getaffinity(0)
        os.sched_setaffinity(0, {min(all_cores)})
        self.addCleanup(os.sched_setaffinity, 0, all_cores)
        self.taste(
            "with SEEN.open('a') as file: file.write('x')\nprint('what it prints is no answer')\n"
            "def measure(output, prompt, seed, expect):\n"
            "    print('nor this')\n    return len(prompt) + seed + 100 * len(expect)"
        )
        self.assertEqual(self.seen.read_text(), "x")
        self.assertEqual(self.of("quick", "look"), 216.5)
        self.taste("def measure(**about):\n    return {'keys': len(about), 'first': about['seed'] == 1}")
        self.assertEqual((self.of("slow", "look.keys"), self.of("slow", "look.first")), (6, 0.5))

    def test_held_against_the_reference_it_is_a_likeness(self):
        self.taste(
            "def far(output, reference):\n    a, b = (Path(path).read_bytes() for path in (output, reference))\n"
            "    return sum(x != y for x, y in zip(a, b))",
            'function = "far"\nagainst = "reference"\nbetter = "less"\n',
        )
        row = self.result("compare")["rows"][1]["measures"]["look"]
        self.assertGreater(row["typical"], 0)
        self.assertEqual(self.result("measure")["rows"][0]["without"][0]["why"],
                         "the reference made nothing to hold it against")  # fmt: skip

    def test_one_that_fails_hangs_or_ends_is_asked_again_of_the_next(self):
        self.taste("def measure(output, seed):\n    if seed == 1: return {'raise': 1 / 0}\n    return 5.0")
        self.assertEqual(self.of("quick", "look"), 5)
        run = self.result("show", "1")
        why = [one["why"] for one in run["measurements"] if one["name"] == "look"]
        self.assertEqual(why[0], "its script failed: ZeroDivisionError: division by zero")
        for fault, why in (
            ("time.sleep(60)", "it took longer than 4.0 s"),
            ("os._exit(4)", "its script ended before it had answered"),
            ("sys.exit(4)", "its script failed: SystemExit: 4"),
            ("return object()", "its script failed: TypeError"),
            ("return float('nan')", "its script failed: ValueError: Out of range"),
        ):
            with self.subTest(fault):
                found = self.taste(
                    f"def measure(output, seed):\n    if seed == 1: {fault}\n    return 5.0",
                    'time_limit = "4 s"\n' if "sleep" in fault else "",
                )
                self.assertEqual(found["look"]["value_count"], 2, found)
                self.assertTrue(all(one["why"].startswith(why) for one in found["look"]["without"]), found)

    def test_one_that_can_not_be_loaded_says_why(self):
        self.assertEqual(self.why("import nowhere_at_all", self.measure, "taste.py"),
                         "its script failed: ModuleNotFoundError: No module named 'nowhere_at_all'")  # fmt: skip
        self.assertIn("taste.py has no function measure", self.why("x = 1", self.measure, "taste.py"))


class Points(Asked):
    measure = 'name = "expect"\nkind = "script"\nscript = "taste.py"\npoints = true\n'

    def test_it_says_of_each_thing_expected_whether_it_is_there(self):
        self.asked(
            "def measure(output, seed):\n"
            "    return {'a flower': 'there', 'a leaf': 'missing' if seed == 1 else 'partly'}",
            self.measure, "taste.py",
        )  # fmt: skip
        self.assertEqual(self.of("quick", "expect"), (0.5 + 0.75) / 2)
        self.assertEqual(list(self.result("compare")["rows"][0]["measures"]).count("expect.1"), 0)
        self.assertEqual(self.why("def measure(): return {'a flower': 'there'}", self.measure, "taste.py"),
                         "its answer says nothing of 'a leaf': wanted there, partly or missing")  # fmt: skip

    def test_what_a_task_expects_is_part_of_it(self):
        script = "def measure(expect): return {thing: 'there' for thing in expect}"
        self.asked(script, self.measure, "taste.py")
        self.tables = (SLOW, QUICK, task() + 'expect = ["a stem"]\n')
        self.asked(script, self.measure, "taste.py")
        self.assertEqual(self.result("measure")["known"], 4)
        self.tables = (SLOW, QUICK, task())
        self.assertIn("its task expects nothing", self.why(script, self.measure, "taste.py"))


class PlansAskingForPrograms(ProjectTest):
    def test_what_is_wrong_with_one_is_said_before_anything_runs(self):
        for measure, wanted in (
            ('kind = "program"\n', "command, which a measure of kind 'program' needs"),
            ('kind = "program"\ncommand = "python3 look.py"\n', "a command as a list of texts, and no shell"),
            ('kind = "program"\ncommand = ["python3", "{outptu}"]\n', "did you mean output"),
            ('kind = "program"\ncommand = ["x", "{variant}"]\n', "one of {output}, {out}"),
            ('kind = "program"\ncommand = ["x"]\npass = true\npoints = true\n', "one of the two"),
            ('kind = "program"\ncommand = ["x"]\nfiles = "y"\n', "the command alone"),
            ('kind = "program"\ncommand = ["x"]\ntime_limit = "10"\n', "time_limit"),
            ('kind = "script"\nscript = "nowhere.py"\n', "the name of a file that exists"),
            (
                'kind = "program"\ncommand = ["{python}"]\n[[measures]]\nname = "look.a"\nkind = "ssim"\n',
                "a name that no number of a program has",
            ),
            ('kind = "program"\ncommand = ["no-such-program-here"]\n', "no such program"),
            ('kind = "frame-count"\nrate = 12\n', "rate and seconds together, or neither"),
            ('kind = "script"\n', "script, which a measure of kind 'script' needs"),
        ):
            with self.subTest(measure):
                self.write_plan(SLOW, QUICK, task(), f'[[measures]]\nname = "look"\n{measure}')
                self.assertIn(wanted, self.unvek("check", expect=2).stdout)


if __name__ == "__main__":
    unittest.main()
