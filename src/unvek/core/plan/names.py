"""What may be a name: of a variant, a task, a measure, a session; and which seeds there are."""

LONGEST_NAME = 40
NAME_WORDS = "a name of up to 40 letters, digits, '.', '_' or '-' that starts with a letter or digit"
LARGEST_SEED = 2**32 - 1


def is_name(text: str) -> bool:
    """Whether a text can stand in a table, a file name and an option."""
    return 0 < len(text) <= LONGEST_NAME and text[0].isalnum() and all(c.isalnum() or c in "._-" for c in text)
