"""unvek completion"""

import click

SHELLS = ("bash", "zsh", "fish")


@click.command()
@click.argument("shell", type=click.Choice(SHELLS))
def completion(shell: str) -> None:
    """Print what makes SHELL complete commands, options, their values and files.

    Put it where the shell reads such things when it starts; or, for the shell at hand: eval "$(unvek completion bash)".

    \b
    Examples:
      unvek completion bash >> ~/.bashrc
      unvek completion zsh >> ~/.zshrc
      unvek completion fish > ~/.config/fish/completions/unvek.fish
    """
    from click.shell_completion import get_completion_class

    root = click.get_current_context().find_root()
    found = get_completion_class(shell)
    assert found is not None, "Click knows these shells"
    click.echo(found(root.command, {}, "unvek", "_UNVEK_COMPLETE").source())
