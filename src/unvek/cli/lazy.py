"""A group of commands each of which is imported when it is called, so that starting is quick."""

from collections.abc import Mapping
from importlib import import_module
from types import MappingProxyType
from typing import Any

import click


class LazyGroup(click.Group):
    """Each command comes with its one line, so that the list needs none of them imported.

    lines: what each command does; room: the package in which its module lies, under its own name or that of `modules`.
    """

    def __init__(
        self,
        *arguments: Any,
        lines: Mapping[str, str] = MappingProxyType({}),
        room: str = "",
        modules: Mapping[str, str] = MappingProxyType({}),
        **named: Any,
    ):
        super().__init__(*arguments, **named)
        self._lines, self._room, self._modules = lines, room, modules

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(self._lines)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self._lines:
            return None
        module = self._modules.get(cmd_name, cmd_name)
        command = getattr(import_module(f"{self._room}.{module}"), module.rpartition(".")[2])
        assert isinstance(command, click.Command)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(self._lines.items()))
