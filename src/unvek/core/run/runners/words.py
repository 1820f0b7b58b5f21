"""Counting the words of a text that comes in pieces."""


class WordCount:
    """Counts how many words begin in each piece; one may go on in the next."""

    def __init__(self) -> None:
        self._in_word = False

    def of_piece(self, text: str) -> int:
        """Return how many words begin in a piece."""
        if not text:
            return 0
        words = len(text.split())
        goes_on = self._in_word and not text[0].isspace()
        self._in_word = not text[-1].isspace()
        return words - 1 if goes_on and words else words
