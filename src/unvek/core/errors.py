"""What can go wrong, as one tree.

UnvekError              something to tell the user in words, never as a traceback
├── InputError          what was given is wrong: exit 2
│   └── PlanError       the plan is wrong: every problem in it at once
├── LogbookError        the logbook can't be read or written: exit 2
│   ├── LogbookBusyError     another process is making runs into it
│   └── LogbookUnreachableError  a team's logbook is out of reach for now: what is to be kept waits on this machine
└── MachineBusyError    another process is making runs on this machine: exit 2
"""

from dataclasses import dataclass

from unvek.core.units import counted


class UnvekError(Exception):
    """The root. Its text says what came, what is allowed and what to do."""


class InputError(UnvekError):
    """What the user gave can't be used."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing wrong with a plan: where it stands, what was found there, what would be right."""

    where: str
    found: str
    wanted: str

    def __str__(self) -> str:
        return f"{self.where}: found {self.found}; wanted {self.wanted}"


class PlanError(InputError):
    """A plan that can't be run, with all its problems."""

    def __init__(self, path: str, problems: tuple[Problem, ...]):
        self.path = path
        self.problems = problems
        super().__init__(
            "\n".join([f"{path}: {counted(len(problems), 'error')}", *(f"  {problem}" for problem in problems)])
        )


class LogbookError(UnvekError):
    """The logbook can't be found, opened, read or written."""


class LogbookBusyError(LogbookError):
    """Another process holds the logbook's lock."""


class LogbookUnreachableError(LogbookError):
    """A team's logbook can't be reached or written for now."""


class MachineBusyError(UnvekError):
    """Another process holds the machine's lock."""
