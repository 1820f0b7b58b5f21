"""unvek help"""

import sys

import click
from click.shell_completion import CompletionItem


def _topics(ctx: click.Context, argument: click.Parameter, incomplete: str) -> list[CompletionItem]:
    from unvek.show.pages import pages

    titles = {page.name: page.title for page in pages()}
    root = ctx.find_root().command
    commands = root.list_commands(ctx) if isinstance(root, click.Group) else []
    return [CompletionItem(name, help=titles.get(name)) for name in (*titles, *commands) if name.startswith(incomplete)]


@click.command("help")
@click.argument("topic", required=False, shell_complete=_topics)
def helping(topic: str | None) -> None:
    """Show a page of the docs here: TOPIC is a page, or a command. Without one, the pages are listed.

    \b
    Examples:
      unvek help
      unvek help plan
      unvek help compare
    """
    from unvek.show.pages import page_on, pages
    from unvek.show.terminal.markdown import as_terminal_text

    if topic is None:
        root = click.get_current_context().find_root().command
        commands = root.list_commands(click.get_current_context()) if isinstance(root, click.Group) else []
        width = max(len(page.name) for page in pages())
        for page in pages():
            click.echo(f"{page.name:<{width}}  {page.title}")
        click.echo(f"\n'unvek help TOPIC' shows one; of a command ({', '.join(commands[:3])}, ...) what it does.")
        return
    text = as_terminal_text(page_on(topic).text)
    if sys.stdout.isatty():
        click.echo_via_pager(text)  # a pager that knows no colours gets none
    else:
        click.echo(text, nl=False)
