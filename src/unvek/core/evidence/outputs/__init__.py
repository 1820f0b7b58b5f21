"""What runs have put out, read when it is asked for: one module a sort, and SOURCES, which has them all by name.

Every source answers two questions of a run: under which digest its output is known (runs with the same output are
worked out once), and what it is. A file that no longer has the digest that it was kept with is somebody else's: it is
never taken for the output. A new sort is a Source (source.py) of its own, and a line in sources.py.
"""
