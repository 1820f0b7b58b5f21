"""Plots: files of both sorts from every command that draws, names that cover nothing, and SVG that a page may hold."""

import re
import unittest
from itertools import combinations
from xml.etree import ElementTree

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Annotation
from PIL import Image

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.findings.tradeoff.found import Count, CountFound, Tradeoff, TradeoffRow
from unvek.core.plan.model import FORMS
from unvek.show.picture.plots.frontier import draw_frontier
from unvek.show.picture.plots.look import SHAPES, inline_svg


def tradeoff(places: list[tuple[float, float]], title: str = "Which?", needs: tuple[str, ...] = ()) -> Tradeoff:
    def around(value: float, by: float) -> CountFound:
        return CountFound(typical=value, low=value - by, high=value + by)

    rows = tuple(
        TradeoffRow(
            variant=f"variant-of-{number}", form=FORMS[number % 5], drift=None, drift_low=None, drift_high=None,
            values={"time.total": around(time, time / 20), "likeness": around(alike, 0.01)}, on_frontier=number % 2 == 0,
            probability=0.5, beaten_by=(), even_with=(), unmet=(), not_shown=(), why_not_shown=(), not_judged=(),
        )
        for number, (time, alike) in enumerate(places)
    )  # fmt: skip
    counts = (Count(measure="time.total", unit="s", better="less", margin="2 %"),
              Count(measure="likeness", unit="", better="more", margin="2 %"))  # fmt: skip
    return Tradeoff(title=title, reference="variant-of-0", counts=counts, rows=rows, pick="variant-of-2", because="",
                    ties=(), runner_up=None, notes=(), needs=needs)  # fmt: skip


class Names(unittest.TestCase):
    def test_names_of_variants_that_lie_close_cover_neither_each_other_nor_the_frame(self):
        close = [(0.1 + 0.002 * (n % 4), 0.9 + 0.002 * (n // 4)) for n in range(12)]
        for places in (close, [(0.01, 0.5), (0.1, 0.9), (0.1, 0.9), (1.0, 0.99)], [(0.1, 0.9)]):
            figure = draw_frontier(tradeoff(places))
            canvas = FigureCanvasAgg(figure)
            canvas.draw()
            renderer = canvas.get_renderer()
            for axes in figure.axes:
                named = [
                    one for one in axes.texts if isinstance(one, Annotation) and one.get_text().startswith("variant")
                ]
                self.assertEqual(len(named), len(places))
                boxes = [one.get_window_extent(renderer) for one in named]
                covering = [(one, other) for one, other in combinations(boxes, 2) if one.overlaps(other)]
                self.assertEqual(covering, [])
                page = figure.bbox
                self.assertTrue(all(page.x0 <= box.x0 and box.x1 <= page.x1 for box in boxes))

    def test_forms_are_told_apart_by_shape_alone(self):
        self.assertEqual(len({SHAPES[form] for form in FORMS}), len(FORMS))


class InAPage(unittest.TestCase):
    def test_svg_has_no_style_no_script_and_leaves_its_colours_to_the_page(self):
        title = '<script>$x^2$</script> & "such" \u202e'
        drawn = inline_svg(
            draw_frontier(tradeoff([(0.1, 0.9), (0.5, 0.95), (0.2, 0.8)], title, ("likeness >= 0.85",))), "plot", title
        )
        root = ElementTree.fromstring(drawn.replace("xlink:href", "href"))
        for one in root.iter():
            self.assertNotIn("style", one.attrib)
            self.assertFalse([name for name in one.attrib if name.startswith("on")])
            self.assertNotIn(one.tag.rpartition("}")[2], ("script", "style", "foreignObject", "image"))
        self.assertNotIn("\u202e", drawn)
        self.assertIn("fill-ink", drawn)
        references = re.findall(r'href="([^"]*)"|url\(([^)]*)\)', drawn)
        self.assertTrue(all((one or other).startswith("#") for one, other in references))


class Files(ProjectTest):
    def test_every_command_that_draws_writes_both_sorts_the_same_each_time(self):
        self.write_plan(
            SLOW, QUICK, variant("half", "quantized", step_s=0.004), task(seeds=[1, 2]), rounds=3, quality=True
        )
        self.have_runs()
        for command in (("compare",), ("compare", "--measure", "memory.peak"), ("tradeoff",), ("log",), ("show", "2")):
            with self.subTest(command):
                self.unvek(*command, "--plot", "drawn.png")
                with Image.open(self.folder / "drawn.png") as picture:
                    self.assertGreater(len(picture.convert("RGB").getcolors(10**6)), 10)
                contents = []
                for _ in range(2):
                    self.unvek(*command, "--plot", "drawn.svg")
                    contents.append((self.folder / "drawn.svg").read_bytes())
                self.assertEqual(*contents)
                self.assertIn("neither .png nor .svg", self.unvek(*command, "--plot", "drawn.pdf", expect=2).stderr)
                self.assertIn("can't be written", self.unvek(*command, "--plot", "none/drawn.png", expect=2).stderr)
        self.assertIn("leave out --sessions", self.unvek("log", "--sessions", "--plot", "x.png", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
