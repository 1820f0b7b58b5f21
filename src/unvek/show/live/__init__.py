"""The live view: a process of its own that follows the journal (state.py) and draws it (screen.py, preview.py)."""
