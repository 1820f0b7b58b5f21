"""Is the comparison fair? What variants are made of (made_of.py), how they were run (how_run.py), and their files."""
