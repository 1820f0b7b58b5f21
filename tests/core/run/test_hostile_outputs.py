"""Whatever a run puts into its folder, or in the folder's place: nothing outside is read or changed, and the plan goes on."""

import os
import stat
import unittest
from pathlib import Path

from tests.support import ProjectTest, task, variant
from unvek.core.held_folder import DEEPEST, HeldFolder, remove

HOSTILE = """
import os, shutil, socket, sys
def load(variant): return None
def run(model, job, probe):
    do, out = job.settings["do"], job.out
    probe.output(b"1", "good.bin")
    print("what a launch prints", flush=True)
    if do == "link-for-folder":
        shutil.rmtree(out); os.symlink(job.settings["victim"], out)
    if do == "folder-for-folder":
        shutil.rmtree(out); os.mkdir(out); (out / "other.bin").write_bytes(b"2")
    if do == "file-for-folder":
        shutil.rmtree(out); out.write_bytes(b"no folder")
    if do == "gone":
        shutil.rmtree(out)
    if do == "links":
        os.symlink(job.settings["victim"] + "/precious.txt", out / "link.txt")
        os.symlink(job.settings["victim"], out / "folder")
    if do == "hard-link":
        os.link(job.settings["victim"] + "/precious.txt", out / "precious.txt")
    if do == "pipes":
        os.mkfifo(out / "pipe.png"); socket.socket(socket.AF_UNIX).bind(str(out / "socket.png"))
    if do == "devices":
        try: os.mknod(out / "zero.png", 0o600 | 0o020000, os.makedev(1, 5))
        except PermissionError: probe.fault("refused", "zero.png: a device")  # not ours to make here
    if do == "deep":
        at = os.open(out, os.O_RDONLY)
        for _ in range(4000):
            os.mkdir("d", dir_fd=at); inner = os.open("d", os.O_RDONLY, dir_fd=at); os.close(at); at = inner
        os.close(os.open("leaf", os.O_CREAT | os.O_WRONLY, dir_fd=at)); os.close(at)
    if do == "no-utf-8":
        open(os.path.join(os.fsencode(str(out)), b"\\xff\\x1b[2J.bin"), "wb").close()
    if do == "squats":
        logbook = out.parent.parent
        for launch in range(2, 5):  # a second name of a file elsewhere, where a log is to be
            try: os.link(job.settings["victim"] + "/precious.txt", logbook / "logs" / ("L%05d.log" % launch))
            except FileExistsError: pass
        for name in ("outputs/.making-L%05d-0001", "outputs/L%05d-0001", "logs/L%05d.log"):
            for launch in range(1, 40):
                try: os.makedirs(logbook / (name % launch) / "taken")
                except OSError: pass
        link = logbook / "logs" / "L00041.log"
        if not os.path.lexists(link): os.symlink(job.settings["victim"] + "/new.log", link)
        for name in ("zzz.jsonl", "0.jsonl"):
            if not (logbook / "journal" / name).exists(): (logbook / "journal" / name).mkdir()
        if not (logbook / "journal" / "zzzz.jsonl").exists(): os.mkfifo(logbook / "journal" / "zzzz.jsonl")
        (out / ".copy-").mkdir()
    if do == "many":
        for n in range(1100): (out / ("%04d.bin" % n)).write_bytes(b"")
"""
PROGRAM = """
import os, shutil, sys
out, victim = sys.argv[1:]
shutil.rmtree(out)
os.symlink(victim, out)
"""
KEPT = {
    "link-for-folder": [], "folder-for-folder": ["other.bin"], "file-for-folder": [], "gone": [],
    "links": ["good.bin"], "hard-link": ["good.bin", "precious.txt"], "pipes": ["good.bin"], "devices": ["good.bin"],
    "deep": ["good.bin"], "no-utf-8": ["good.bin"],
}  # fmt: skip
SAID = {
    "link-for-folder": "was replaced by something else", "file-for-folder": "was replaced by something else",
    "links": "link.txt: a link", "pipes": "pipe.png: a pipe", "devices": "zero.png: a device",
    "deep": f"more than {DEEPEST} levels down", "no-utf-8": "a name that is no UTF-8",
}  # fmt: skip


class HostileOutputs(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.victim = self.folder / "victim"
        self.victim.mkdir()
        self.precious = self.victim / "precious.txt"
        self.precious.write_text("not yours")
        self.precious.chmod(0o644)
        self.before = self.precious.stat()

    def tearDown(self) -> None:
        after = self.precious.stat()
        self.assertEqual(os.listdir(self.victim), ["precious.txt"])
        self.assertEqual((self.precious.read_text(), after.st_mode), ("not yours", self.before.st_mode))
        super().tearDown()

    def test_what_is_no_output_is_refused_with_a_word_and_the_plan_goes_on(self):
        self.write("model.py", HOSTILE)
        names = [*KEPT, "many"]
        variants = [variant(name, do=name, victim=str(self.victim)) for name in names]
        plan = self.write_plan(*variants, task(seeds=(1,)), limits='output = "1 GiB"')
        plan.write_text(plan.read_text().replace('reference = "slow"', f'reference = "{names[0]}"'))
        self.unvek("run", expect=1)
        runs = {row["variant"]: self.result("show", str(row["run"])) for row in self.log()}
        self.assertEqual(set(runs), set(names))
        for name, kept in KEPT.items():
            with self.subTest(name):
                run = runs[name]
                self.assertEqual([Path(output["path"]).name for output in run["outputs"]], kept)
                self.assertEqual(run["status"], "finished" if kept else "failed", run["error"])
                said = " ".join([run["error"] or "", *(note for _, note in run["faults"])])
                self.assertIn(SAID.get(name, ""), said)
                self.assertNotIn("\x1b", said)
        self.assertEqual(len(runs["many"]["outputs"]), 1000)
        self.assertIn("and 81 more", " ".join(note for _, note in runs["many"]["faults"]))
        outputs = self.folder / "logbook" / "outputs"
        left = [path for path in outputs.rglob("*") if not path.is_dir() and not stat.S_ISREG(path.lstat().st_mode)]
        self.assertEqual((left, list(outputs.glob(".making-*"))), ([], []))
        copied = self.folder / "logbook" / runs["hard-link"]["outputs"][1]["path"]
        self.assertNotEqual(copied.stat().st_ino, self.before.st_ino)

    def test_names_that_a_run_has_taken_beforehand_stop_no_other(self):
        self.write("model.py", HOSTILE)
        names = ("squats", "links", "hard-link")
        plan = self.write_plan(*(variant(name, do=name, victim=str(self.victim)) for name in names), task(seeds=(1, 2)))
        plan.write_text(plan.read_text().replace('reference = "slow"', 'reference = "squats"'))
        self.unvek("run")
        rows = self.log()
        self.assertEqual([row["status"] for row in rows], ["finished"] * 6)
        for row in rows:
            for output in self.result("show", str(row["run"]))["outputs"]:
                self.assertEqual(output["state"], "as made", output)
        for command in ("run", "watch", "log", "compare"):
            self.unvek(command)
        self.unvek("run", "--afresh")

    def test_a_program_whose_folder_became_a_link_has_nothing_removed_there(self):
        self.write("program.py", PROGRAM)
        runner = (
            '[runners.swaps]\nkind = "command"\noutputs = ["*.png"]\n'
            f'command = ["{{python}}", "program.py", "{{out}}", "{self.victim}"]\n'
        )
        self.write_plan(variant("slow") + 'runner = "swaps"\n', task(seeds=(1,)), runner)
        self.unvek("run", expect=1)
        self.assertIn("was replaced by something else", self.result("show", "1")["error"])


class Removing(ProjectTest):
    def test_any_tree_is_removed_and_no_link_is_followed(self):
        (self.folder / "outside").mkdir()
        (self.folder / "outside" / "kept").write_text("x")
        top = self.folder / "top"
        (top / "a" / "b" / "a").mkdir(parents=True)
        (top / "a" / "b" / "file").write_text("x")
        os.symlink(self.folder / "outside", top / "a" / "link")
        os.symlink(self.folder / "outside", self.folder / "link")
        with HeldFolder.opened(self.folder) as held:
            remove("top", held.fd)
            remove("link", held.fd)
            self.assertRaises(OSError, remove, "nothing", held.fd)
        self.assertFalse(top.exists())
        self.assertEqual([path.name for path in (self.folder / "outside").iterdir()], ["kept"])


if __name__ == "__main__":
    unittest.main()
