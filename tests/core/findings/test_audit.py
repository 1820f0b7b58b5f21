"""Every way in which a comparison can be unfair is found, named, explained, and told by exit code."""

import sys
import unittest

import numpy as np

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from tests.written import RIG, WrittenLogbook, planned_task
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.findings.audit.audit import audit
from unvek.core.findings.audit.files import file_findings
from unvek.core.findings.comparison.comparison import compare
from unvek.core.plan.cells import order_of_round
from unvek.core.run.events.record import LaunchAbout

MADE_OF = {"runner": "python", "script": {"painter.py": "aa"}, "files": {}, "total_includes_load": False}


class TwoVariants(WrittenLogbook):
    """Two variants in three rounds, alike in all but what a test changes."""

    def make(self, of: dict | None = None, times: dict | None = None, **also) -> None:
        """`also` holds, by variant, what its runs differ in; "about" is its launches', "rounds" how many it has."""
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None, of=of)
        for round_number in (1, 2, 3):
            for name in ("full", "swift"):
                own = dict(also.get(name, {}))
                about = own.pop("about", {})
                if round_number > own.pop("rounds", 3):
                    continue
                launch = self.logbook.open_launch(name, round_number)
                about = about(round_number) if callable(about) else about
                self.logbook.describe_launch(launch, 0.1, None, LaunchAbout(**about))
                for place in (1, 2):
                    self.run_made(
                        f"{name}/violet/1", time_s=(times or {}).get(name, 1.0), round_number=round_number, launch=launch,
                        place=place, **{"provenance": MADE_OF, **own},
                    )  # fmt: skip

    def found(self, **chosen) -> dict[str, tuple[str, tuple[str, ...]]]:
        findings = audit(gather(self.logbook, Selection(across_rigs=True, **chosen))).findings
        for finding in findings:
            self.assertTrue(
                finding.text.endswith(".") and finding.why.endswith(".") and finding.mend.endswith("."), finding
            )
        return {finding.code: (finding.severity, finding.variants) for finding in findings}


class Confounders(TwoVariants):
    def test_runs_that_are_alike_in_all_are_fair(self):
        self.make()
        self.assertEqual(self.found(), {})

    def test_settings_besides_the_one_compared(self):
        self.make({"full": {"settings": {"steps": 20, "guidance": 2.0, "width": 48}, "weights": ["a"]},
                   "swift": {"settings": {"steps": 4, "guidance": 1.0, "width": 32}, "weights": ["b"]}})  # fmt: skip
        self.assertEqual(
            self.found(),
            {"sizes-differ": ("unfair", ("swift",)), "settings-differ": ("doubt", ("swift",)), "steps-differ": ("note", ("swift",))},
        )  # fmt: skip

    def test_one_setting_of_one_model_is_what_is_compared(self):
        self.make({"full": {"settings": {"steps": 20}}, "swift": {"settings": {"steps": 4}}})
        self.assertEqual(self.found(), {})

    def test_another_precision_beside_another_form_is_a_second_thing_that_was_changed(self):
        for form, precision, found in (
            ("distilled", "bf16", {"precisions-differ": ("doubt", ("swift",))}),
            ("full", "bf16", {}),
            ("distilled", "fp32", {}),
            ("quantized", "int8", {}),
            ("distilled", None, {}),
        ):
            with self.subTest(form=form, precision=precision):
                self.make({"full": {"precision": "fp32"}, "swift": {"form": form, "precision": precision}})
                self.assertEqual(self.found(), found)

    def test_companion_parts_load_runner_and_script(self):
        parts = {name: {"parts": {"decoder": f"{name}.bin"}} for name in ("full", "swift")}
        self.make(parts, full={"provenance": {**MADE_OF, "files": {"full.bin": "1"}}},
                  swift={"provenance": {**MADE_OF, "runner": "command", "total_includes_load": True, "files": {"swift.bin": "2"}}})  # fmt: skip
        self.assertEqual(
            self.found(),
            {"parts-differ": ("unfair", ("swift",)), "load-counted": ("unfair", ("swift",)), "runners-differ": ("doubt", ("swift",))},
        )  # fmt: skip

    def test_a_launch_that_could_not_load_hides_nothing(self):
        self.make(swift={"provenance": {**MADE_OF, "runner": "command", "environment": {"A": "1"}}},
                  full={"provenance": {**MADE_OF, "environment": {}}})  # fmt: skip
        launch = self.logbook.open_launch("swift", 4)
        self.run_made("swift/violet/1", round_number=4, place=0, status="failed", launch=launch)
        self.assertLessEqual({"runners-differ", "environments-differ", "survivors"}, self.found().keys())

    def test_parts_of_one_content_under_two_names_are_the_same(self):
        parts = {name: {"parts": {"decoder": f"{name}.bin"}} for name in ("full", "swift")}
        files = {"files": {"full.bin": "1", "swift.bin": "1"}}
        self.make(
            parts, full={"provenance": MADE_OF | files}, swift={"provenance": MADE_OF | files | {"script": {"p": "b"}}}
        )
        self.assertEqual(self.found(), {"scripts-differ": ("doubt", ("swift",))})

    def test_packages_interpreters_threads_and_modules(self):
        about = {
            "packages": {"numpy": "2.1"},
            "python": "3.11",
            "threads": {"OMP_NUM_THREADS": "1"},
            "modules": {"net.py": "x"},
        }
        other = {
            "packages": {"numpy": "2.2"},
            "python": "3.12",
            "threads": {"OMP_NUM_THREADS": "2"},
            "modules": {"net.py": "y"},
        }
        self.make(full={"about": about}, swift={"about": lambda n: about if n == 1 else other})
        both = ("full", "swift")
        self.assertEqual(
            self.found(),
            dict.fromkeys(("script-changed", "packages-differ", "interpreters-differ", "threads-differ"), ("unfair", both)),
        )  # fmt: skip

    def test_packages_that_only_one_has_and_many_versions_are_one_finding_each(self):
        ours = {"packages": {"heavy": "1", "other": "1", "numpy": "2", **{f"p{n}": "1" for n in range(9)}}}
        theirs = {"packages": {"numpy": "2", "only": "3", **{f"p{n}": "2" for n in range(9)}}}
        self.make(full={"about": theirs}, swift={"about": ours})
        texts = {one.code: one.text for one in audit(gather(self.logbook)).findings}
        self.assertEqual(set(texts), {"runtimes-differ", "packages-differ"})
        self.assertEqual(texts["runtimes-differ"], "swift runs on heavy, other and without only, unlike full.")
        self.assertIn("p0 (2 for full, 1 for swift), p1 (", texts["packages-differ"])
        self.assertIn("and 5 more", texts["packages-differ"])

    def test_what_runners_put_into_the_environment(self):
        ours, theirs = (
            MADE_OF | {"environment": {"FAST_PATHS": value, "OMP_NUM_THREADS": value}} for value in ("1", "0")
        )
        about = {"threads": {"OMP_NUM_THREADS": "2"}}  # as the processes had it, whatever the runners asked for
        self.make(full={"provenance": theirs, "about": about}, swift={"provenance": ours, "about": about})
        self.assertEqual(self.found(), {"environments-differ": ("doubt", ("swift",))})
        text = audit(gather(self.logbook)).findings[0].text
        self.assertEqual(text, "swift is run with FAST_PATHS 1 in its environment, full with 0.")

    def test_weights_replaced_under_a_name(self):
        self.make(swift={"provenance": MADE_OF | {"files": {"w.npz": "old"}}})
        launch = self.logbook.open_launch("swift", 3)
        self.run_made(
            "swift/violet/1", round_number=3, place=2, launch=launch, provenance=MADE_OF | {"files": {"w.npz": "new"}}
        )
        self.assertEqual(self.found()["weights-changed"], ("doubt", ("swift",)))

    def test_other_rigs_and_stand_ins(self):
        self.make(swift={"source": "simulated"})
        self.logbook.record_rig("rig-2", RIG | {"kernel": "another"})
        launch = self.logbook.open_launch("full", 4)
        self.run_made("full/violet/1", round_number=4, place=2, launch=launch, provenance=MADE_OF)
        found = self.found()
        self.assertEqual(found["rigs-differ"][0], "unfair")
        self.assertEqual(found["simulated"], ("unfair", ("swift",)))
        text = next(
            f.text for f in audit(gather(self.logbook, Selection(across_rigs=True))).findings if f.code == "rigs-differ"
        )
        self.assertIn("differ in kernel", text)

    def test_imported_and_hand_timed_beside_measured(self):
        for source in ("imported", "by-hand"):
            with self.subTest(source):
                self.make(swift={"source": source})
                self.assertEqual(self.found()[source], ("doubt", ("swift",)))

    def test_unequal_items_and_one_launch(self):
        self.make(swift={"rounds": 1})
        self.plan("full", "swift", cells=["full/violet/1", "full/violet/2", "swift/violet/1"], quality=None)
        self.run_made("full/violet/2", place=2, provenance=MADE_OF)
        found = self.found()
        self.assertEqual(found["items-differ"], ("unfair", ("swift",)))
        self.assertEqual(found["one-launch"], ("doubt", ("swift",)), "it is not known, and nobody is favoured")
        self.assertNotIn("items-differ", self.found(tasks="violet", only="full"))

    def test_fewer_repeats_are_a_note_and_survivors_a_doubt(self):
        self.make(swift={"rounds": 2})
        self.run_made("swift/violet/1", round_number=3, place=2, status="looping", provenance=MADE_OF)
        found = self.found()
        self.assertEqual(found["repeats-differ"], ("note", ("swift",)))
        self.assertEqual(found["survivors"], ("doubt", ("swift",)))

    def test_variants_with_as_many_fewer_runs_are_told_of_once(self):
        self.make(swift={"rounds": 2})
        self.plan("full", "swift", "half", cells=["full/violet/1", "swift/violet/1", "half/violet/1"], quality=None)
        for round_number in (1, 2):
            self.run_made("half/violet/1", round_number=round_number, place=3, provenance=MADE_OF)
        findings = audit(gather(self.logbook, Selection(across_rigs=True))).findings
        told = [finding.text for finding in findings if finding.code == "repeats-differ"]
        self.assertEqual(told, ["swift, half have 2 finished runs, full 3."])

    def test_disturbed_runs_outliers_and_voided_ones(self):
        self.make(full={"machine": {"others_share": 0.9, "stolen_share": 0.0}})
        number = self.run_made("swift/violet/1", time_s=9.0, round_number=4, place=2, provenance=MADE_OF)
        found = self.found()
        self.assertEqual(found["disturbed"], ("doubt", ("full",)))
        self.assertEqual(found["outliers"], ("note", ("swift",)))
        self.logbook.void_run(number, "a delivery")
        self.assertEqual(self.found()["voided"], ("note", ("swift",)))

    def test_launches_in_two_modes_are_a_doubt_with_both_levels(self):
        rng = np.random.default_rng(1)
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for number in range(1, 13):
            for name in ("full", "swift"):
                launch = self.logbook.open_launch(name, number)
                level = 0.054 if name == "swift" and number % 4 == 1 else 0.05
                for place in (2, 3):
                    self.run_made(f"{name}/violet/1", level * np.exp(rng.normal(0, 0.003)), number, place=place, repeat=place,
                                  launch=launch, provenance=MADE_OF)  # fmt: skip
        self.assertEqual(self.found(), {"two-modes": ("doubt", ("swift",))})
        text = next(finding.text for finding in audit(gather(self.logbook)).findings)
        self.assertEqual(text, "Launches of swift fall into two groups: 9 in which a run takes 50.0 ms, 3 in which it takes 54.0 ms, "
                               "8 % more.")  # fmt: skip

    def test_one_run_in_five_twice_as_long_is_a_doubt(self):
        rng = np.random.default_rng(2)
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for number in range(1, 6):
            for name in ("full", "swift"):
                launch = self.logbook.open_launch(name, number)
                for place in range(2, 7):
                    factor = 2.0 if name == "swift" and place == 2 + number % 5 else 1.0
                    self.run_made(f"{name}/violet/1", factor * np.exp(rng.normal(0, 0.003)), number, place=place, repeat=place,
                                  launch=launch, provenance=MADE_OF)  # fmt: skip
        self.assertEqual(self.found(), {"long-tail": ("doubt", ("swift",))})

    def test_what_a_launch_leaves_behind_for_the_next_is_told(self):
        rng, names, last = np.random.default_rng(3), ("full", "half", "swift", "lean"), ""
        self.plan(*names, cells=[f"{name}/violet/1" for name in names], quality=None)
        for number in range(1, 9):
            for name in order_of_round(names, "balanced", 0, number):
                launch = self.logbook.open_launch(name, number)
                level = np.exp(rng.normal(0, 0.003)) * (1.03 if last == "half" else 1.0)
                for place in (2, 3):
                    self.run_made(
                        f"{name}/violet/1", level, number, place=place, repeat=place, launch=launch, provenance=MADE_OF
                    )
                last = name
        self.assertEqual(self.found()["carry-over"], ("doubt", ("full", "swift", "lean")))
        text = next(one.text for one in audit(gather(self.logbook)).findings if one.code == "carry-over")
        self.assertRegex(
            text, r"^The launch after one of half takes [23]\.\d % longer than after the others \(95 % interval "
        )

    def test_outputs_that_are_all_the_same_or_blank_or_no_numbers_are_told(self):
        tasks = tuple(planned_task(name, wanted=()) for name in ("violet", "amber"))
        self.plan("full", "swift", cells=[f"{name}/{task}/1" for name in ("full", "swift") for task in ("violet", "amber")],
                  kinds={"likeness": "ssim", "worry": "perplexity"}, tasks=tasks)  # fmt: skip
        for name in ("full", "swift"):
            for number in (1, 2):
                launch = self.logbook.open_launch(name, number)
                for place, task_ in enumerate(("violet", "amber"), 2):
                    expected = np.full((place, 3), np.nan if name == "swift" else np.log(1 / 3))
                    self.run_made(f"{name}/{task_}/1", 1.0, number, place=place, launch=launch, shade=-1,
                                  scores=(expected, np.zeros(place, int)), provenance=MADE_OF)  # fmt: skip
        evidence = self.evidence()
        found = {finding.code: finding for finding in audit(evidence).findings}
        self.assertEqual(found["outputs-same"].text, "full, swift put out the same picture whatever is asked.")
        self.assertEqual(
            found["no-value"].text, "worry has no value of swift (4 of 4 runs): its scores are no numbers (NaN)."
        )
        with_files = audit(evidence, file_findings(self.logbook, evidence)).findings
        self.assertIn("full, swift put out blank pictures only.", [finding.text for finding in with_files])

    def test_a_trend_over_the_session(self):
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for round_number in range(1, 9):
            for name in ("full", "swift"):
                self.run_made(f"{name}/violet/1", 1 + 0.02 * round_number, round_number, place=2, provenance=MADE_OF)
        self.assertEqual(self.found()["session-trend"], ("doubt", ("full", "swift")))

    def test_tokens_differ_in_number(self):
        from unvek.core.run.events.record import Progress

        self.make(
            full={"progress": Progress(time_s=1.0, tokens=100)}, swift={"progress": Progress(time_s=1.0, tokens=150)}
        )
        self.assertEqual(self.found()["lengths-differ"], ("unfair", ("swift",)))
        row = compare(gather(self.logbook), RIG).rows[1]
        self.assertAlmostEqual(row.measures["time.per.token"].ratio.value, 100 / 150)

    def test_the_comparison_marks_what_is_in_doubt(self):
        self.make(swift={"rounds": 1})
        found = compare(gather(self.logbook), RIG)
        self.assertEqual([(doubt.number, doubt.code) for doubt in found.doubts], [(1, "one-launch")])
        self.assertEqual([row.doubts for row in found.rows], [(), (1,)])
        self.assertIn("may be luck", found.rows[1].sentence)


class Sentences(TwoVariants):
    def sentence(self, ratio: float, spread: float) -> str:
        rng = np.random.default_rng(1)
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for n in range(1, 5):
            for name, level in (("full", 1.0), ("swift", ratio)):
                self.run_made(f"{name}/violet/1", level * np.exp(rng.normal(0, spread)), n, place=2, provenance=MADE_OF)
        return compare(gather(self.logbook), RIG).rows[1].sentence

    def test_each_answer_can_be_read_aloud(self):
        self.assertRegex(
            self.sentence(0.5, 0.01),
            r"^swift is 2\.0.x as fast as full \(5\d % less time\), 95 % interval 1.9. to 2.0. times\.$",
        )
        self.assertEqual(self.sentence(1.0, 0.0001), "swift takes as long as full, within 2 %.")
        self.assertRegex(
            self.sentence(1.0, 0.3),
            r"^swift may be faster or slower than full \(95 % interval .* times\); (8 in 10 that|[0-9]+ more rounds or very many|very many) .* tell\.$",
        )


class Audited(ProjectTest):
    def test_strict_ends_with_1_where_something_is_unfair(self):
        self.write_plan(SLOW, QUICK, task(), rounds=1, warmups=1)
        self.unvek("run", "plan.toml")
        self.unvek("audit", "--strict")
        lacking = next(
            row for row in self.log() if (row["variant"], row["seed"], row["warm_up"]) == ("quick", 2, False)
        )
        self.unvek("void", str(lacking["run"]), "--why", "a delivery")
        done = self.unvek("audit", "--strict", expect=1)
        self.assertIn("Unfair in 1 point", done.stdout)
        self.assertIn("Set rounds to 3 or more.", " ".join(done.stdout.split()))
        found = self.result("audit")["findings"]
        self.assertEqual([one["code"] for one in found if one["severity"] == "unfair"], ["items-differ"])
        self.assertEqual({*found[0]}, {"code", "severity", "variants", "text", "why", "mend"})
        self.unvek("audit")
        self.assertIn("¹", self.unvek("compare").stdout)

    def test_a_program_beside_a_script_and_pictures_of_two_sizes(self):
        paint = "import sys; open(sys.argv[1] + '/label.ppm', 'wb').write(b'P6 8 8 255 ' + bytes(192)); print('1/1')"
        self.write("paint.py", paint)
        runner = f'[runners.other]\nkind = "command"\ncommand = ["{sys.executable}", "paint.py", "{{out}}"]\n'
        variants = SLOW + 'runner = "painter"\n', variant("quick") + 'runner = "other"\n'
        self.write_plan(runner, *variants, task(), rounds=2, warmups=1)
        self.unvek("run", "plan.toml")
        codes = {one["code"]: one["severity"] for one in self.result("audit")["findings"]}
        self.assertEqual(codes["load-counted"], "unfair")
        self.assertEqual(codes["runners-differ"], "doubt")
        self.assertEqual(codes["picture-sizes-differ"], "unfair")


if __name__ == "__main__":
    unittest.main()
