"""unvek init KIND WHAT..."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import tell

if TYPE_CHECKING:
    from unvek.core.drafting.draft import Ask, Draft, Question

KINDS = ("script", "weights", "program", "server", "chat")


class CommandWithWords(click.Command):
    """Says where `--` belongs when a program's own options were taken for this command's."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        try:
            return super().parse_args(ctx, list(args))
        except (click.NoSuchOption, click.BadOptionUsage) as error:
            if args[:1] == ["program"] and "--" not in args:
                said = " ".join(("unvek init program --", *args[1:]))
                raise click.UsageError(f"options of the program come behind a --: {said}", ctx) from error
            raise


@click.command(cls=CommandWithWords)
@click.argument("kind", type=click.Choice(KINDS), metavar="KIND")
@click.argument("what", nargs=-1, required=True, metavar="WHAT...")
@click.option("--in", "folder", type=click.Path(path_type=Path, file_okay=False), default=Path(), metavar="FOLDER",
              help="Where the plan is written; the current folder, if not given.")  # fmt: skip
@click.option("--key-in", "key", metavar="NAME",
              help="The environment variable that has a server's key; the key itself is written nowhere.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Ask nothing: take what would be proposed.")
def init(kind: str, what: tuple[str, ...], folder: Path, key: str | None, yes: bool) -> None:
    """Write a first plan, from what you have.

    \b
    KIND is one of
      script    a Python file with load(variant) and run(model, job, probe)
      weights   files or folders of weights: a variant each, and a script to fill in
      program   a command, behind a --: started once with --help, to see its options
      server    a URL: asked once, to see how it answers
      chat      the same, of the shape that most servers for texts share

    The plan has comments that say what each part is for, and runs as it is, but for what is marked FILL IN. What can't
    be known is asked on a terminal, and else guessed. Nothing that is there is overwritten.

    \b
    Examples:
      unvek init script painter.py
      unvek init weights models/*.safetensors --in label-test
      unvek init program -- ./paint --steps 20 --prompt "a violet flower"
      unvek init chat http://127.0.0.1:8099/chat
    """
    from unvek.core.drafting.draft import write_draft

    asks = _ask if sys.stdin.isatty() and sys.stderr.isatty() and not yes else _guess
    draft = _draft(kind, what, folder, key, asks)
    written = write_draft(draft, folder)
    _say_what_next(draft, written, folder)


def _draft(kind: str, what: tuple[str, ...], folder: Path, key: str | None, ask: "Ask") -> "Draft":
    if kind in ("script", "server", "chat") and len(what) > 1:
        raise click.UsageError(f"init {kind} takes one, and got {len(what)}: {' '.join(what)}")
    if key is not None and kind not in ("server", "chat"):
        raise click.UsageError(f"--key-in is for a server or a chat, not for a {kind}")
    from unvek.core.errors import InputError

    match kind:
        case "script":
            from unvek.core.drafting.scripts import draft_of_script

            return draft_of_script(Path(what[0]), folder, ask)
        case "weights":
            from unvek.core.drafting.weight_files import draft_of_weights

            return draft_of_weights([Path(one) for one in what], folder)
        case "program":
            from unvek.core.drafting.programs import draft_of_program

            return draft_of_program(what, folder, ask)
        case "server":
            from unvek.core.drafting.first_question import FirstQuestion
            from unvek.core.drafting.servers import draft_of_server

            return draft_of_server(what[0], FirstQuestion(key), ask)
        case "chat":
            from unvek.core.drafting.first_question import FirstQuestion
            from unvek.core.drafting.servers import draft_of_chat

            return draft_of_chat(what[0], FirstQuestion(key))
    raise InputError(f"there is no init {kind}")


def _ask(question: "Question") -> str:
    from unvek.core.plain_text import clean

    return str(click.prompt(clean(question.text), default=question.guess, err=True))


def _guess(question: "Question") -> str:
    from unvek.core.plain_text import clean

    tell(f"{clean(question.text)}: {clean(question.guess)}, which is a guess.")
    return question.guess


def _say_what_next(draft: "Draft", files: list[Path], folder: Path) -> None:
    for note in draft.notes:
        tell(note)
    names = " and ".join(path.name for path in files)
    where = "" if folder == Path() else f" in {folder}"
    tell(f"{names} {'is' if len(files) == 1 else 'are'} written{where}.")
    if draft.to_fill:
        tell(f"To be filled in first: {'; '.join(draft.to_fill)}.")
    change = "" if folder == Path() else f"  cd {folder}\n"
    click.echo(
        f"""
What to do next:
{change}  unvek check --one-step   is it all wired up?
  unvek run                make the runs; the same command goes on where it was stopped
  unvek compare            which is faster, by how much, and how sure that is
""".rstrip()
    )
