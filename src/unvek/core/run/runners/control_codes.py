"""Printed bytes -> lines: control codes taken out, carriage returns and moves of the cursor taken as ends of lines."""

import codecs
import re

LONGEST_LINE = 16 * 1024  # characters; of a longer line the beginning counts
LONGEST_CODE = 256  # characters that a control sequence may have before it is given up

# ECMA-48: CSI ... final, OSC and other strings up to BEL or ST, two-character escapes, and single controls.
CODE = re.compile(
    r"\x1b\[[0-?]*[ -/]*(?P<final>[@-~])"
    r"|\x1b[\]PX^_][^\x07\x1b\x9c]*(?:\x07|\x1b\\|\x9c)"
    r"|\x1b[ -/]*[0-~]"
    r"|[\x00-\x08\x0b\x0c\x0e-\x1a\x1c-\x1f\x7f-\x9f]"
)
UNFINISHED = re.compile(r"\x1b(?:\[[0-?]*[ -/]*|[\]PX^_][^\x07\x1b\x9c]*\x1b?|[ -/]*)?$")
MOVES = "ABEFGHJKSTfdu"  # final letters of moves and erasures: what follows is drawn anew
BREAK = re.compile(r"[\r\n]+")


class PrintedLines:
    """Cuts what a program prints into plain lines, of which the last may still grow."""

    def __init__(self) -> None:
        self._decoder = codecs.getincrementaldecoder("utf-8")("replace")
        self._rest = ""  # the beginning of a control sequence
        self._dropping = False
        self.line = ""  # the line that has no end yet

    def feed(self, data: bytes, final: bool = False) -> list[str]:
        """Return the lines that data completes, without empty ones; all that is left with `final`."""
        text = self._rest + self._decoder.decode(data, final)
        self._rest = ""
        cut = UNFINISHED.search(text)
        if cut and not final and len(text) - cut.start() <= LONGEST_CODE:
            text, self._rest = text[: cut.start()], text[cut.start() :]
        *lines, last = BREAK.split(CODE.sub(_in_place, text))
        complete = []
        for line in lines:
            complete.append(self.line + ("" if self._dropping else line[:LONGEST_LINE]))
            self.line, self._dropping = "", False
        if not self._dropping:
            self.line += last
            if len(self.line) > LONGEST_LINE:
                self.line, self._dropping = self.line[:LONGEST_LINE], True
        if final and self.line:
            complete.append(self.line)
            self.line = ""
        return [line for line in complete if line.strip()]


def without_codes(text: str) -> str:
    """Return a text without control codes; line ends and tabs stay."""
    return CODE.sub("", text)


def _in_place(code: re.Match[str]) -> str:
    final = code["final"]
    return "\n" if final is not None and final in MOVES else ""
