"""A bar for long work, on standard error, that goes when the work is done."""

from collections.abc import Callable

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn

from unvek.show.palette import SKY


def progress_bar(doing: str) -> tuple[Callable[[int, int, str], None], Callable[[], None]]:
    """Show a bar; return what it is told through (how many are done, of how many, in words), and what takes it away."""
    progress = Progress(
        TextColumn("{task.description}"), BarColumn(complete_style=SKY, finished_style=SKY, pulse_style=SKY),
        TextColumn("{task.fields[words]}"), console=Console(stderr=True), transient=True,
    )  # fmt: skip
    task = progress.add_task(doing, total=None, words="")
    progress.start()

    def show(done: int, count: int, words: str) -> None:
        progress.update(task, completed=done, total=count, words=words)

    return show, progress.stop
