"""The docs' pages in the terminal, and what shells complete."""

import re
import shutil
import subprocess
import tomllib
import unittest
from pathlib import Path

from tests.support import ProjectTest, environment, program

ROOT = Path(__file__).parents[2]


class Pages(ProjectTest):
    def test_every_page_is_listed_and_shown_with_nothing_of_its_marks_left(self):
        listed = self.unvek("help").stdout
        for path in (ROOT / "docs").glob("*.md"):
            with self.subTest(path.name):
                self.assertRegex(listed, rf"(?m)^{re.escape(path.stem)} +\S")
                shown = self.unvek("help", path.stem).stdout
                self.assertGreater(len(shown), 1000)
                self.assertNotRegex(shown, r"\]\(|^#|\*\*\w[^*]*\*\*")
                self.assertLessEqual(max(map(len, shown.splitlines())), 100)

    def test_what_leads_to_another_page_says_how_to_open_it_here(self):
        self.assertIn("unvek help by-hand", " ".join(self.unvek("help", "clock").stdout.split()))

    def test_a_command_is_a_topic_and_what_is_none_is_told_with_what_is_near(self):
        self.assertIn("unvek weigh FILE...", self.unvek("help", "weigh").stdout)
        self.assertNotIn("unvek rig", self.unvek("help", "weigh").stdout)
        said = self.unvek("help", "statistic", expect=2).stderr
        self.assertIn("statistics", said)
        self.assertIn("statistic", self.unvek("help", "../../etc/passwd", expect=2).stderr)

    def test_every_page_ships(self):
        config = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))
        shipped = config["tool"]["hatch"]["build"]["targets"]["wheel"]["force-include"]
        pages = {f"docs/{path.name}" for path in (ROOT / "docs").glob("*.md")}
        self.assertEqual(shipped, {page: f"unvek/{page}" for page in pages})


class Completion(ProjectTest):
    def completed(self, *words: str) -> list[str]:
        """Return what the last of these words may become, as the shell asks for it."""
        asked = {"_UNVEK_COMPLETE": "bash_complete", "COMP_WORDS": " ".join(words), "COMP_CWORD": str(len(words) - 1)}
        done = subprocess.run(
            program(), cwd=self.folder, env=environment(**asked), capture_output=True, text=True, check=True
        )
        return [line.partition(",")[2] for line in done.stdout.splitlines()]

    def test_commands_options_their_values_and_topics_are_completed(self):
        self.assertEqual(self.completed("unvek", "tra"), ["tradeoff"])
        self.assertIn("--varied", self.completed("unvek", "compare", "--v"))
        self.assertEqual(self.completed("unvek", "compare", "--as", "m"), ["markdown"])
        self.assertEqual(self.completed("unvek", "help", "stat"), ["statistics"])
        self.assertIn("tally", self.completed("unvek", "judge", "t"))

    def test_the_script_is_one_that_the_shell_takes(self):
        for shell in ("bash", "zsh", "fish"):
            with self.subTest(shell):
                script = self.unvek("completion", shell).stdout
                self.assertIn("_UNVEK_COMPLETE", script)
                if shutil.which(shell):
                    subprocess.run([shell, "-n"], input=script, text=True, check=True)
        self.unvek("completion", "cmd", expect=2)

    def test_bash_completes_with_it(self):
        (self.folder / "unvek").write_text(f'#!/bin/sh\nexec {" ".join(program())} "$@"\n')
        (self.folder / "unvek").chmod(0o755)
        ask = ('eval "$(unvek completion bash)"; COMP_WORDS=(unvek tra); COMP_CWORD=1; '
               '_unvek_completion unvek; echo "${COMPREPLY[@]}"')  # fmt: skip
        ours = environment()
        done = subprocess.run(["bash", "-c", ask], cwd=self.folder, capture_output=True, text=True,
                              env={**ours, "PATH": f"{self.folder}:{ours['PATH']}"})  # fmt: skip
        self.assertEqual(done.stdout.split(), ["tradeoff"], done.stderr)


if __name__ == "__main__":
    unittest.main()
