"""The live view: a process of its own that follows the journal (viewer.py, state.py), and draws (screen.py)."""
