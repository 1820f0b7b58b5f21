"""What the engine tells whoever watches, an entry a line (entries.py, journal.py), and their controls (controls.py)."""
